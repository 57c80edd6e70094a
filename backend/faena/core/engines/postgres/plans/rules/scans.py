"""What rules about scans share: how much was read in vain, and whether it is worth a word."""

from collections.abc import Iterator
from typing import NamedTuple

from faena.core.engines.postgres.plans.predicates import (
    alternatives,
    function_on_column,
    implicit_cast,
    leading_wildcard,
    predicates,
)
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree

THROWN_AWAY = 0.9  # share of rows read and not wanted from which a scan is suspected


ROWS_PER_COST = 4.0  # a scan costs 1 for a page and 0.0125 a row: so many rows at least, unless they fill pages alone


WORTH_MS = 1.0  # a scan quicker than this is right as it is, however small its share of rows


class Waste(NamedTuple):
    """A sequential scan that reads much and finds little, both in words, and the time at stake.

    Of partitions that are all scanned for the same it is the one that costs most, and the figures are of all together.
    """

    step: Step
    reads: str
    wasted: str
    ms: float | None
    parts: int


def wasteful(tree: PlanTree) -> Iterator[Waste]:
    """All of a plan. One scan of many partitions alike costs little, and all of them together may cost most of it."""
    told: dict[tuple[int, str], list[Step]] = {}
    for step in tree.steps:
        if step.kind.endswith("Seq Scan") and ("Filter" in step.conditions or step.removed_filter):
            above = tree.parent(step)
            together = above is not None and above.kind.endswith("Append")
            told.setdefault((id(above if together else step), _filter(step)), []).append(step)
    for alike in told.values():
        if waste := _foreseen(tree, alike) if tree.estimated else _measured(tree, alike):
            yield waste


def _filter(step: Step) -> str:
    return step.conditions.get("Filter", "")


def _measured(tree: PlanTree, alike: list[Step]) -> Waste | None:
    run = [(one, one.actual.loops) for one in alike if one.actual is not None]
    if not run:
        return None
    removed = sum(one.removed_filter * loops for one, loops in run)
    read = removed + sum(one.rows or 0.0 for one, _ in run)
    timed = [tree.own(one) for one, _ in run]
    own = None if None in timed else sum(filter(None, timed))
    quick = own is not None and own < WORTH_MS
    if removed < MANY_ROWS or removed < THROWN_AWAY * read or quick or not tree.notable(own):
        return None
    step, loops = max(run, key=lambda one: (tree.own(one[0]) or 0.0, one[0].removed_filter))
    again = f", {count(loops)} times" if loops > 1 and not step.parallel else ""
    return Waste(
        step,
        f"reads {count(read)} rows of {_with_partitions(step, len(run))}{again} and filters {count(removed)} out",
        f"{count(removed)} rows are filtered out",
        own,
        len(run),
    )


def _with_partitions(step: Step, scans: int) -> str:
    return step.target if scans == 1 else f"{step.table} and {scans - 1} more partition{'s' if scans > 2 else ''}"


def _foreseen(tree: PlanTree, alike: list[Step]) -> Waste | None:
    """What an estimate says of a scan. How many rows it reads is not told, but its cost bounds them from below."""
    step = max(alike, key=lambda one: one.cost_total or 0.0)
    cost, planned = sum(one.cost_total or 0.0 for one in alike), [one.rows_planned for one in alike]
    found = None if None in planned else sum(filter(None, planned))
    limit = next((one for one in tree.above(step) if one.kind == "Limit"), None)
    stops = limit is not None and (limit.cost_total or 0.0) < cost / 2
    if found is None or stops or cost < FORESEEN_COST or found > (1 - THROWN_AWAY) * ROWS_PER_COST * cost:
        return None
    told = f"would read all of {_with_partitions(step, len(alike))} at a cost of {count(cost)} to find {count(found)} row{'' if found == 1 else 's'}"
    return Waste(step, f"{told}, by the estimate", f"it {told}, by the estimate", None, len(alike))


def spoken_of(condition: str) -> bool:
    """Whether one of the rules below says what is wrong with a condition; else `large_discard` reports the figures alone."""
    alternative = {one.column for part in alternatives(condition) for one in predicates(part)}
    return bool(
        function_on_column(condition)
        or implicit_cast(condition)
        or leading_wildcard(condition)
        or len(alternative) > 1
        or (not alternatives(condition) and predicates(condition))
    )
