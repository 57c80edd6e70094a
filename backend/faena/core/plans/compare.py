"""Two plans side by side: which step of one does the work of which step of the other, and what that changed."""

from collections.abc import Sequence
from dataclasses import dataclass

from faena.core.numbers import count
from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.tree import PlanTree, tree_of

NOTABLE_TIMES = 1.5  # between two times, below which they are called alike


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """Indices in pre-order; None where the other plan has no such step. `words` say how the two differ, if they do."""

    before: int | None
    after: int | None
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """`sentence` names what changed most and what that did to time and reads."""

    pairs: Sequence[Pair]
    sentence: str


def compare(before: Plan, after: Plan) -> Comparison:
    """Steps are matched by what they read or join: the relations below them, then their kind."""
    one, other = tree_of(before), tree_of(after)
    matched = _matched(one, other)
    pairs = [
        Pair(before=i, after=matched.get(i), words=_difference(one, i, other, matched.get(i)))
        for i in range(len(one.steps))
    ]
    taken = set(matched.values())
    pairs += [Pair(before=None, after=j, words="only in the second") for j in range(len(other.steps)) if j not in taken]
    return Comparison(pairs=pairs, sentence=_sentence(one, other, pairs))


@dataclass(frozen=True, slots=True, kw_only=True)
class Executed:
    """Captured executions that used a plan, and what they took on average in ms."""

    executions: int
    mean_ms: float


def executed_words(
    before: Executed | None, after: Executed | None, costs: tuple[float | None, float | None] = (None, None)
) -> str:
    """What the change of plan did to real executions; empty where they are not known of both plans.

    `costs` are the planner's of both plans: where it expected the opposite, that is said.
    """
    if before is None or after is None:
        return ""
    ratio = max(after.mean_ms, 1e-6) / max(before.mean_ms, 1e-6)
    words = "about the same"
    if ratio >= NOTABLE_TIMES:
        words = f"{ratio:.{0 if ratio >= 10 else 1}f} times as long"
    elif ratio <= 1 / NOTABLE_TIMES:
        words = f"{1 / ratio:.{0 if ratio <= 0.1 else 1}f} times quicker"
    told = (
        f"An execution took {_ms(before.mean_ms)} with the first plan and {_ms(after.mean_ms)} with the second, {words} "
        f"({count(before.executions)} and {count(after.executions)} captured)."
    )
    first, second = costs
    if first and second and ratio >= NOTABLE_TIMES and second < first:
        told += (
            f" The planner expected less (cost {first:.0f} became {second:.0f}), so its idea of how many rows match is "
            "wrong: look at the rows expected, and ANALYZE their table."
        )
    return told


def _relations(step: Step) -> frozenset[str]:
    """Aliases of all that is read at or below a step."""
    return frozenset(one.alias or one.table or one.index for _, one in walk(step) if one.table or one.index)


def _family(step: Step) -> str:
    kind = step.kind.removeprefix("Parallel ")
    for word in ("Scan", "Sort", "Aggregate", "Limit", "Gather", "Materialize", "Memoize", "Append", "Unique"):
        if word in kind:
            return word
    return "Join" if "Join" in kind or kind.startswith("Nested Loop") else kind


_Key = tuple[frozenset[str], str, str]  # relations below, kind, family


def _alike(a: _Key, b: _Key) -> bool:
    return a[0] == b[0] and a[1] == b[1]


def _kin(a: _Key, b: _Key) -> bool:
    return a[0] == b[0] and a[2] == b[2]


def _akin(a: _Key, b: _Key) -> bool:
    """Joins of which one reads all that the other does: the same join in another order."""
    return a[2] == b[2] and len(a[0]) > 1 and (a[0] <= b[0] or b[0] <= a[0])


def _matched(one: PlanTree, other: PlanTree) -> dict[int, int]:
    """Each step of the first to at most one of the second."""
    found: dict[int, int] = {}
    taken: set[int] = set()
    keys = [[(_relations(s), s.kind, _family(s)) for s in tree.steps] for tree in (one, other)]
    for same in (_alike, _kin, _akin):
        for i, mine in enumerate(keys[0]):
            if i in found:
                continue
            j = next((j for j, theirs in enumerate(keys[1]) if j not in taken and same(mine, theirs)), None)
            if j is not None:
                found[i] = j
                taken.add(j)
    return found


def _difference(one: PlanTree, i: int, other: PlanTree, j: int | None) -> str:
    if j is None:
        return "only in the first"
    a, b = one.steps[i], other.steps[j]
    words = []
    if a.kind != b.kind:
        words.append(f"{a.kind} became {b.kind}")
    if a.index != b.index and (a.index or b.index):
        words.append(f"index {a.index or 'none'} became {b.index or 'none'}")
    mine, theirs = one.own(a), other.own(b)
    if mine is not None and theirs is not None and max(mine, theirs) >= 1.0:
        ratio = max(mine, 0.01) / max(theirs, 0.01)
        if ratio >= NOTABLE_TIMES:
            words.append(f"own time {_ms(mine)} became {_ms(theirs)}, {ratio:.1f} times less")
        elif ratio <= 1 / NOTABLE_TIMES:
            words.append(f"own time {_ms(mine)} became {_ms(theirs)}, {1 / ratio:.1f} times more")
    return "; ".join(words)


def _ms(value: float) -> str:
    return f"{value / 1000:.3g} s" if value >= 1000 else f"{value:.3g} ms"


def _sentence(one: PlanTree, other: PlanTree, pairs: Sequence[Pair]) -> str:
    changed = [p for p in pairs if p.words and p.before is not None and p.after is not None]
    kinds = [p for p in changed if "became" in p.words and "own time" not in p.words.split(";")[0]]

    def gain(pair: Pair) -> float:
        assert pair.before is not None
        assert pair.after is not None
        return abs((one.own(one.steps[pair.before]) or 0.0) - (other.own(other.steps[pair.after]) or 0.0))

    main = max(kinds or changed, key=gain, default=None)
    what = "The two plans have the same steps"
    if main is not None and main.before is not None:
        step = one.steps[main.before]
        what = f"{step.target or step.kind}: {main.words.split('; own time')[0]}"
    elif any(p.before is None or p.after is None for p in pairs):
        what = "The two plans have other steps"
    return f"{what}{_totals(one, other)}."


def _totals(one: PlanTree, other: PlanTree) -> str:
    if not one.total_ms or not other.total_ms:
        costs = one.plan.root.cost_total, other.plan.root.cost_total
        return "" if None in costs else f"; estimated cost {costs[0]:.0f} became {costs[1]:.0f}"
    ratio = one.total_ms / other.total_ms
    words = (
        f"{ratio:.1f} times less"
        if ratio >= 1.05
        else f"{1 / ratio:.1f} times more"
        if ratio <= 0.95
        else "about the same"
    )
    reads = [
        tree.plan.root.blocks.read + tree.plan.root.blocks.hit if tree.plan.root.blocks else None
        for tree in (one, other)
    ]
    blocks = "" if None in reads else f", blocks touched {reads[0]} became {reads[1]}"
    return f"; {_ms(one.total_ms)} became {_ms(other.total_ms)}, {words}{blocks}"
