"""An estimate that is far off for a join or a condition over several columns."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import predicates
from faena.core.engines.postgres.plans.rules.expectations import misjudged, without_condition
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import PlanTree, off

OFF_FACTOR = 10.0  # between rows expected and found


_CHANGES = ("Insert", "Update", "Delete", "Merge")


def _gives_no_rows(step: Step) -> bool:
    """A change of rows gives none without RETURNING, and servers before 14 expect as many as it changes."""
    return step.kind.startswith(_CHANGES) and not step.kind.startswith("Merge ") and not step.rows


def wrong_estimate(tree: PlanTree) -> Iterator[Finding]:
    """Only where an error begins: what lies above inherits it."""
    for step in tree.steps:
        if not misjudged(tree, step, OFF_FACTOR) or without_condition(step) or step.kind.startswith("Bitmap Index"):
            continue
        if _gives_no_rows(step):
            continue
        if any(
            misjudged(tree, child, OFF_FACTOR)
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
