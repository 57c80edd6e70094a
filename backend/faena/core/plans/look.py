"""A plan as the rules look at it, and what a rule finds."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TypeAlias

from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.times import StepTime, step_times

MANY_ROWS = 1000  # below it no rule about rows speaks: whatever it is, it is quick
FORESEEN_COST = 500.0  # in the planner's units, below which nothing is said about an estimate: it is quick
NOTABLE_SHARE = 0.05  # of the time, below which a suspicion is not worth a line


class Suspicion(StrEnum):
    """The value is the word in the API and the glossary."""

    MISSING_INDEX = "missing_index"
    LARGE_DISCARD = "large_discard"
    INDEX_DISCARD = "index_discard"
    JOIN_DISCARD = "join_discard"
    TOP_N = "top_n"
    BAD_ESTIMATE = "bad_estimate"
    STALE_STATS = "stale_stats"
    SORT_SPILL = "sort_spill"
    HASH_SPILL = "hash_spill"
    NESTED_LOOP_BLOWUP = "nested_loop_blowup"
    FUNCTION_ON_COLUMN = "function_on_column"
    IMPLICIT_CAST = "implicit_cast"
    LEADING_WILDCARD = "leading_wildcard"
    OR_PREDICATE = "or_predicate"
    OFFSET_PAGING = "offset_paging"
    LIMIT_BAD_INDEX_CHOICE = "limit_bad_index_choice"
    CARTESIAN_JOIN = "cartesian_join"
    REPEATED_SUBPLAN = "cte_or_subplan_repeated"
    LOSSY_BITMAP = "lossy_bitmap"
    INDEX_ONLY_HEAP_FETCHES = "index_only_heap_fetches"
    PARTITION_PRUNED_FAIL = "partition_pruned_fail"
    PARALLEL_NOT_STARTED = "parallel_not_started"
    JIT_OVERHEAD = "jit_overhead"
    TRIGGER_TIME = "trigger_time"
    HEALTHY = "healthy"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """`step` is its index in pre-order, None for the plan as a whole; `at_stake_ms` None when the plan was not run."""

    code: Suspicion
    step: int | None
    at_stake_ms: float | None
    share: float | None
    sentence: str
    next_step: str


@dataclass(frozen=True, slots=True)
class Look:
    """A plan with what every rule needs of it."""

    plan: Plan
    times: Mapping[int, StepTime]
    steps: Sequence[Step]
    parents: Mapping[int, Step]
    total_ms: float | None
    _index: dict[int, int] = field(default_factory=dict)

    @property
    def estimated(self) -> bool:
        """Whether the plan was only made, so that costs and expected rows are all there is."""
        return not self.plan.analysed

    def index(self, step: Step) -> int:
        if not self._index:
            self._index.update({id(one): i for i, one in enumerate(self.steps)})
        return self._index[id(step)]

    def own(self, step: Step) -> float | None:
        return self.times[id(step)].own_ms

    def whole(self, step: Step) -> float | None:
        return self.times[id(step)].whole_ms

    def parent(self, step: Step) -> Step | None:
        return self.parents.get(id(step))

    def above(self, step: Step) -> Iterator[Step]:
        found = self.parent(step)
        while found is not None:
            yield found
            found = self.parent(found)

    def notable(self, ms: float | None) -> bool:
        """Whether some time is worth a line; always when nothing was timed."""
        return ms is None or not self.total_ms or ms >= NOTABLE_SHARE * self.total_ms

    def finding(self, code: Suspicion, step: Step | None, ms: float | None, sentence: str, next_step: str) -> Finding:
        share = None if ms is None or not self.total_ms else min(1.0, ms / self.total_ms)
        at = None if step is None else self.index(step)
        return Finding(code=code, step=at, at_stake_ms=ms, share=share, sentence=sentence, next_step=next_step)


def look_at(plan: Plan) -> Look:
    steps = [step for _, step in walk(plan.root)]
    parents = {id(child): step for step in steps for child in step.children}
    times = step_times(plan)
    whole = times[id(plan.root)].whole_ms
    return Look(plan, times, steps, parents, plan.execution_ms or whole)


def count(value: float) -> str:
    """A number in a sentence: three figures and a letter where it is large."""
    for size, word in ((1e9, " G"), (1e6, " M"), (1e4, " k")):
        if value >= size:
            return f"{value / (size if word != ' k' else 1000):.3g}{word}"
    return f"{value:,.0f}".replace(",", " ")


def off(step: Step) -> float:
    """How many times more (above 1) or fewer (below) rows came than were expected, for one loop."""
    if step.actual is None or step.rows_planned is None:
        return 1.0
    return max(step.actual.rows, 1.0) / max(step.rows_planned, 1.0)


Rule: TypeAlias = Callable[[Look], Iterator[Finding]]  # never changes the plan, never raises on an odd one
