"""A condition tried on the past before it is switched on: how often it would have fired, and when."""

from collections.abc import Sequence
from dataclasses import dataclass

from faena.apps.alerts.models import Notice, Way
from faena.apps.answers.alerts.signals import Signals
from faena.apps.servers.models import Server
from faena.core.alerts.condition import Condition
from faena.core.alerts.stepping import State, Turn, What, advance
from faena.core.errors import BadWindow
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

LONGEST_MS = 31 * 24 * MS_PER_HOUR
PART_MS = 24 * MS_PER_HOUR  # of the past, at once
MOST_TOLD = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Would:
    """A trouble that a condition would have told of; `over` None: it would go on."""

    server: Server
    began: int
    fired: int
    over: int | None
    worst: float
    usual: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """`known`: the share of the time of which anything was known."""

    times: Sequence[Would]
    known: float


def tried(condition: Condition, servers: Sequence[Server], window: Window, now_ms: int) -> Trial:
    """The newest first, at most so many. Raises BadWindow, BadInput."""
    condition.check()
    if window.length_ms > LONGEST_MS:
        raise BadWindow("a condition is tried on up to 31 days", field="from")
    times: list[Would] = []
    known = steps = 0
    for server in servers:
        state, turns = State(until=EpochMs(window.start)), []
        signals = Signals(server, now_ms, as_found=False)
        for start in range(window.start, window.end, PART_MS):
            part = signals.steps(condition, start, min(start + PART_MS, window.end))
            state, more = advance(state, condition, part)
            turns += more
            known += sum(one.value is not None for one in part)
            steps += len(part)
        times += _times(server, turns)
    times.sort(key=lambda one: -one.fired)
    return Trial(times=times[:MOST_TOLD], known=known / steps if steps else 0.0)


def _times(server: Server, turns: Sequence[Turn]) -> list[Would]:
    found: list[Would] = []
    for one in turns:
        if one.what is What.BEGAN:
            found.append(
                Would(server=server, began=one.began, fired=one.at, over=None, worst=one.value, usual=one.usual)
            )
        elif found:
            last = found[-1]
            found[-1] = Would(
                server=server, began=last.began, fired=last.fired, over=one.ended, worst=one.value, usual=one.usual
            )
    return found


def try_way(way: Way, link: str, now_ms: int) -> Notice:
    """Send a trial by a way; it goes out as others do, and its state is told as theirs is."""
    body: dict[str, object] = {
        "headline": f"This is a trial of “{way.name}”", "when": "If you can read this, alerts reach you by this way.",
        "firings": [], "lead": None, "changes": [], "link": link, "picture": "", "severity": "note",
    }  # fmt: skip
    number = Notice.objects.filter(alert=None, way=way).count()
    return Notice.objects.create(
        alert=None, way=way, number=number, what="test", body=body, made_ms=now_ms, next_ms=now_ms
    )
