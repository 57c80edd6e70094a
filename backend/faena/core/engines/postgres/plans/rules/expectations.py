"""Rows that came against rows that were expected."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import predicates
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import MANY_ROWS, PlanTree, off

OFF_FACTOR = 10.0  # between rows expected and found
STALE_FACTOR = 3.0  # the same for a table read without any condition: its size itself is wrong


def stopped_early(tree: PlanTree, step: Step) -> bool:
    """Where fewer rows than expected are no error, since nobody asked for more.

    So it is below a Limit and a merge join, on the inner side of what needs one row only, in a subquery that asks
    whether there is a row (EXISTS), and beside a hash table that turned out empty.
    """
    below = step
    for one in (step, *tree.above(step)):
        if one.kind == "Limit" or "Merge" in one.kind or one.join in ("Semi", "Anti", "Right Semi", "Right Anti"):
            return True
        if one.relation in ("SubPlan", "InitPlan") and one.actual is not None and one.actual.rows <= 1:
            return True
        beside = next((child for child in one.children if child is not below and child.kind.endswith("Hash")), None)
        if beside is not None and not beside.rows:
            return True
        below = one
    return False


_CHANGES = ("Insert", "Update", "Delete", "Merge")


def _gives_no_rows(step: Step) -> bool:
    """A change of rows gives none without RETURNING, and servers before 14 expect as many as it changes."""
    return step.kind.startswith(_CHANGES) and not step.kind.startswith("Merge ") and not step.rows


def _misjudged(tree: PlanTree, step: Step, factor: float) -> bool:
    times = off(step)
    if step.actual is None or max(step.actual.rows, step.rows_planned or 0) * step.actual.loops < MANY_ROWS:
        return False
    return times >= factor or (times <= 1 / factor and not stopped_early(tree, step))


def _without_condition(step: Step) -> bool:
    return step.kind.endswith("Seq Scan") and not step.conditions and bool(step.table)


def stale_statistics(tree: PlanTree) -> Iterator[Finding]:
    for step in tree.steps:
        if _without_condition(step) and _misjudged(tree, step, STALE_FACTOR):
            assert step.actual is not None
            yield suspect(
                tree, Suspicion.STALE_STATS, step, tree.whole(step),
                f"{step.target} was expected to have {count(step.rows_planned or 0)} rows and has {count(step.actual.rows)}",
                f"ANALYZE {table_name(step)};",
            )  # fmt: skip


def wrong_estimate(tree: PlanTree) -> Iterator[Finding]:
    """Only where an error begins: what lies above inherits it."""
    for step in tree.steps:
        if not _misjudged(tree, step, OFF_FACTOR) or _without_condition(step) or step.kind.startswith("Bitmap Index"):
            continue
        if _gives_no_rows(step):
            continue
        if any(
            _misjudged(tree, child, OFF_FACTOR)
            for child in step.children
            if child.relation not in ("InitPlan", "SubPlan")
        ):
            continue
        assert step.actual is not None
        above = tree.parent(step)
        at_stake = tree.whole(above) if above is not None else tree.whole(step)
        if not tree.notable(at_stake):
            continue
        columns = list(dict.fromkeys(p.column for text in step.conditions.values() for p in predicates(text)))
        advice = (
            f"CREATE STATISTICS (dependencies, mcv) ON {', '.join(map(identifier, columns[:4]))} FROM {table_name(step)}; "
            f"ANALYZE {table_name(step)};"
            if step.table and len(columns) > 1
            else f"ANALYZE {table_name(step)}; and if that does not help, a higher statistics target for its columns"
            if step.table
            else "ANALYZE the tables below; where columns depend on each other, extended statistics"
        )
        times = off(step)
        words = f"{times:.0f} times more" if times >= 1 else f"{1 / times:.0f} times fewer"
        yield suspect(
            tree, Suspicion.BAD_ESTIMATE, step, at_stake,
            f"{words} rows than expected ({count(step.rows_planned or 0)} expected, {count(step.actual.rows)} came)",
            advice,
        )  # fmt: skip
