"""Blocking over a window, from samples: who was at the root at each tick, and whose waiting is put down to whom."""

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from faena.core.sessions.frame import Ints, SessionFrame

_SHIFT = np.int64(32)  # a tick and a pid in one number
_MOST_JUMPS = 40  # pointers double, so this is deeper than any chain


def behind_others(frame: SessionFrame, waits: npt.NDArray[np.bool_]) -> SessionFrame:
    """The ticks at which one of the samples that `waits` (N,) marks is, with those samples and whoever blocks any.

    All that chains are made of; a long window of it costs little.
    """
    wanted = np.zeros(len(frame.tick_ms), dtype=np.bool_)
    wanted[frame.tick[waits]] = True
    kept = frame.rows(wanted[frame.tick])
    ahead, blocked, seen = _ahead(kept)
    involved = blocked.copy()
    involved[ahead[seen]] = True
    involved |= waits[wanted[frame.tick]]
    kept = kept.rows(involved)
    return replace(kept, tick_ms=frame.tick_ms[wanted], tick=(np.cumsum(wanted) - 1)[kept.tick])


@dataclass(frozen=True, slots=True)
class Roots:
    """For each sample, the row of the session at the root of its chain in the same tick; its own where nobody blocks it.

    `row` is NOT_SEEN where the chain ends at one that was not sampled, whose pid then stands in `pid`; and CIRCLE where
    it has no end: `circle` then is the row of the smallest pid of that circle, whose pid is `pid`, and -1 elsewhere.
    `depth` counts the steps to the root, or to the circle: 0 for those that make it up.
    """

    row: Ints
    pid: Ints
    depth: Ints
    circle: Ints


NOT_SEEN, CIRCLE = -1, -2


def roots_of(frame: SessionFrame) -> Roots:
    """By pointer jumping, all ticks at once: a frame of a day has a million samples."""
    ahead, blocked, seen = _ahead(frame)
    parent, depth = _climbed(ahead)
    endless = blocked[parent] & seen[parent]
    circle = np.full(len(ahead), -1, dtype=np.int64)
    if endless.any():
        # So many steps ahead of all that lead into a circle stand just those that make it up: it is a turning of them.
        within = np.unique(parent[endless])
        first = np.full(len(ahead), -1, dtype=np.int64)
        first[within] = _first_of_circle(frame, ahead, within)
        cut = ahead.copy()
        cut[within] = within
        parent, depth = _climbed(cut)
        circle = first[parent]
    row = np.where(endless, CIRCLE, np.where(~blocked[parent], parent, NOT_SEEN))
    pid = np.where(row == NOT_SEEN, frame.blocker[parent], frame.pid[np.where(endless, circle, parent)])
    # The one not seen is a step further than the last that was.
    return Roots(row, pid, depth + (row == NOT_SEEN), circle)


def _ahead(frame: SessionFrame) -> tuple[Ints, npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """The row of who blocks each sample, its own without one; whether somebody does; and whether that one was sampled."""
    count = len(frame.pid)
    key = (frame.tick << _SHIFT) | (frame.pid & 0xFFFFFFFF)
    wanted = (frame.tick << _SHIFT) | (frame.blocker & 0xFFFFFFFF)
    at = np.minimum(np.searchsorted(key, wanted), max(count - 1, 0))
    blocked = frame.blocker != 0
    seen = blocked & (key[at] == wanted) if count else blocked
    return np.where(seen, at, np.arange(count, dtype=np.int64)), blocked, seen


def _climbed(ahead: Ints) -> tuple[Ints, Ints]:
    """Where one comes to by following `ahead` to its end, and in how many steps; those without an end go far."""
    parent, depth = ahead, (ahead != np.arange(len(ahead))).astype(np.int64)
    for _ in range(_MOST_JUMPS):
        further = parent[parent]
        if np.array_equal(further, parent):
            break
        depth = np.minimum(depth + depth[parent], len(ahead))
        parent = further
    return parent, depth


def _first_of_circle(frame: SessionFrame, ahead: Ints, within: Ints) -> Ints:
    """For each row that is part of a circle, the row of its smallest pid. Circles last a second: there are few."""
    first: dict[int, int] = {}
    for start in within.tolist():
        if start not in first:
            around = circle_from(ahead, start)
            smallest = min(around, key=lambda row: int(frame.pid[row]))
            first.update(dict.fromkeys(around, smallest))
    return np.array([first[row] for row in within.tolist()], dtype=np.int64)


def circle_from(ahead: Ints, start: int) -> list[int]:
    """The rows of a circle in the order in which each waits for the next."""
    around, at = [start], int(ahead[start])
    while at != start:
        around.append(at)
        at = int(ahead[at])
    return around


@dataclass(frozen=True, slots=True, kw_only=True)
class Episode:
    """One root and those behind it without a break, from the first tick to the last. `lost` counts sightings of waiters.

    `row` is a sample of the root in the frame, NOT_SEEN where it never was sampled; `worst` the tick with most waiters.
    `circle` holds the rows of those who wait for each other, each for the next, where there is no root: then `row` is
    CIRCLE, and the smallest pid of them stands for it.
    """

    pid: int
    started_s: int
    row: int
    first: int
    last: int
    lost: int
    most: int
    worst: int
    depth: int
    waiters: int
    circle: tuple[int, ...] = ()


def episodes(frame: SessionFrame, roots: Roots, waits: npt.NDArray[np.bool_], patience_ms: int = 3000) -> list[Episode]:
    """All chains over time, the one that cost most first; see `dearest`."""
    return dearest(frame, roots, waits, patience_ms, most=len(waits))[0]


def dearest(
    frame: SessionFrame, roots: Roots, waits: npt.NDArray[np.bool_], patience_ms: int, most: int
) -> tuple[list[Episode], int]:
    """So many chains over time, the ones that cost most first, and how many there are.

    `waits` (N,) marks samples that wait for a lock. A root that is not seen blocking for longer than `patience_ms` has ended its episode; blocking anew begins another.
    A circle is an episode of its own, until the server ends one of its parties.
    """
    waiting = np.flatnonzero(waits)
    if not len(waiting):
        return [], 0
    root, pid = roots.row[waiting], roots.pid[waiting]
    shown = np.where(root == CIRCLE, roots.circle[waiting], root)
    started = np.where(shown >= 0, frame.started_s[np.maximum(shown, 0)], 0)
    order = np.lexsort((frame.tick[waiting], root == CIRCLE, started, pid))
    waiting, root, pid, started = waiting[order], root[order], pid[order], started[order]
    tick = frame.tick[waiting]
    other = (np.diff(pid) != 0) | (np.diff(started) != 0) | (np.diff(root == CIRCLE) != 0)
    cut = np.flatnonzero(other | (np.diff(frame.tick_ms[tick]) > patience_ms)) + 1
    ahead = _ahead(frame)[0] if bool((root == CIRCLE).any()) else root
    begin, end = np.r_[0, cut], np.r_[cut, len(waiting)]
    chosen = np.lexsort((pid[begin], tick[begin], begin - end))[:most]
    found = [
        _episode(frame, roots, ahead, waiting[part], root[part], int(pid[part.start]), int(started[part.start]))
        for part in (slice(int(begin[i]), int(end[i])) for i in chosen.tolist())
    ]
    return found, len(begin)


def _episode(frame: SessionFrame, roots: Roots, ahead: Ints, rows: Ints, root: Ints, pid: int, started: int) -> Episode:
    ticks, counts = np.unique(frame.tick[rows], return_counts=True)
    seen = root[root >= 0]
    in_circle = bool(root[0] == CIRCLE)
    circle = circle_from(ahead, int(roots.circle[rows[-1]])) if in_circle else []
    return Episode(
        pid=pid,
        started_s=started,
        row=CIRCLE if in_circle else int(seen[-1]) if len(seen) else NOT_SEEN,
        first=int(ticks[0]),
        last=int(ticks[-1]),
        lost=len(rows),
        most=int(counts.max()),
        worst=int(ticks[np.argmax(counts)]),
        depth=int(roots.depth[rows].max()),
        waiters=len(np.unique((frame.pid[rows] << _SHIFT) | (frame.started_s[rows] & 0xFFFFFFFF))),
        circle=tuple(circle),
    )


def lost_by(roots: Roots, waits: npt.NDArray[np.bool_], group: Ints, unseen: int, circle: int) -> Ints:
    """Sightings of lock waits by a group of their root, shape (groups,). They add up to `waits.sum()`.

    `group` (N,) gives the group of each sample; `unseen` and `circle` are the groups of roots that no sample shows.
    """
    row = roots.row[waits]
    of = np.where(row >= 0, group[np.maximum(row, 0)], np.where(row == CIRCLE, circle, unseen))
    size = max(int(group.max(initial=0)), unseen, circle) + 1
    return np.bincount(of, minlength=size).astype(np.int64)
