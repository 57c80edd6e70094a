"""A condition followed over time, step by step: when trouble begins, gets worse, and is over.

Nothing is looked at but the state before and the next steps, so that it does not matter in how many rounds they come:
after a restart it goes on where it was, and finds what it would have found.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from faena.core.alerts.condition import Condition
from faena.core.labels import Labelled
from faena.core.units import EpochMs

WORSE_TIMES = 2.0  # as bad as that many times what was told last is told again
NEVER = EpochMs(0)
LOST_MS = 120_000  # without a value for so long, what was about to be told is not certain any more


class Phase(Labelled):
    """Where a condition stands on a server."""

    CALM = "calm", "calm"
    RISING = "rising", "holds, not for long enough yet"
    FIRING = "firing", "alert"
    FALLING = "falling", "over, not for long enough yet"


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One value over [start, end); None: not known. `usual` is None where nothing is usual yet, or nobody asked."""

    start: EpochMs
    end: EpochMs
    value: float | None
    usual: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """`until`: looked at up to then. `since`: when the phase began; `began`: when the trouble that fires did, and `worst`
    the worst value of it, at `worst_at`; `said` is the worst that was told."""

    until: EpochMs
    phase: Phase = Phase.CALM
    since: EpochMs = NEVER
    began: EpochMs = NEVER
    worst: float = 0.0
    worst_at: EpochMs = NEVER
    usual: float | None = None
    said: float = 0.0
    known: EpochMs = NEVER


class What(Labelled):
    """What became of a condition on a server."""

    BEGAN = "began", "began"
    WORSE = "worse", "got worse"
    OVER = "over", "is over"


@dataclass(frozen=True, slots=True, kw_only=True)
class Turn:
    """`at`: the end of the step that showed it. `began` and, of one that is over, `ended` are when it really did; `value`
    is the worst so far, `usual` what was usual then."""

    what: What
    at: EpochMs
    began: EpochMs
    ended: EpochMs | None
    value: float
    worst_at: EpochMs
    usual: float | None


def advance(state: State, condition: Condition, steps: Iterable[Step]) -> tuple[State, list[Turn]]:
    """The state after some steps in order of time, and what happened in them. Steps before `until` are left out."""
    turns: list[Turn] = []
    for one in steps:
        if one.start < state.until:
            continue
        state, turn = _step(state, condition, one)
        turns += [turn] if turn is not None else []
    return state, turns


def _step(state: State, condition: Condition, one: Step) -> tuple[State, Turn | None]:
    state = replace(state, until=one.end)
    if not condition.is_open(one.start):
        return _shut(state, one)
    if one.value is None:
        lost = state.phase is Phase.RISING and one.end - state.known > LOST_MS
        return (replace(state, phase=Phase.CALM) if lost else state), None
    state = replace(state, known=one.end)
    if condition.is_bad(one.value, one.usual):
        return _bad(state, condition, one, one.value)
    if state.phase is Phase.RISING:
        return replace(state, phase=Phase.CALM), None
    if state.phase is Phase.FIRING and condition.is_good(one.value, one.usual):
        state = replace(state, phase=Phase.FALLING, since=one.start)
    elif state.phase is Phase.FALLING and not condition.is_good(one.value, one.usual):
        return replace(state, phase=Phase.FIRING), None
    if state.phase is Phase.FALLING and one.end - state.since >= condition.clear_ms:
        return replace(state, phase=Phase.CALM), _turn(state, What.OVER, one.end, ended=state.since)
    return state, None


def _bad(state: State, condition: Condition, one: Step, value: float) -> tuple[State, Turn | None]:
    if state.phase is Phase.CALM:
        state = replace(state, phase=Phase.RISING, since=one.start, began=one.start, worst=value, worst_at=one.start)
        state = replace(state, usual=one.usual)
    elif state.phase is Phase.FALLING:
        state = replace(state, phase=Phase.FIRING)
    if (value < state.worst) if condition.below else (value > state.worst):
        state = replace(state, worst=value, worst_at=one.start, usual=one.usual)
    if state.phase is Phase.RISING:
        if one.end - state.since < condition.for_ms:
            return state, None
        state = replace(state, phase=Phase.FIRING, said=state.worst)
        return state, _turn(state, What.BEGAN, one.end)
    if _much_worse(state, condition):
        state = replace(state, said=state.worst)
        return state, _turn(state, What.WORSE, one.end)
    return state, None


def _much_worse(state: State, condition: Condition) -> bool:
    if condition.below:
        return state.said > 0 and state.worst <= state.said / WORSE_TIMES
    return state.worst >= state.said * WORSE_TIMES


def _shut(state: State, one: Step) -> tuple[State, Turn | None]:
    """Outside of its hours nothing rises, and what fires is over: nobody wants to know of it now."""
    firing = state.phase in (Phase.FIRING, Phase.FALLING)
    calm = replace(state, phase=Phase.CALM)
    return calm, _turn(state, What.OVER, one.end, ended=one.start) if firing else None


def _turn(state: State, what: What, at: EpochMs, ended: EpochMs | None = None) -> Turn:
    return Turn(
        what=what, at=at, began=state.began, ended=ended, value=state.worst, worst_at=state.worst_at, usual=state.usual
    )
