"""How much trouble a server is in, to put the worst first, and the one sentence that says why."""

from dataclasses import dataclass
from math import isnan

UNREACHABLE = 1000.0  # whatever else: nothing is known of it
LAG_TROUBLES_MS = 10_000.0
DEADLOCK_WEIGHT = 2.0
MANY_WAITING = 5.0  # sessions, from which waiting is trouble even where nobody knows what is usual
SLACK_SESSIONS = 0.5  # beyond the usual band, before it is worth a word


@dataclass(frozen=True, slots=True, kw_only=True)
class Glance:
    """A server over the last minute. Loads in sessions; NaN where not known."""

    reachable: bool
    state_words: str
    running: float
    waiting: float
    blocked: float  # of the waiting, those that wait for a lock
    cores: int | None
    usual_waiting_high: float
    usual_running_high: float
    lag_ms: float | None
    deadlocks: float  # in the last hour


@dataclass(frozen=True, slots=True, kw_only=True)
class Trouble:
    """`score` in sessions that have it worse than usual, roughly; 0 is quiet. `words` is empty then."""

    score: float
    words: str


def trouble(glance: Glance) -> Trouble:
    """Each sign of trouble with its weight in sessions; the heaviest gives the words."""
    if not glance.reachable:
        return Trouble(score=UNREACHABLE, words=glance.state_words)
    signs: list[tuple[float, str]] = []
    if glance.blocked >= 0.5:
        signs.append((2 * glance.blocked, f"{glance.blocked:.1f} sessions wait for locks"))
    unusual = _beyond(glance.running, glance.usual_running_high)
    if glance.cores and glance.running > glance.cores:
        over = glance.running - glance.cores
        signs.append((1.5 * over + unusual, f"{glance.running:.1f} sessions run on {glance.cores} cores"))
    elif unusual:
        signs.append((unusual, f"running {glance.running:.1f}, usually at most {glance.usual_running_high:.1f}"))
    many = max(MANY_WAITING, glance.cores or 0)
    for_no_lock = glance.waiting - glance.blocked
    if isnan(glance.usual_waiting_high) and for_no_lock > many:
        signs.append((for_no_lock - many, f"{for_no_lock:.1f} sessions wait, and what is usual is not known yet"))
    if more := _beyond(glance.waiting, glance.usual_waiting_high):
        signs.append((more, f"waiting {glance.waiting:.1f}, usually at most {glance.usual_waiting_high:.1f}"))
    if glance.lag_ms is not None and glance.lag_ms > LAG_TROUBLES_MS:
        signs.append((glance.lag_ms / LAG_TROUBLES_MS, f"replay lags by {glance.lag_ms / 1000:.0f} s"))
    if glance.deadlocks >= 1:
        signs.append((DEADLOCK_WEIGHT * glance.deadlocks, f"{glance.deadlocks:.0f} deadlocks in the last hour"))
    signs.sort(reverse=True)
    return Trouble(score=sum(weight for weight, _ in signs), words=signs[0][1] if signs else "")


def _beyond(load: float, high: float) -> float:
    """Sessions on top of the usual; 0 within it, or where either is not known."""
    return 0.0 if isnan(load) or isnan(high) or load <= high + SLACK_SESSIONS else load - high
