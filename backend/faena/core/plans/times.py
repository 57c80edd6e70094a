"""Where the time went: wall time of each step, with loops, parallel workers, subplans and CTEs put where they belong."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from faena.core.plans.model import Blocks, Plan, Step, walk

GATHERS = ("Gather", "Gather Merge")


@dataclass(frozen=True, slots=True, kw_only=True)
class StepTime:
    """`whole_ms` of wall time with all below it, `own_ms` without. None where timing was off or the plan was not run."""

    whole_ms: float | None
    own_ms: float | None


def step_times(plan: Plan) -> dict[int, StepTime]:
    """By id() of each step of the plan.

    PostgreSQL tells the mean time of one loop. Under a Gather the loops of all processes are counted together though they
    run side by side, so wall time is the mean times loops over processes. A subtree that hangs at one step and runs inside
    another (a CTE, an InitPlan) counts where it runs.
    """
    whole, parents = _whole(plan.root)
    borne = _borne_elsewhere(plan.root, parents, whole)
    found: dict[int, StepTime] = {}
    for _, step in walk(plan.root):
        mine = whole[id(step)]
        if mine is None:
            found[id(step)] = StepTime(whole_ms=None, own_ms=None)
            continue
        inside = sum(whole[id(child)] or 0.0 for child in step.children if id(child) not in borne.moved)
        inside += borne.added.get(id(step), 0.0)
        found[id(step)] = StepTime(whole_ms=mine, own_ms=max(0.0, mine - inside))
    return found


def own_blocks(plan: Plan) -> dict[int, Blocks]:
    """What each step touched itself, by id(): servers tell it with all below it. Steps of which nothing is told are left out.

    A subtree that runs inside another step counts there, as its time does.
    """
    whole, parents = _whole(plan.root)
    borne = _borne_elsewhere(plan.root, parents, whole)
    added: dict[int, list[Blocks]] = {}
    for bearer, moved in borne.bearers:
        if moved.blocks is not None:
            added.setdefault(id(bearer), []).append(moved.blocks)
    found = {}
    for _, step in walk(plan.root):
        if step.blocks is None:
            continue
        inside = [one.blocks for one in step.children if one.blocks is not None and id(one) not in borne.moved]
        found[id(step)] = _without(step.blocks, [*inside, *added.get(id(step), ())])
    return found


def _without(blocks: Blocks, inside: Sequence[Blocks]) -> Blocks:
    """Never below nothing: where a subtree ran in several steps, what is taken off from each is too much for some."""

    def left(name: str) -> int:
        return max(0, int(getattr(blocks, name)) - sum(int(getattr(one, name)) for one in inside))

    def time_left(name: str) -> float | None:
        told = getattr(blocks, name)
        return None if told is None else max(0.0, told - sum(getattr(one, name) or 0.0 for one in inside))

    return Blocks(
        left("hit"), left("read"), left("dirtied"), left("written"), left("temp_read"), left("temp_written"),
        time_left("read_ms"), time_left("write_ms"),
    )  # fmt: skip


def _whole(root: Step) -> tuple[dict[int, float | None], dict[int, Step]]:
    """Wall time of each step with all below it, and each step's parent."""
    whole: dict[int, float | None] = {}
    parents: dict[int, Step] = {}
    stack: list[tuple[Step, float, bool]] = [(root, 1.0, False)]
    while stack:
        step, processes, shared = stack.pop()
        actual = step.actual
        if step.never or (actual is not None and actual.loops == 0):
            whole[id(step)] = 0.0
        elif actual is None or actual.total_ms is None:
            whole[id(step)] = None
        else:
            # A step below a Gather that ran in one process only has fewer loops than there are processes; below a
            # Parallel Append the others ran its siblings meanwhile.
            side_by_side = processes if shared else min(processes, max(actual.loops, 1.0))
            whole[id(step)] = actual.total_ms * actual.loops / side_by_side
        below = processes
        if step.kind in GATHERS:
            # Workers and, unless it was kept from it, the leader.
            below = (step.workers_launched or 0) + 1.0
            if step.children and step.children[0].actual is not None and step.workers_launched:
                below = min(below, max(1.0, step.children[0].actual.loops))  # the leader was kept from it
        within = shared or step.kind == "Parallel Append"
        for child in step.children:
            parents[id(child)] = step
            alone = child.relation == "InitPlan"
            stack.append((child, 1.0 if alone else below, within and not alone))
    return whole, parents


@dataclass(frozen=True, slots=True)
class _Borne:
    """Subtrees whose time lies in another step than the one they hang at, and how much of it lies in which."""

    moved: set[int]
    added: dict[int, float]
    bearers: list[tuple[Step, Step]]  # (step in which most of it lies, subtree)


def _borne_elsewhere(root: Step, parents: Mapping[int, Step], whole: Mapping[int, float | None]) -> _Borne:
    moved: set[int] = set()
    added: dict[int, float] = {}
    bearers: list[tuple[Step, Step]] = []
    steps = [step for _, step in walk(root)]
    for step in steps:
        if step.relation != "InitPlan" or id(step) not in parents:
            continue
        if step.label.startswith("CTE "):
            name = step.label.removeprefix("CTE ").strip()
            users = [one for one in steps if "CTE Scan" in one.kind and one.table == name]
        else:
            users = [one for one in _below(parents[id(step)]) if _mentions(one, step.label)]
        users = [one for one in users if (whole[id(one)] or 0.0) > 0]
        cost = whole[id(step)] or 0.0
        if not users:
            # Nobody is seen using it: a data-changing CTE runs by itself, others count where they hang.
            continue
        moved.add(id(step))
        total = sum(whole[id(one)] or 0.0 for one in users)
        for one in users:
            bearer = _bearer(one, parents[id(step)], parents)
            added[id(bearer)] = added.get(id(bearer), 0.0) + cost * (whole[id(one)] or 0.0) / total
        most = max(users, key=lambda one: whole[id(one)] or 0.0)
        bearers.append((_bearer(most, parents[id(step)], parents), step))
    return _Borne(moved, added, bearers)


def _bearer(user: Step, top: Step, parents: Mapping[int, Step]) -> Step:
    """Where the time lies that a value took: a Gather has it worked out once, before the processes below begin."""
    found, at = user, user
    while at is not top and id(at) in parents:
        at = parents[id(at)]
        if at.kind in GATHERS:
            found = at
    return found


def _below(step: Step) -> list[Step]:
    return [one for _, one in walk(step)]


def _mentions(step: Step, label: str) -> bool:
    """Whether a step's conditions use what an InitPlan returned: $0 before 17, (InitPlan 1).col1 since."""
    numbers = re.findall(r"\$\d+", label)
    name = re.match(r"InitPlan \d+", label)
    words = " ".join(step.conditions.values())
    return any(re.search(re.escape(one) + r"(?!\d)", words) for one in numbers) or bool(
        name and f"({name[0]})" in words
    )
