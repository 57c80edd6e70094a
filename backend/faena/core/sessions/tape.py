"""Sessions second by second: stretches in which one did the same, and the statements it ran."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from faena.core.sessions.frame import Ints, SessionFrame

SAME_START_MS = 700  # samples whose statement seems to have begun so close together saw the same one


@dataclass(frozen=True, slots=True)
class Stretch:
    """Ticks [first, last] at which a session was seen with the same code behind the same blocker."""

    first: int
    last: int
    code: int
    blocker: int


@dataclass(frozen=True, slots=True)
class Ran:
    """One execution of a statement as far as samples show it: it began at `began_ms` and was last seen at `seen_ms`."""

    began_ms: int
    seen_ms: int
    code: int


def stretches(frame: SessionFrame) -> list[Stretch]:
    """Of one session. Ticks between two stretches at which others were sampled are ticks at which it was idle."""
    if not len(frame.tick):
        return []
    new = (np.diff(frame.tick) > 1) | (np.diff(frame.code) != 0) | (np.diff(frame.blocker) != 0)
    first = np.r_[0, np.flatnonzero(new) + 1]
    last = np.r_[first[1:] - 1, len(frame.tick) - 1]
    return [
        Stretch(int(frame.tick[a]), int(frame.tick[b]), int(frame.code[a]), int(frame.blocker[a]))
        for a, b in zip(first.tolist(), last.tolist(), strict=True)
    ]


def statements_run(frame: SessionFrame, active: Sequence[bool]) -> list[Ran]:
    """Of one session. `active` by code: while it idles in a transaction it runs nothing, and its last one is over.

    A statement is told from the next by when it began; where the server does not say, by a break in the samples.
    """
    ran: list[Ran] = []
    last_tick = -2
    for tick, code, age in zip(frame.tick.tolist(), frame.code.tolist(), frame.statement_ms.tolist(), strict=True):
        if not active[code]:
            last_tick = -2
            continue
        at = int(frame.tick_ms[tick])
        began = at - age if age >= 0 else at
        before = ran[-1] if ran and last_tick >= 0 else None
        same = before is not None and (
            abs(before.began_ms - began) <= SAME_START_MS if age >= 0 else tick == last_tick + 1 and before.code == code
        )
        if same and before is not None:
            ran[-1] = Ran(before.began_ms, at, before.code)
        else:
            ran.append(Ran(began, at, code))
        last_tick = tick
    return ran


@dataclass(frozen=True, slots=True)
class WaitSum:
    """One kind of waiting of a session: how often it began, its ticks in all, and the longest in a row."""

    code: int
    count: int
    ticks: int
    longest: int


def wait_sums(found: Sequence[Stretch], group_of_code: Ints) -> list[WaitSum]:
    """Stretches summed by group (a wait event), most ticks first; `code` is one that stands for the group.

    Neighbouring stretches of a group are one wait, whatever else about them changed.
    """
    sums: dict[int, WaitSum] = {}
    running = 0
    before: Stretch | None = None
    for one in found:
        group = int(group_of_code[one.code])
        ticks = one.last - one.first + 1
        follows = before is not None and before.last + 1 == one.first and int(group_of_code[before.code]) == group
        running = running + ticks if follows else ticks
        known = sums.get(group, WaitSum(one.code, 0, 0, 0))
        sums[group] = WaitSum(known.code, known.count + (not follows), known.ticks + ticks, max(known.longest, running))
        before = one
    return sorted(sums.values(), key=lambda one: (-one.ticks, one.code))
