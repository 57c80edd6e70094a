"""Rows read in vain."""

from collections.abc import Iterator
from typing import NamedTuple

from faena.core.plans.look import FORESEEN_COST, MANY_ROWS, Finding, Look, Suspicion, count
from faena.core.plans.model import Step
from faena.core.plans.naming import identifier
from faena.core.plans.predicates import alternatives, function_on_column, implicit_cast, leading_wildcard, predicates

THROWN_AWAY = 0.9  # share of rows read and not wanted from which a scan is suspected
ROWS_PER_COST = 4.0  # a scan costs 1 for a page and 0.0125 a row: so many rows at least, unless they fill pages alone
WORTH_MS = 1.0  # a scan quicker than this is right as it is, however small its share of rows


class _Waste(NamedTuple):
    """A sequential scan that reads much and finds little, and both in words."""

    step: Step
    reads: str
    wasted: str


def _wasteful(look: Look) -> Iterator[_Waste]:
    for step in look.steps:
        if not step.kind.endswith("Seq Scan") or "Filter" not in step.conditions:
            continue
        if look.estimated:
            if waste := _foreseen(look, step):
                yield waste
        elif step.actual is not None:
            own, removed = look.own(step), step.removed_filter * step.actual.loops
            read = removed + (step.rows or 0.0)
            quick = own is not None and own < WORTH_MS
            if removed >= MANY_ROWS and removed >= THROWN_AWAY * read and not quick and look.notable(own):
                many = step.actual.loops > 1 and not step.parallel
                again = f", {count(step.actual.loops)} times" if many else ""
                yield _Waste(
                    step,
                    f"reads {count(read)} rows of {step.target}{again} and throws {count(removed)} away",
                    f"{count(removed)} rows are thrown away",
                )


def _foreseen(look: Look, step: Step) -> _Waste | None:
    """What an estimate says of a scan. How many rows it reads is not told, but its cost bounds them from below."""
    cost, found = step.cost_total or 0.0, step.rows_planned
    limit = next((one for one in look.above(step) if one.kind == "Limit"), None)
    stops = limit is not None and (limit.cost_total or 0.0) < cost / 2
    if found is None or stops or cost < FORESEEN_COST or found > (1 - THROWN_AWAY) * ROWS_PER_COST * cost:
        return None
    told = f"would read all of {step.target} at a cost of {count(cost)} to find {count(found)} row{'' if found == 1 else 's'}"
    return _Waste(step, f"{told}, by the estimate", f"it {told}, by the estimate")


def missing_index(look: Look) -> Iterator[Finding]:
    for step, reads, _ in _wasteful(look):
        condition = step.conditions["Filter"]
        if (
            function_on_column(condition)
            or implicit_cast(condition)
            or leading_wildcard(condition)
            or alternatives(condition)
        ):
            continue  # an index on the bare column would not be used; the other rules say what would
        columns = [identifier(one.column) for one in predicates(condition)][:3]
        if columns:
            yield look.finding(
                Suspicion.MISSING_INDEX, step, look.own(step), reads,
                f"CREATE INDEX CONCURRENTLY ON {step.sql_name} ({', '.join(columns)});",
            )  # fmt: skip


def function_wraps_column(look: Look) -> Iterator[Finding]:
    for step, _, wasted in _wasteful(look):
        name = function_on_column(step.conditions["Filter"])
        if name:
            yield look.finding(
                Suspicion.FUNCTION_ON_COLUMN, step, look.own(step),
                f"{name} is applied to the column of each row, so no index on it serves; {wasted}",
                "compare the bare column with a range, or make an index on the expression as the condition has it",
            )  # fmt: skip


def column_is_cast(look: Look) -> Iterator[Finding]:
    for step, _, wasted in _wasteful(look):
        found = implicit_cast(step.conditions["Filter"])
        if found:
            column, kind = found
            yield look.finding(
                Suspicion.IMPLICIT_CAST, step, look.own(step),
                f"{column} is turned into {kind} in each row before it is compared, so its index does not serve; {wasted}",
                f"give the parameter the type of {column}, in the statement or in the driver",
            )  # fmt: skip


def wildcard_comes_first(look: Look) -> Iterator[Finding]:
    for step, _, wasted in _wasteful(look):
        if leading_wildcard(step.conditions["Filter"]):
            yield look.finding(
                Suspicion.LEADING_WILDCARD, step, look.own(step),
                f"the pattern begins with %, so no index in order serves; {wasted}",
                "CREATE EXTENSION pg_trgm; then a GIN index with gin_trgm_ops on the column, or search another way",
            )  # fmt: skip


def or_over_columns(look: Look) -> Iterator[Finding]:
    for step, _, wasted in _wasteful(look):
        parts = alternatives(step.conditions["Filter"])
        columns = {one.column for part in parts for one in predicates(part)}
        if len(columns) > 1:
            yield look.finding(
                Suspicion.OR_PREDICATE, step, look.own(step),
                f"OR over {', '.join(sorted(columns))} is answered by reading all rows; {wasted}",
                f"an index on each of {', '.join(sorted(columns))}, or a UNION of the parts",
            )  # fmt: skip


def lossy_bitmap(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if step.heap_lossy and step.heap_lossy > 0.3 * (step.heap_exact or 0) and look.notable(look.own(step)):
            yield look.finding(
                Suspicion.LOSSY_BITMAP, step, look.own(step),
                f"the bitmap did not fit: of {count(step.heap_lossy)} pages every row was checked again",
                "a larger work_mem for this statement, or an index that finds fewer rows",
            )  # fmt: skip


def heap_fetches(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        fetched = (step.heap_fetches or 0.0) * (step.actual.loops if step.actual else 1.0)
        if (
            "Index Only Scan" in step.kind
            and fetched >= MANY_ROWS
            and fetched >= 0.2 * (step.rows or 0)
            and look.notable(look.own(step))
        ):
            yield look.finding(
                Suspicion.INDEX_ONLY_HEAP_FETCHES, step, look.own(step),
                f"looked into the table for {count(fetched)} of {count(step.rows or 0)} rows although the index has all columns",
                f"VACUUM {step.sql_name}; and let autovacuum come more often",
            )  # fmt: skip


def pruning(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        scans = [one for one in step.children if one.table and one.executed]
        if step.kind not in ("Append", "Merge Append", "Parallel Append") or len(scans) < 4 or step.subplans_removed:
            continue
        empty = [one for one in scans if not one.rows and one.conditions]
        if len(empty) >= 0.75 * len(scans):
            ms = sum(look.whole(one) or 0.0 for one in empty)
            if look.notable(ms):
                yield look.finding(
                    Suspicion.PARTITION_PRUNED_FAIL, step, ms,
                    f"{len(empty)} of {len(scans)} partitions were searched and gave nothing",
                    "compare the partition key itself, with its own type and without a function, so that partitions can be left out",
                )  # fmt: skip
