"""Indexes that cost more than they serve, and tables whose statistics or housekeeping are behind."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import qualified, table_name
from faena.core.findings import Finding, Named, Severity
from faena.core.labels import Labelled
from faena.core.numbers import count
from faena.core.plans.schema import IndexFacts, SchemaFacts, TableFacts

MIN_DAYS = 1.0  # counters younger than this say nothing about what is never used
STALE_SHARE = 0.2  # of the rows changed since the last ANALYZE: twice what autovacuum waits for by default
MIN_ROWS = 1000
DEAD_SHARE = 0.2


class HealthKind(Labelled):
    """What may be wrong with an index or the upkeep of a table; a finding's next step is text to copy."""

    UNUSED = "unused", "unused"
    DUPLICATE = "duplicate", "duplicate index"
    OVERLAPPING = "overlapping", "duplicate: the beginning of another"
    INVALID = "invalid", "invalid"
    STALE_STATISTICS = "stale_statistics", "statistics are old"
    NEVER_ANALYZED = "never_analyzed", "never analyzed"
    NEVER_VACUUMED = "never_vacuumed", "never vacuumed"


def examine_schema(facts: SchemaFacts) -> list[Finding]:
    """Largest first within each kind."""
    found = [one for table in facts.tables for one in _of_table(table, facts.at)]
    order = list(HealthKind)
    return sorted(
        found,
        key=lambda one: (
            order.index(HealthKind(one.kind)),
            -one.at_stake_bytes,
            one.named("table"),
            one.named("index"),
        ),
    )


def _of_table(table: TableFacts, at: int) -> Iterator[Finding]:
    days = None if table.counted_since is None else (at - table.counted_since) / 86_400_000
    found = list(_overlaps(table))
    redundant = {one.named("index") for one in found}
    yield from found
    for index in table.indexes:
        if not index.valid:
            yield _finding(
                HealthKind.INVALID, table, index, "is not valid: building it failed half-way, and it is still written to",
                f"DROP INDEX CONCURRENTLY {_named(table, index)};",
            )  # fmt: skip
        elif _dispensable(index) and not index.scans and index.name not in redundant:
            yield from _unused(table, index, days)
    yield from _housekeeping(table)


def _unused(table: TableFacts, index: IndexFacts, days: float | None) -> Iterator[Finding]:
    writes = table.inserted + table.updated - table.updated_in_place
    since = "since the server's counters began" if days is None else f"in the {_days(days)} its counters run"
    young = days is not None and days < MIN_DAYS
    yield _finding(
        HealthKind.UNUSED, table, index,
        f"was never read {since}, while {count(writes)} changes of rows wrote to it"
        + ("; that is too short to judge by" if young else ""),
        "Wait for a month end, and look at the replicas, which count for themselves."
        if young
        else f"DROP INDEX CONCURRENTLY {_named(table, index)};  -- after a look at the replicas, which count for themselves",
    )  # fmt: skip


def _overlaps(table: TableFacts) -> Iterator[Finding]:
    """Each index that another one makes dispensable, once."""
    ordered = sorted(table.indexes, key=lambda one: (not one.primary, not one.unique, -len(one.columns), one.name))
    for at, index in enumerate(ordered):
        if not index.valid or not _dispensable(index) or index.method != "btree":
            continue
        others = [one for one in ordered if one is not index and one.valid and one.method == index.method]
        others = [one for one in others if one.predicate == index.predicate]
        same = next((one for one in others if _same(one, index) and ordered.index(one) < at), None)
        if same is not None:
            yield _finding(
                HealthKind.DUPLICATE, table, index, f"is the same as {same.name}",
                f"DROP INDEX CONCURRENTLY {_named(table, index)};",
            )  # fmt: skip
            continue
        longer = next((one for one in others if _begins(one, index)), None)
        if longer is not None:
            yield _finding(
                HealthKind.OVERLAPPING, table, index,
                f"{index.written} is the beginning of {longer.name} {longer.written}, which serves "
                "the same searches",
                f"DROP INDEX CONCURRENTLY {_named(table, index)};  -- unless it is read much more often for being smaller",
            )  # fmt: skip


def _same(one: IndexFacts, index: IndexFacts) -> bool:
    return (
        len(one.columns) == len(index.columns) and one.begins_like(index) and set(index.included) <= set(one.included)
    )


def _begins(one: IndexFacts, index: IndexFacts) -> bool:
    return len(one.columns) > len(index.columns) and one.begins_like(index) and not index.included


def _dispensable(index: IndexFacts) -> bool:
    return not (index.primary or index.unique or index.constraint or index.attached)


def _housekeeping(table: TableFacts) -> Iterator[Finding]:
    if table.rows < MIN_ROWS and table.changed_since_analyze < MIN_ROWS:
        return
    if table.analyzed_at is None:
        yield _about(
            HealthKind.NEVER_ANALYZED, table, "was never analyzed: the planner guesses", f"ANALYZE {table_name(table)};"
        )
    elif table.changed_since_analyze > STALE_SHARE * max(table.rows, 1):
        share = table.changed_since_analyze / max(table.rows, 1)
        yield _about(
            HealthKind.STALE_STATISTICS, table,
            f"{count(table.changed_since_analyze)} rows ({share:.0%}) changed since it was last analyzed",
            f"ANALYZE {table_name(table)};",
        )  # fmt: skip
    if table.vacuumed_at is None and table.dead > DEAD_SHARE * max(table.rows, MIN_ROWS):
        yield _about(
            HealthKind.NEVER_VACUUMED, table, f"was never vacuumed and holds {count(table.dead)} dead rows",
            f"VACUUM (ANALYZE) {table_name(table)};",
        )  # fmt: skip


def _finding(kind: HealthKind, table: TableFacts, index: IndexFacts, words: str, step: str) -> Finding:
    return Finding(
        kind=kind, severity=Severity.SOON if kind is HealthKind.INVALID else Severity.NOTE,
        sentence=f"{index.name} {words}.", next_step=step,
        objects=(Named("table", table.full_name), Named("index", index.name)), at_stake_bytes=index.size_bytes,
    )  # fmt: skip


def _about(kind: HealthKind, table: TableFacts, words: str, step: str) -> Finding:
    return Finding(
        kind=kind, severity=Severity.NOTE, sentence=f"{table.full_name} {words}.", next_step=step,
        objects=(Named("table", table.full_name),),
    )  # fmt: skip


def _named(table: TableFacts, index: IndexFacts) -> str:
    return qualified(table.schema, index.name)


def _days(days: float) -> str:
    return f"{days:.0f} days" if days >= 2 else f"{days * 24:.0f} hours"
