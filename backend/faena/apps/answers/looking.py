"""Looks for leads in the newest samples of each server, again and again, and in the past of one that was just filled."""

import time

from faena.apps.answers.leads import leads_of
from faena.apps.leads import actions
from faena.apps.leads.models import LeadLook
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.core.answers.leads.beginning import lasted
from faena.core.series.window import Window
from faena.core.units import EpochMs

LOOK_MS = 10 * 60_000  # the newest so many minutes are looked at
STEP_MS = 60_000  # no more often than that
SETTLES_MS = 5_000


def look_for_leads(server: Server, now_ms: int) -> None:
    """At the newest samples, where any came since the last look. Works on what is stored alone."""
    newest = holdings.read(server.pk).newest_ms
    row = LeadLook.objects.filter(server_id=server.pk).first()
    if not newest or (row is not None and newest < row.until_ms + STEP_MS):
        return
    end = min(newest + 1000, now_ms - SETTLES_MS)
    look_at(server, Window(start=EpochMs(end - LOOK_MS), end=EpochMs(end)), newest=True)


def look_now(server: Server) -> None:
    """At the newest samples, also where the last look was a moment ago: up to when a lead lasted is known then."""
    end = holdings.read(server.pk).newest_ms + 1000
    look_at(server, Window(start=EpochMs(end - LOOK_MS), end=EpochMs(end)))


def look_at(server: Server, window: Window, *, newest: bool = False) -> int:
    """One window; returns how many leads were found in it."""
    begun = time.perf_counter()
    found, seen = leads_of(server.pk, window)
    rows = actions.store(server.pk, [(one, lasted(seen, one.claim)) for one in found.leads])
    if newest:
        first = next((row for row in rows if row.state != actions.DISMISSED), None)
        actions.looked(server.pk, window.end, first, first.title if first else "", 1000 * (time.perf_counter() - begun))
    return len(rows)


def look_back(server: Server, window: Window, step_ms: int = 30 * 60_000) -> int:
    """A whole past in steps: for one that came at once, as that of the made-up estate."""
    starts = range(window.start, window.end, step_ms)
    return sum(look_at(server, Window(start=EpochMs(at), end=EpochMs(min(at + step_ms, window.end)))) for at in starts)
