"""What may be wrong with a plan, each with its figures, the time at stake and one concrete next step.

Rules are functions in one ordered tuple. A rule reads the plan, never changes it, and never raises on an odd one.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import chain

from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.predicates import (
    alternatives,
    function_on_column,
    implicit_cast,
    leading_wildcard,
    predicates,
)
from faena.core.plans.times import StepTime, step_times

MANY_ROWS = 1000  # below it no rule about rows speaks: whatever it is, it is quick
THROWN_AWAY = 0.9  # share of rows read and not wanted from which a scan is suspected
NOTABLE_SHARE = 0.05  # of the time, below which a suspicion is not worth a line
WORTH_MS = 1.0  # a scan quicker than this is right as it is, however small its share of rows
OFF_FACTOR = 10.0  # between rows expected and found
STALE_FACTOR = 3.0  # the same for a table read without any condition: its size itself is wrong


class Suspicion(StrEnum):
    """The value is the word in the API and the glossary."""

    MISSING_INDEX = "missing_index"
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


def _count(value: float) -> str:
    for size, word in ((1e9, " G"), (1e6, " M"), (1e4, " k")):
        if value >= size:
            return f"{value / (size if word != ' k' else 1000):.3g}{word}"
    return f"{value:,.0f}".replace(",", " ")


def _seq_scans(look: Look) -> Iterator[tuple[Step, float, float]]:
    """Sequential scans with a filter, rows they threw away and rows they read, all processes together."""
    for step in look.steps:
        if step.kind.endswith("Seq Scan") and "Filter" in step.conditions and step.actual is not None:
            removed = step.removed_filter * step.actual.loops
            yield step, removed, removed + (step.rows or 0.0)


def _wasteful(look: Look) -> Iterator[tuple[Step, float, float]]:
    for step, removed, read in _seq_scans(look):
        own = look.own(step)
        quick = own is not None and own < WORTH_MS
        if removed >= MANY_ROWS and removed >= THROWN_AWAY * read and not quick and look.notable(own):
            yield step, removed, read


def missing_index(look: Look) -> Iterator[Finding]:
    for step, removed, read in _wasteful(look):
        condition = step.conditions["Filter"]
        if (
            function_on_column(condition)
            or implicit_cast(condition)
            or leading_wildcard(condition)
            or alternatives(condition)
        ):
            continue  # an index on the bare column would not be used; the other rules say what would
        columns = [one.column for one in predicates(condition)][:3]
        if columns:
            again = (
                f", {_count(step.actual.loops)} times"
                if step.actual and step.actual.loops > 1 and not step.parallel
                else ""
            )
            yield look.finding(
                Suspicion.MISSING_INDEX, step, look.own(step),
                f"reads {_count(read)} rows of {step.target}{again} and throws {_count(removed)} away",
                f"CREATE INDEX CONCURRENTLY ON {step.table} ({', '.join(columns)});",
            )  # fmt: skip


def function_wraps_column(look: Look) -> Iterator[Finding]:
    for step, removed, _ in _wasteful(look):
        name = function_on_column(step.conditions["Filter"])
        if name:
            yield look.finding(
                Suspicion.FUNCTION_ON_COLUMN, step, look.own(step),
                f"{name} is applied to the column of each row, so no index on it serves; {_count(removed)} rows are thrown away",
                "compare the bare column with a range, or make an index on the expression as the condition has it",
            )  # fmt: skip


def column_is_cast(look: Look) -> Iterator[Finding]:
    for step, removed, _ in _wasteful(look):
        found = implicit_cast(step.conditions["Filter"])
        if found:
            column, kind = found
            yield look.finding(
                Suspicion.IMPLICIT_CAST, step, look.own(step),
                f"{column} is turned into {kind} in each row before it is compared, so its index does not serve; "
                f"{_count(removed)} rows are thrown away",
                f"give the parameter the type of {column}, in the statement or in the driver",
            )  # fmt: skip


def wildcard_comes_first(look: Look) -> Iterator[Finding]:
    for step, removed, _ in _wasteful(look):
        if leading_wildcard(step.conditions["Filter"]):
            yield look.finding(
                Suspicion.LEADING_WILDCARD, step, look.own(step),
                f"the pattern begins with %, so every row is read; {_count(removed)} are thrown away",
                "CREATE EXTENSION pg_trgm; then a GIN index with gin_trgm_ops on the column, or search another way",
            )  # fmt: skip


def or_over_columns(look: Look) -> Iterator[Finding]:
    for step, removed, _ in _wasteful(look):
        parts = alternatives(step.conditions["Filter"])
        columns = {one.column for part in parts for one in predicates(part)}
        if len(columns) > 1:
            yield look.finding(
                Suspicion.OR_PREDICATE, step, look.own(step),
                f"OR over {', '.join(sorted(columns))} is answered by reading all rows; {_count(removed)} are thrown away",
                f"an index on each of {', '.join(sorted(columns))}, or a UNION of the parts",
            )  # fmt: skip


def _off(step: Step) -> float:
    """How many times more (above 1) or fewer (below) rows came than were expected, for one loop."""
    if step.actual is None or step.rows_planned is None:
        return 1.0
    return max(step.actual.rows, 1.0) / max(step.rows_planned, 1.0)


def _stopped_early(look: Look, step: Step) -> bool:
    """Below a Limit, or on the inner side of what needs one row only, fewer rows than expected are no error."""
    return any(one.kind in ("Limit", "Merge Join") or one.join in ("Semi", "Anti") for one in look.above(step))


def _misjudged(look: Look, step: Step, factor: float) -> bool:
    off = _off(step)
    if step.actual is None or max(step.actual.rows, step.rows_planned or 0) * step.actual.loops < MANY_ROWS:
        return False
    return off >= factor or (off <= 1 / factor and not _stopped_early(look, step))


def _without_condition(step: Step) -> bool:
    return step.kind.endswith("Seq Scan") and not step.conditions and bool(step.table)


def stale_statistics(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if _without_condition(step) and _misjudged(look, step, STALE_FACTOR):
            assert step.actual is not None
            yield look.finding(
                Suspicion.STALE_STATS, step, look.whole(step),
                f"{step.target} was expected to have {_count(step.rows_planned or 0)} rows and has {_count(step.actual.rows)}",
                f"ANALYZE {step.table};",
            )  # fmt: skip


def wrong_estimate(look: Look) -> Iterator[Finding]:
    """Only where an error begins: what lies above inherits it."""
    for step in look.steps:
        if not _misjudged(look, step, OFF_FACTOR) or _without_condition(step) or step.kind.startswith("Bitmap Index"):
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
            f"CREATE STATISTICS (dependencies, mcv) ON {', '.join(columns[:4])} FROM {step.table}; ANALYZE {step.table};"
            if step.table and len(columns) > 1
            else f"ANALYZE {step.table}; and if that does not help, a higher statistics target for its columns"
            if step.table
            else "ANALYZE the tables below; where columns depend on each other, extended statistics"
        )
        off = _off(step)
        words = f"{off:.0f} times more" if off >= 1 else f"{1 / off:.0f} times fewer"
        yield look.finding(
            Suspicion.BAD_ESTIMATE, step, at_stake,
            f"{words} rows than expected ({_count(step.rows_planned or 0)} expected, {_count(step.actual.rows)} came)",
            advice,
        )  # fmt: skip


def sort_on_disk(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if step.sort_on_disk and look.notable(look.own(step)):
            needed = (step.sort_kb or 0) * 3 / 1024  # in memory the same rows take two to three times as much
            keys = ", ".join(step.keys.get("Sort Key", ()))
            order = (
                "" if not keys or "(" in keys else f", or an index that yields the order {keys}"
            )  # none yields an aggregate's
            yield look.finding(
                Suspicion.SORT_SPILL, step, look.own(step),
                f"sorts on disk: {_count(step.sort_kb or 0)} kB of temporary files",
                f"SET LOCAL work_mem = '{max(8, round(needed / 4) * 4)}MB'; for this statement{order}",
            )  # fmt: skip


def hash_on_disk(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        batches = step.hash_batches or 1
        spilled = (step.kind == "Hash" and batches > 1) or (step.disk_kb or 0) > 0
        if not spilled:
            continue
        bearer = look.parent(step) if step.kind == "Hash" else step
        ms = (
            (look.own(step) or 0) + (look.own(bearer) or 0)
            if bearer is not None and look.own(step) is not None
            else look.own(step)
        )
        if look.notable(ms):
            needed = max(8, round((step.hash_kb or 4096) * batches / 1024 / 4) * 4)
            yield look.finding(
                Suspicion.HASH_SPILL, step, ms,
                f"the hash table did not fit into memory: {batches} batches, written to and read from disk",
                f"SET LOCAL work_mem = '{needed}MB'; for this statement, or fewer rows and columns on this side",
            )  # fmt: skip


def nested_loop(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if not step.kind.startswith("Nested Loop") or len(step.children) < 2 or step.actual is None:
            continue
        outer, inner = step.children[0], step.children[1]
        # Very often, or less often over very many rows.
        if inner.actual is None or inner.actual.loops < 20:
            continue
        passed = inner.actual.rows + inner.removed_filter + step.removed_join / inner.actual.loops
        if inner.actual.loops < MANY_ROWS and inner.actual.loops * passed < 100 * MANY_ROWS:
            continue
        ms = (look.whole(inner) or 0.0) + (
            look.own(step) or 0.0
        )  # the join's own share is comparing what the inner side gives
        blown = max(_off(outer), _off(inner)) >= 5 or any(one.kind.endswith("Seq Scan") for _, one in walk(inner))
        if blown and look.total_ms and ms >= 0.3 * look.total_ms:
            yield look.finding(
                Suspicion.NESTED_LOOP_BLOWUP, step, ms,
                f"its inner side ran {_count(inner.actual.loops)} times, where {_count(outer.rows_planned or 0)} were expected",
                "mend the estimate of the outer side (see there), or give the inner side an index on what joins them",
            )  # fmt: skip


def offset_paging(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if step.kind != "Limit" or not step.children or step.rows is None:
            continue
        below = step.children[0]
        if below.rows is not None and below.rows >= MANY_ROWS and below.rows >= 10 * max(step.rows, 1):
            yield look.finding(
                Suspicion.OFFSET_PAGING, step, look.whole(below),
                f"{_count(below.rows)} rows are made to show {_count(step.rows)}: an OFFSET counts off the rest",
                "page by the last key seen: WHERE (key) > (last) ORDER BY key LIMIT n",
            )  # fmt: skip


def limit_misleads(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if "Index Scan" not in step.kind or "Filter" not in step.conditions or step.actual is None:
            continue
        removed = step.removed_filter * step.actual.loops
        below_limit = any(one.kind == "Limit" for one in look.above(step)) and not any(
            "Sort" in one.kind for one in look.above(step)
        )
        if (
            below_limit
            and removed >= MANY_ROWS
            and removed >= 20 * max(step.rows or 0, 1)
            and look.notable(look.own(step))
        ):
            columns = [one.column for one in predicates(step.conditions["Filter"])][:2]
            yield look.finding(
                Suspicion.LIMIT_BAD_INDEX_CHOICE, step, look.own(step),
                f"walks {step.index} for the sake of its order and throws {_count(removed)} rows away before the few that match come",
                f"an index that has what is filtered first: ON {step.table} ({', '.join([*columns, 'the ORDER BY columns'])})",
            )  # fmt: skip


def cartesian(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if step.kind != "Nested Loop" or len(step.children) < 2 or "Join Filter" in step.conditions:
            continue
        outer, inner = step.children[0], step.children[1]
        if any(one.conditions for _, one in walk(inner) if one.relation not in ("InitPlan", "SubPlan") or one is inner):
            continue
        left, right = (
            (one.actual.rows if one.actual is not None else one.rows_planned or 0.0) for one in (outer, inner)
        )
        if left > 1 and right > 1 and left * right >= 10 * MANY_ROWS and not inner.kind.startswith("Function"):
            yield look.finding(
                Suspicion.CARTESIAN_JOIN, step, look.whole(step),
                f"joins every one of {_count(left)} rows with every one of {_count(right)}: no condition ties the two together",
                "add the condition that joins them, or say CROSS JOIN if it is meant",
            )  # fmt: skip


def repeated_subplan(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        ms = look.whole(step)
        if step.relation != "SubPlan" or step.actual is None or step.actual.loops < 100:
            continue
        if look.notable(ms) and (ms is None or not look.total_ms or ms >= 0.1 * look.total_ms):
            yield look.finding(
                Suspicion.REPEATED_SUBPLAN, step, ms,
                f"{step.label or 'a subquery'} ran {_count(step.actual.loops)} times, once for each row",
                "rewrite it as a join (LEFT JOIN … GROUP BY, or LATERAL with LIMIT), so that it runs once",
            )  # fmt: skip


def lossy_bitmap(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        if step.heap_lossy and step.heap_lossy > 0.3 * (step.heap_exact or 0) and look.notable(look.own(step)):
            yield look.finding(
                Suspicion.LOSSY_BITMAP, step, look.own(step),
                f"the bitmap did not fit: of {_count(step.heap_lossy)} pages every row was checked again",
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
                f"looked into the table for {_count(fetched)} of {_count(step.rows or 0)} rows although the index has all columns",
                f"VACUUM {step.table}; and let autovacuum come more often",
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


def missing_workers(look: Look) -> Iterator[Finding]:
    for step in look.steps:
        planned, launched = step.workers_planned or 0, step.workers_launched
        if launched is not None and launched < planned:
            yield look.finding(
                Suspicion.PARALLEL_NOT_STARTED, step, look.whole(step),
                f"{launched} of {planned} workers were there when it began",
                "see what else ran in parallel then; max_parallel_workers and max_worker_processes bound all together",
            )  # fmt: skip


def jit_overhead(look: Look) -> Iterator[Finding]:
    jit = look.plan.jit
    if jit is not None and jit.total_ms and look.total_ms and jit.total_ms >= max(20.0, 0.2 * look.total_ms):
        yield look.finding(
            Suspicion.JIT_OVERHEAD, None, jit.total_ms,
            f"{jit.functions} functions were compiled in {jit.total_ms:.0f} ms before and while it ran",
            "SET jit = off; for this user or program, or raise jit_above_cost",
        )  # fmt: skip


def trigger_time(look: Look) -> Iterator[Finding]:
    for one in look.plan.triggers:
        if look.total_ms and one.ms >= 0.1 * look.total_ms and one.calls:
            keys = (
                "an index on the referencing column of the foreign key"
                if one.name.startswith(("for constraint", "RI_"))
                else "look at what the trigger runs"
            )
            yield look.finding(
                Suspicion.TRIGGER_TIME, None, one.ms,
                f"trigger {one.name} took {one.ms:.0f} ms in {_count(one.calls)} calls",
                keys,
            )  # fmt: skip


Rule = Callable[[Look], Iterator[Finding]]
RULES: tuple[Rule, ...] = (
    missing_index, function_wraps_column, column_is_cast, wildcard_comes_first, or_over_columns, stale_statistics,
    wrong_estimate, sort_on_disk, hash_on_disk, nested_loop, offset_paging, limit_misleads, cartesian, repeated_subplan,
    lossy_bitmap, heap_fetches, pruning, missing_workers, jit_overhead, trigger_time,
)  # fmt: skip


def examine(plan: Plan, rules: Sequence[Rule] = RULES) -> list[Finding]:
    """What is suspected, most time at stake first; one finding HEALTHY when nothing is."""
    look = look_at(plan)
    found = sorted(chain.from_iterable(rule(look) for rule in rules), key=lambda one: -(one.at_stake_ms or 0.0))
    if found:
        return found
    words = "Nothing stands out: rows come as expected, nothing spills, nothing is read in vain."
    if not plan.analysed:
        words = "Nothing stands out in the estimate. Whether it holds shows only when the statement is run (EXPLAIN ANALYZE)."
    return [look.finding(Suspicion.HEALTHY, None, None, words, "")]


def verdict(findings: Sequence[Finding]) -> str:
    """`healthy` or `suspicious`, for programs that want one word."""
    return "healthy" if all(one.code is Suspicion.HEALTHY for one in findings) else "suspicious"
