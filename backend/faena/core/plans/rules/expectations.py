"""Rows that came against rows that were expected."""

from collections.abc import Iterator

from faena.core.plans.look import MANY_ROWS, Finding, Look, Suspicion, count, off
from faena.core.plans.model import Step
from faena.core.plans.naming import identifier
from faena.core.plans.predicates import predicates

OFF_FACTOR = 10.0  # between rows expected and found
STALE_FACTOR = 3.0  # the same for a table read without any condition: its size itself is wrong


def stopped_early(look: Look, step: Step) -> bool:
    """Where fewer rows than expected are no error, since nobody asked for more.

    So it is below a Limit and a merge join, on the inner side of what needs one row only, in a subquery that asks
    whether there is a row (EXISTS), and beside a hash table that turned out empty.
    """
    below = step
    for one in (step, *look.above(step)):
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


def _misjudged(look: Look, step: Step, factor: float) -> bool:
    times = off(step)
    if step.actual is None or max(step.actual.rows, step.rows_planned or 0) * step.actual.loops < MANY_ROWS:
        return False
    return times >= factor or (times <= 1 / factor and not stopped_early(look, step))


def _without_condition(step: Step) -> bool:
    return step.kind.endswith("Seq Scan") and not step.conditions and bool(step.table)


def stale_statistics(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if _without_condition(step) and _misjudged(look, step, STALE_FACTOR):
            assert step.actual is not None
            yield look.finding(
                Suspicion.STALE_STATS, step, look.whole(step),
                f"{step.target} was expected to have {count(step.rows_planned or 0)} rows and has {count(step.actual.rows)}",
                f"ANALYZE {step.sql_name};",
            )  # fmt: skip


def wrong_estimate(look: Look) -> Iterator[Finding]:
    """Only where an error begins: what lies above inherits it."""
    for step in look.steps:
        if not _misjudged(look, step, OFF_FACTOR) or _without_condition(step) or step.kind.startswith("Bitmap Index"):
            continue
        if _gives_no_rows(step):
            continue
        if any(
            _misjudged(look, child, OFF_FACTOR)
            for child in step.children
            if child.relation not in ("InitPlan", "SubPlan")
        ):
            continue
        assert step.actual is not None
        above = look.parent(step)
        at_stake = look.whole(above) if above is not None else look.whole(step)
        if not look.notable(at_stake):
            continue
        columns = list(dict.fromkeys(p.column for text in step.conditions.values() for p in predicates(text)))
        advice = (
            f"CREATE STATISTICS (dependencies, mcv) ON {', '.join(map(identifier, columns[:4]))} FROM {step.sql_name}; "
            f"ANALYZE {step.sql_name};"
            if step.table and len(columns) > 1
            else f"ANALYZE {step.sql_name}; and if that does not help, a higher statistics target for its columns"
            if step.table
            else "ANALYZE the tables below; where columns depend on each other, extended statistics"
        )
        times = off(step)
        words = f"{times:.0f} times more" if times >= 1 else f"{1 / times:.0f} times fewer"
        yield look.finding(
            Suspicion.BAD_ESTIMATE, step, at_stake,
            f"{words} rows than expected ({count(step.rows_planned or 0)} expected, {count(step.actual.rows)} came)",
            advice,
        )  # fmt: skip
