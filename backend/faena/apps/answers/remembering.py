"""What Faena would have noticed, had it watched: changes, leads and verdicts of a past that came at once."""

from collections.abc import Sequence

from faena.apps.answers.following import DEADLINE_MS, FOLLOWED, follow_change, judge
from faena.apps.answers.found import look_for_changes
from faena.apps.answers.looking import look_back
from faena.apps.changes import selectors as changes
from faena.apps.changes.models import Change
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated.incidents import Incident

LOOKED_AT_MS = 12 * MS_PER_HOUR  # of a span, at most: what goes on for days is the same lead all the time
STEP_MS = MS_PER_HOUR // 2
JUDGED_AFTER_MS = (STEP_MS, 2 * MS_PER_HOUR, 6 * MS_PER_HOUR, DEADLINE_MS)


def remember(server: Server, incidents: Sequence[Incident], now_ms: int) -> None:
    """Plant the changes of its incidents, find those that show, look for leads where something went wrong, and judge.

    Safe to repeat.
    """
    anchor = (server.simulation or {}).get("anchor", now_ms)
    mine = [one for one in incidents if one.server == server.name]
    _plant(server, mine, anchor)
    while look_for_changes(server, now_ms):
        pass
    held = holdings.read(server.pk)
    for incident in mine:
        for start, end in list(incident.spans(anchor))[:3]:
            first, last = max(start - STEP_MS, held.first_ms), min(end, start + LOOKED_AT_MS, held.newest_ms)
            if last > first:
                look_back(server, Window(start=EpochMs(first), end=EpochMs(last)), STEP_MS)
    _judge(server, Window(start=EpochMs(held.first_ms or 1), end=EpochMs(now_ms)), held.newest_ms)


def _plant(server: Server, incidents: Sequence[Incident], anchor: int) -> None:
    """Written as found ones are, so that a second time changes nothing; told ones are looked up by their moment."""
    for incident in incidents:
        begins = next(iter(incident.spans(anchor)))[0]
        for one in incident.changes:
            at = begins + round(one.minutes * 60_000)
            origin = "found" if not one.note else "hand" if one.kind == "note" else "api"
            Change.objects.get_or_create(
                server=server, at_ms=at, kind=one.kind, object=one.object,
                defaults={
                    "since_ms": at, "table": one.table, "before": one.before, "after": one.after, "note": one.note,
                    "version": one.version, "by": one.by, "origin": origin,
                },
            )  # fmt: skip


def _judge(server: Server, window: Window, newest_ms: int) -> None:
    """Each change as it would have been judged while time went on."""
    for change in changes.changes(server.pk, window, kinds=FOLLOWED):
        row = follow_change(server, change)
        for lasted in JUDGED_AFTER_MS:
            if row.settled or row.at_ms + lasted > newest_ms:
                break
            judge(server, row, row.at_ms + lasted, row.at_ms + lasted)
