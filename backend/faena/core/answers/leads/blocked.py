"""Sessions that waited for others, put together by whoever was at the root: what the rules about locks look at."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.answers.leads.claim import Flags, Step
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import figure, quoted, took
from faena.core.findings import Reference
from faena.core.locks.history import CIRCLE, Episode, episodes
from faena.core.readings import PREPARED, LockEdge
from faena.core.sampling.dimensions import Combination, Dimension
from faena.core.units import QueryId

Ints = npt.NDArray[np.int64]
LONG_MS = 800  # who has waited for less may be served any moment: short waits are how locks work
LEAST_BLOCKED = 0.15  # mean sessions that waited for long, below which nobody need look
CROWD, CROWD_SHARE = 3.2, 0.4  # mean sessions that wait, and part of the load: then short waits harm as well
PATIENCE_MS = 3000
SAME_MS = 100  # two ages that lead to the same beginning, but for rounding
SHORT_ROOT_MS = 2000  # a root that blocks for less is one of many in a queue


@dataclass(frozen=True, slots=True, kw_only=True)
class Blockage:
    """One root and all samples that waited behind it. `facts` are the locks that those directly behind it wait for.

    `rows` are those samples, of `samples` in all. `root` None: it was not sampled.
    """

    episode: Episode
    rows: Ints
    samples: int
    root: Combination | None
    idle: bool
    open_ms: int  # age of the root's transaction when it was oldest, -1 unknown
    held_ms: float  # for how long one transaction of the root stood there without a break, at most
    facts: Sequence[LockEdge]

    @property
    def mask(self) -> Flags:
        """(N,) the samples that waited behind it."""
        found: Flags = np.zeros(self.samples, dtype=np.bool_)
        found[self.rows] = True
        return found

    @property
    def query_id(self) -> QueryId | None:
        return self.root.query_id if self.root else None

    @property
    def is_short(self) -> bool:
        """Whether no transaction of its session blocked others for long, however often it did."""
        return self.held_ms < SHORT_ROOT_MS

    @property
    def circle(self) -> bool:
        return self.episode.row == CIRCLE


def blockages(seen: Observed) -> list[Blockage]:
    """Roots that anybody waited for long behind, the one that cost most first."""
    if "blockages" not in seen.memo:
        seen.memo["blockages"] = _blockages(seen)
    return seen.memo["blockages"]  # type: ignore[return-value]


def _blockages(seen: Observed) -> list[Blockage]:
    waits = seen.blocked
    if not waits.any():
        return []
    frame, roots = seen.frame, seen.roots
    found = []
    for one in episodes(frame, roots, waits, max(PATIENCE_MS, round(3000 * seen.tick_s))):
        span = _span(seen, one)
        rows = span.start + np.flatnonzero(waits[span] & (roots.pid[span] == one.pid))
        row = one.row if one.row >= 0 else None
        combination = seen.who(row) if row is not None else None
        found.append(
            Blockage(
                episode=one,
                rows=rows,
                samples=len(waits),
                root=combination,
                idle=combination is not None and not combination.active,
                open_ms=_open_ms(seen, one) if row is not None else -1,
                held_ms=_held_ms(seen, one, rows),
                facts=_facts(seen, one),
            )
        )
    return found


def _span(seen: Observed, one: Episode) -> slice:
    """The samples of its ticks, which lie side by side: a window with a thousand short episodes is not read a thousand times."""
    first, last = np.searchsorted(seen.frame.tick, (one.first, one.last + 1)).tolist()
    return slice(first, last)


def _own(seen: Observed, one: Episode) -> Ints:
    """The samples of the root itself."""
    frame, span = seen.frame, _span(seen, one)
    own = (frame.pid[span] == one.pid) & (frame.started_s[span] == one.started_s)
    found: Ints = span.start + np.flatnonzero(own)
    return found


def _open_ms(seen: Observed, one: Episode) -> int:
    """The age of the root's transaction when it was oldest: a session that blocks again by a fresh one is younger."""
    return int(seen.frame.transaction_ms[_own(seen, one)].max(initial=-1))


def _held_ms(seen: Observed, one: Episode, rows: Ints) -> float:
    """The longest time in which the same transaction stood at the root at each tick.

    A session that waits in line itself is at the root for a moment only, though its transaction may be old by then.
    """
    frame, own = seen.frame, _own(seen, one)
    ticks = np.unique(frame.tick[rows])
    begins = frame.tick_ms[frame.tick[own]] - frame.transaction_ms[own]
    begun = dict(zip(frame.tick[own].tolist(), begins.tolist(), strict=True))
    longest, since, before = 0.0, 0, -2
    for tick in ticks.tolist():
        same = tick == before + 1 and abs(begun.get(tick, 0) - begun.get(before, 0)) <= SAME_MS
        since = since if same else tick
        longest, before = max(longest, (tick - since + 1) * seen.tick_s * 1000), tick
    return longest


def _facts(seen: Observed, one: Episode) -> list[LockEdge]:
    """Locks that the root itself stands in the way of, at the tick with most waiters, or at any other."""
    for tick in (one.worst, *range(one.first, one.last + 1)):
        found = [edge for edge in seen.edges.get(tick, ()) if edge.blocker == one.pid and edge.fact.lock_type]
        if found:
            return found
    return []


def waited_long(seen: Observed, mask: Flags) -> Flags:
    """Of samples that wait for others, those whose statement is under way for long."""
    found: Flags = mask & (seen.frame.statement_ms >= LONG_MS)
    return found


def harms(seen: Observed, mask: Flags) -> bool:
    """Whether so much is waited for so long that somebody should look: or so many wait at once that little gets done."""
    crowd = seen.mean(mask) >= CROWD and seen.share(mask) >= CROWD_SHARE
    return crowd or seen.mean(waited_long(seen, mask)) >= LEAST_BLOCKED


def blocks_for_long(seen: Observed, one: Blockage) -> bool:
    """Whether one transaction stands in others' way for so long that somebody should look.

    However short each wait is: those who wait may give up after a lock_timeout, and come again.
    """
    steady = one.held_ms >= 2 * SHORT_ROOT_MS and seen.mean(one.mask) >= LEAST_BLOCKED
    return not one.is_short and (steady or harms(seen, one.mask))


def table_of(facts: Sequence[LockEdge]) -> str:
    """The table that most of them are about."""
    return _most(edge.fact.table for edge in facts if edge.fact.table)


def object_of(facts: Sequence[LockEdge]) -> str:
    """What most of them wait for, in words."""
    return _most(edge.fact.object for edge in facts)


def held(facts: Sequence[LockEdge]) -> str:
    """What the root holds, as a sentence ends with it: "a row of deck_slot"; "" where it is not known."""
    on, table = object_of(facts), table_of(facts)
    words = f"a {on}" if on.startswith("row of ") else on
    return f"{words} of {table}" if words and table and table not in words else words


def _most(words: object) -> str:
    counted = Counter(words)  # type: ignore[call-overload]
    return str(counted.most_common(1)[0][0]) if counted else ""


def symptom(seen: Observed, mask: Flags) -> Step:
    """Who waited, how many and on what: the first link of a chain of locks."""
    programs = seen.ranked(Dimension.PROGRAM, mask)
    statements = seen.statements(mask)
    at_most = int(np.bincount(seen.frame.tick[mask]).max())
    lost = float(mask.sum()) * seen.tick_s
    more = len(programs) - 1
    others = f" and {more} other {'program' if more == 1 else 'programs'}" if more else ""
    of = f"{programs[0][0]}{others}"
    what = f", most in {quoted(seen.text(statements[0][0]))}" if statements else ""
    longest = int(seen.frame.statement_ms[mask].max())
    return Step(
        f"Up to {at_most} {'session' if at_most == 1 else 'sessions'} of {of} waited for other sessions, "
        f"{took(lost * 1000)} in all, the longest for {took(longest)}{what}.",
        Reference("blocking"),
    )


def middle(seen: Observed, one: Blockage) -> list[Step]:
    """Those between the waiters and the root, where the chain is deeper than one."""
    if one.episode.depth < 2:
        return []
    frame, roots = seen.frame, seen.roots
    direct = one.mask & (roots.depth == 1)
    deeper = one.mask & (roots.depth > 1)
    programs = seen.ranked(Dimension.PROGRAM, direct)
    if not programs or not deeper.any():
        return []
    statements = seen.statements(direct)
    pids = np.unique(frame.pid[direct])
    who = f"pid {int(pids[0])} of {programs[0][0]}" if len(pids) == 1 else f"{len(pids)} sessions of {programs[0][0]}"
    what = f" with {quoted(seen.text(statements[0][0]))}" if statements else ""
    behind = f"{figure(seen.mean(deeper))} sessions on average"
    return [Step(f"{behind} stood behind {who}{what}, which waited itself.", Reference("blocking"))]


def holder(one: Blockage) -> str:
    """Who is at the root, for a sentence."""
    if one.episode.pid == PREPARED:
        names = [edge.fact.gid for edge in one.facts if edge.fact.gid]
        return f"the prepared transaction {names[0]}" if names else "a prepared transaction"
    if one.root is None:
        return f"pid {one.episode.pid}, which was not sampled"
    return f"pid {one.episode.pid} of {one.root.program or one.root.user}"
