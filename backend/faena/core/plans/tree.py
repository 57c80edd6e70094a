"""A plan with what every reader of it needs: where each step stands, what is above it, and how long it took."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.times import StepTime, step_times

MANY_ROWS = 1000  # below it no rule about rows speaks: whatever it is, it is quick
FORESEEN_COST = 500.0  # in the planner's units, below which nothing is said about an estimate: it is quick
NOTABLE_SHARE = 0.05  # of the time, below which a suspicion is not worth a line


@dataclass(frozen=True, slots=True)
class PlanTree:
    """A plan, its steps in pre-order, and their times and parents by the identity of a step."""

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


def tree_of(plan: Plan) -> PlanTree:
    steps = [step for _, step in walk(plan.root)]
    parents = {id(child): step for step in steps for child in step.children}
    times = step_times(plan)
    whole = times[id(plan.root)].whole_ms
    return PlanTree(plan, times, steps, parents, plan.execution_ms or whole)


def off(step: Step) -> float:
    """How many times more (above 1) or fewer (below) rows came than were expected, for one loop."""
    if step.actual is None or step.rows_planned is None:
        return 1.0
    return max(step.actual.rows, 1.0) / max(step.rows_planned, 1.0)
