"""Alerts of the made-up estate's fortnight: each planted incident is told in time, and nothing is told when nothing is wrong.

    ./faena bench alerts

The past is made as the demo makes it, and every condition that comes with Faena is tried on all of it by the same steps
as those that look while time goes on. Each planted incident must fire one. Whatever else fires is a false alert, but for a
lead of an endpoint whose requests the estate makes in another way just then.
"""

import sys
import tomllib
from dataclasses import dataclass
from time import perf_counter

import django

django.setup()

from django.core.management import call_command  # noqa: E402
from faena.apps.alerts.conditions import BUILTIN  # noqa: E402
from faena.apps.answers.alerts.trying import Would, tried  # noqa: E402
from faena.apps.servers import holdings, simulation  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.series.window import Window  # noqa: E402
from faena.core.units import EpochMs  # noqa: E402
from faena.launch.places import CHECKOUT  # noqa: E402
from faena.sources.simulated import read_incidents  # noqa: E402
from reporting import report  # noqa: E402

LATE_MS = 3 * 60_000  # beside the time that a condition must hold
AFTER_MS = 20 * 60_000  # what an incident leaves behind is still its own
# Without the log and the machine, which the estate does not have, and without what is told of the watching.
LEFT_OUT = ("timeouts", "crash", "stale", "age")


@dataclass(frozen=True, slots=True, kw_only=True)
class Fired:
    """A condition, and a time at which it would have fired."""

    slug: str
    for_ms: int
    would: Would


def main() -> None:
    """Makes the past, tries, compares."""
    call_command("past", days=14, stdout=sys.stderr)
    servers = [one for one in Server.objects.all() if one.simulation]
    held = [holdings.read(one.pk) for one in servers]
    window = Window(start=EpochMs(min(one.first_ms for one in held)), end=EpochMs(max(one.newest_ms for one in held)))
    begun = perf_counter()
    fired = [
        Fired(slug=one.slug, for_ms=one.condition.for_ms, would=would)
        for one in BUILTIN if one.slug not in LEFT_OUT
        for would in tried(one.condition, servers, window, window.end).times
    ]  # fmt: skip
    report("trying 10 conditions on 14 days of 5 servers", perf_counter() - begun, "s")
    incidents = read_incidents(tomllib.loads((CHECKOUT / "demo" / "incidents.toml").read_text()))
    anchor = next(one.simulation["anchor"] for one in servers if one.simulation)
    spans = {one.name: (one.server, list(one.spans(anchor))) for one in incidents}
    missed = []
    for name, (server, times) in spans.items():
        start, end = times[0]
        mine = [
            one
            for one in fired
            if one.would.server.name == server
            and start <= one.would.fired <= min(start + one.for_ms + LATE_MS, end + LATE_MS)
        ]
        said = sorted({one.slug for one in mine}) or ["NOTHING"]
        print(f"{name} on {server}: {', '.join(said)}", file=sys.stderr)
        missed += [] if mine else [name]
    estate, _ = simulation.description()
    altered = [(one.server, change.span(EpochMs(anchor))) for one in estate.endpoints for change in one.changes]
    false = [
        one for one in fired
        if not any(_within(one, times) for _, times in spans.values())
        and not (one.slug == "leads" and any(one.would.server.name == on and _within(one, [span]) for on, span in altered))
    ]  # fmt: skip
    for one in false:
        print(f"false: {one.slug} on {one.would.server.name} at {one.would.began}", file=sys.stderr)
    report(
        "planted incidents that no condition told in time", len(missed), "incidents", at_most=0, note=", ".join(missed)
    )
    report("alerts while nothing was wrong, in 14 days of 5 servers", len(false), "alerts", at_most=0)


def _within(one: Fired, times: list[tuple[int, int]]) -> bool:
    """Whether it lies in an incident; another server of the same group may feel it."""
    return any(start - LATE_MS <= one.would.began <= end + AFTER_MS for start, end in times)


if __name__ == "__main__":
    main()
