"""Why a total of time changed between two windows, as parts that add up.

The total is the sum over statements of calls times cost per call. With N calls in all, shares p and costs c, and the mean
of both windows written with a bar, a product's change is D(xy) = Dx*ybar + xbar*Dy, exactly. Applied twice:

    volume = DN * sum(pbar*cbar)      more or fewer calls of everything
    mix    = Nbar * sum(Dp*cbar)      other statements than before
    cost   = sum(Dc * nbar)           the same statements, dearer or cheaper

(the midpoint form of index decomposition, as by Marshall and Edgeworth, which treats both windows alike). A statement
without calls in a window costs there what it costs in the other, so that what is new or gone is mix and not cost.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from faena.core.statements.figures import Effort
from faena.core.units import QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementPart:
    """One statement's share of the change; `by_calls + by_cost` is all of it. Costs are None without calls."""

    query_id: QueryId
    before_calls: float
    after_calls: float
    before_cost: float | None
    after_cost: float | None
    by_calls: float
    by_cost: float

    @property
    def change(self) -> float:
        return self.by_calls + self.by_cost


@dataclass(frozen=True, slots=True, kw_only=True)
class CauseSplit:
    """`before + volume + mix + cost == after`, per second. `parts`: the largest change first, either way.

    Read time likewise: `reads_before + by_count + by_latency == reads_after`; zero where the server does not time reads.
    """

    before: float
    after: float
    volume: float
    mix: float
    cost: float
    parts: Sequence[StatementPart]
    reads_before: float
    reads_after: float
    by_count: float
    by_latency: float

    @property
    def change(self) -> float:
        return self.after - self.before


def cause_split(
    before: Mapping[QueryId, Effort], after: Mapping[QueryId, Effort], before_s: float, after_s: float
) -> CauseSplit:
    """Rates, so that windows of different length compare. `before_s` and `after_s` are the seconds that were counted.

    Raises ValueError when one of them is not above zero.
    """
    if before_s <= 0 or after_s <= 0:
        raise ValueError("a window in which nothing was counted cannot be compared")
    earlier, later = _rates(before, before_s), _rates(after, after_s)
    parts = [_part(i, earlier.get(i, _NONE), later.get(i, _NONE)) for i in {**earlier, **later}]
    n0, n1 = (sum(rate.calls for rate in rates.values()) for rates in (earlier, later))
    volume = mix = 0.0
    for part in parts:
        cost = _mean(part.before_cost, part.after_cost)
        p0, p1 = (part.before_calls / n0 if n0 else 0.0), (part.after_calls / n1 if n1 else 0.0)
        if not n0 or not n1:  # all is new, or all is gone: there is no mix to speak of
            volume += part.by_calls
            continue
        volume += (n1 - n0) * (p0 + p1) / 2 * cost
        mix += (n0 + n1) / 2 * (p1 - p0) * cost
    reads0, reads1 = (_reads(rates) for rates in (earlier, later))
    by_count, by_latency = _product(reads0, reads1)
    return CauseSplit(
        before=sum(rate.ms for rate in earlier.values()),
        after=sum(rate.ms for rate in later.values()),
        volume=volume,
        mix=mix,
        cost=sum(part.by_cost for part in parts),
        parts=sorted(parts, key=lambda part: (-abs(part.change), part.query_id)),
        reads_before=sum(rate.read_ms for rate in earlier.values()),
        reads_after=sum(rate.read_ms for rate in later.values()),
        by_count=by_count,
        by_latency=by_latency,
    )


@dataclass(frozen=True, slots=True)
class _Rate:
    """Per second: calls, milliseconds, blocks read, milliseconds of reading."""

    calls: float = 0.0
    ms: float = 0.0
    reads: float = 0.0
    read_ms: float = 0.0


_NONE = _Rate()


def _rates(efforts: Mapping[QueryId, Effort], seconds: float) -> Mapping[QueryId, _Rate]:
    return {
        query_id: _Rate(calls / seconds, ms / seconds, reads / seconds, read_ms / seconds)
        for query_id, (calls, ms, reads, read_ms) in efforts.items()
        if calls > 0
    }


def _part(query_id: QueryId, before: _Rate, after: _Rate) -> StatementPart:
    by_calls, by_cost = _product((before.calls, before.ms), (after.calls, after.ms))
    return StatementPart(
        query_id=query_id,
        before_calls=before.calls,
        after_calls=after.calls,
        before_cost=before.ms / before.calls if before.calls else None,
        after_cost=after.ms / after.calls if after.calls else None,
        by_calls=by_calls,
        by_cost=by_cost,
    )


def _product(before: tuple[float, float], after: tuple[float, float]) -> tuple[float, float]:
    """(count, total) twice: how much of the total's change is due to the count, and how much to the cost of each."""
    (n0, t0), (n1, t1) = before, after
    if not n0 or not n1:
        return t1 - t0, 0.0
    c0, c1 = t0 / n0, t1 / n1
    return (n1 - n0) * (c0 + c1) / 2, (c1 - c0) * (n0 + n1) / 2


def _mean(one: float | None, other: float | None) -> float:
    """Of both; of the one there is; 0 of none."""
    there = [value for value in (one, other) if value is not None]
    return sum(there) / len(there) if there else 0.0


def _reads(rates: Mapping[QueryId, _Rate]) -> tuple[float, float]:
    return sum(rate.reads for rate in rates.values()), sum(rate.read_ms for rate in rates.values())


SAME = 0.05  # of the total: less of a change is none
MOVED = 0.2  # of the total that went up and down within it, from which it is worth a word


def sentence(split: CauseSplit, name: str, times: str) -> str:
    """`name` of the statement with the largest part; `times` are words for the other window ("than a day before")."""
    change = split.change
    if split.before <= 0:
        return f"Nothing ran in the other window, so all of {_ms(split.after)} is new."
    if split.after <= 0:
        return f"Nothing ran in this window; {_ms(split.before)} were spent {times}."
    first = split.parts[0]
    its = f"{name} ({_why(first)})"
    if abs(change) < SAME * split.before:
        total = (
            f"Time in statements is about the same {times}: {_ms(split.after)}, {split.after / split.before:.2f} times"
        )
        if sum(abs(part.change) for part in split.parts) < MOVED * split.before:
            return f"{total}."
        more, less = (sum(abs(part.change) for part in split.parts if part.change * sign > 0) for sign in (1, -1))
        return f"{total}. But not what makes it up: {_ms(more)} more and {_ms(less)} less, most of it by {its}."
    by = {"calls": split.volume + split.mix, "cost": split.cost}
    main = max(by, key=lambda key: by[key] / change)
    other = "cost" if main == "calls" else "calls"
    ratio = f"Time in statements is {split.after / split.before:.2g} times what it was {times}"
    if by[other] * change >= -SAME * change * change:  # the two work the same way, or the other not at all
        told = f"{_part_of(by[main] / change)} of the difference is {_words(split, main, by[main])}"
    else:
        told = f"{_ms(abs(by[main]))} {_way(by[main])} by {_words(split, main, by[main])}, {_ms(abs(by[other]))} {_way(by[other])} by {_words(split, other, by[other])}"
    part = first.change / change
    share = (
        f"{_part_of(part).capitalize()} of it is {its}"
        if 0 < part <= 1.05
        else f"{_ms(abs(first.change))} {_way(first.change)} is {its}"
    )
    return f"{ratio}: {told}. {share}."


def _words(split: CauseSplit, key: str, by: float) -> str:
    """What a part of the change is. Of calls: their number or which they are, but not if those two cancel each other."""
    if key == "cost":
        return "dearer calls" if by > 0 else "cheaper calls"
    alike = split.volume * split.mix >= 0
    if alike and abs(split.mix) > abs(split.volume):
        return "other statements than before"
    return "more calls" if by > 0 else "fewer calls"


def _why(part: StatementPart) -> str:
    """Which of the two moved a statement's time most, and which way."""
    by_calls = abs(part.by_calls) >= abs(part.by_cost)
    if by_calls:
        return "called more often" if part.by_calls > 0 else "called less often"
    return "each call is dearer" if part.by_cost > 0 else "each call is cheaper"


def _ms(per_second: float) -> str:
    return f"{per_second:.3g} ms a second"


def _way(value: float) -> str:
    return "more" if value > 0 else "less"


def _part_of(share: float) -> str:
    return "all" if share > 0.95 else f"{share:.0%}"
