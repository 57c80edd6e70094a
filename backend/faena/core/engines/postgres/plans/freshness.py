"""Why an estimate is wrong: its table changed since it was last analyzed, or its statistics do not tell what it needs."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime

from faena.core.engines.postgres.indexes.health import STALE_SHARE
from faena.core.engines.postgres.naming import table_name
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.schema import SchemaFacts, TableFacts
from faena.core.units import EpochMs

FRESH_SHARE = 0.05  # of the rows changed since, below which that is no reason for an estimate ten times off
_ESTIMATES = (Suspicion.BAD_ESTIMATE, Suspicion.STALE_STATS)


def told_apart(
    findings: Sequence[Finding], plan: Plan, schema: SchemaFacts, known_at: EpochMs | None = None
) -> list[Finding]:
    """Findings about estimates with what the counters of their tables say of it; all others as they are.

    The counters are those of now; `known_at` is a moment at which the plan was there already.
    """
    steps = [step for _, step in walk(plan.root)]
    return [
        _judged(one, table, known_at)
        if one.kind in _ESTIMATES and one.step is not None and (table := _table(steps[one.step], schema)) is not None
        else one
        for one in findings
    ]


def sentences(
    findings: Sequence[Finding], plan: Plan, schema: SchemaFacts, known_at: EpochMs | None = None
) -> Iterator[tuple[int, str, str]]:
    """Of the findings about estimates of a table: step, what its counters say, and what to do."""
    for one, told in zip(findings, told_apart(findings, plan, schema, known_at), strict=True):
        if told is not one and told.step is not None:
            yield told.step, told.sentence, told.next_step


def _table(step: Step, schema: SchemaFacts) -> TableFacts | None:
    return None if schema.told_by_plan or not step.table else schema.table(step.table, step.schema)


def _judged(one: Finding, table: TableFacts, known_at: EpochMs | None) -> Finding:
    changed = table.changed_since_analyze / max(table.rows, 1.0)
    figures = (
        f"{count(table.changed_since_analyze)} of its {count(table.rows)} rows ({changed:.0%}) changed since ANALYZE"
    )
    analyze = f"ANALYZE {table_name(table)};"
    if table.analyzed_at is None:
        sentence = f"{one.sentence}: {table.full_name} was never analyzed"
        return replace(one, kind=Suspicion.STALE_STATS, sentence=sentence, next_step=analyze)
    if changed > STALE_SHARE:
        sentence = f"{one.sentence}: the statistics of {table.full_name} are stale, {figures}"
        return replace(one, kind=Suspicion.STALE_STATS, sentence=sentence, next_step=analyze)
    if known_at is not None and known_at <= table.analyzed_at:
        sentence = f"{one.sentence}; {table.full_name} was analyzed since this plan was made"
        return replace(one, sentence=sentence, next_step="Ask for the plan again.")
    if changed > FRESH_SHARE:
        return replace(one, sentence=f"{one.sentence}; whether for stale statistics cannot be told ({figures})")
    when = datetime.fromtimestamp(table.analyzed_at / 1000, UTC).strftime("%Y-%m-%d %H:%M UTC")
    unless = f", unless the plan is older than its ANALYZE of {when}"
    advice = one.next_step
    if "CREATE STATISTICS" not in advice:
        advice = (
            f"ALTER TABLE {table_name(table)} ALTER COLUMN … SET STATISTICS 1000; {analyze} for the columns of its "
            "condition; ANALYZE alone will not change it"
        )
    return replace(
        one,
        kind=Suspicion.BAD_ESTIMATE,
        sentence=f"{one.sentence}; not for stale statistics ({figures}){unless}: they say nothing about this question",
        next_step=advice,
    )
