"""`./faena read-plan FILE|-`: a plan's steps and what is suspicious about them, as one JSON object."""

import argparse
import re
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import orjson

from faena.core.engines.postgres.indexes.fromplan import facts_of
from faena.core.engines.postgres.indexes.proposals import propose
from faena.core.engines.postgres.plans.freshness import told_apart
from faena.core.engines.postgres.plans.ledger import ledger
from faena.core.engines.postgres.plans.reader import FORMS, MAX_CHARACTERS
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.engines.postgres.plans.suspicions import verdict
from faena.core.errors import BadInput, SourceError
from faena.core.findings import Finding
from faena.core.plans.ledger import Row
from faena.core.plans.model import BadPlan, Plan, walk
from faena.core.plans.schema import SchemaFacts
from faena.sources.logs.plans import plans_brought

MAX_BYTES = 4 * MAX_CHARACTERS  # as many as so many characters can take


def main(arguments: Sequence[str]) -> int:
    """0; or 2 with one line on standard error for what cannot be read."""
    parser = argparse.ArgumentParser(prog="faena read-plan", description=__doc__)
    parser.add_argument("file", metavar="FILE", help="- for standard input")
    parser.add_argument("--format", choices=("auto", *FORMS), default="auto")
    parser.add_argument("--dsn", help="a live server whose statistics judge indexes: host=… dbname=… user=…")
    given = parser.parse_args(arguments)
    try:
        written = _read(given.file)
        plans = plans_brought(written, None if given.format == "auto" else given.format)
        schema = None if given.dsn is None else _schema(given.dsn)
        indexes = [_indexes(plan, schema) for plan in plans]
    except SourceError as error:
        print(f"faena: {error}{f'; {error.remedy}' if error.remedy else ''}", file=sys.stderr)
        return 2
    except (OSError, BadInput) as error:
        where = "standard input" if given.file == "-" else given.file
        print(f"faena: {where}: {getattr(error, 'strerror', None) or error}", file=sys.stderr)
        return 2
    found = [as_object(plan, index, schema) for plan, index in zip(plans, indexes, strict=True)]
    sys.stdout.buffer.write(orjson.dumps({"plans": found}) + b"\n")
    return 0


def _read(name: str) -> str:
    raw = sys.stdin.buffer.read(MAX_BYTES + 1) if name == "-" else _bytes_of(Path(name))
    if len(raw) > MAX_BYTES:
        raise BadPlan(f"this has more than {MAX_BYTES / 1e6:.0f} MB, and a plan is not read beyond that")
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return raw.decode("latin-1")


def _bytes_of(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(MAX_BYTES + 1)


def _indexes(plan: Plan, schema: SchemaFacts | None) -> dict[int, dict[str, Any]]:
    """Proposals by the step they are for, judged by a server's statistics or else by the plan alone."""
    found, _ = propose(plan, facts_of(plan) if schema is None else schema)
    return {
        one.step: {
            "table": one.table,
            "columns": list(one.columns),
            "ddl": one.ddl,
            "cost_before": one.cost_before,
            "cost_after": one.cost_after,
            "judged_by": "the plan alone" if schema is None else "the server's statistics",
        }
        for one in found
    }


def _schema(dsn: str) -> SchemaFacts:
    from faena.sources.postgres.schema import read_schema  # the driver loads in 100 ms, and mostly nobody needs it
    from faena.sources.postgres.source import target_from_dsn

    return read_schema(target_from_dsn(dsn))


def as_object(plan: Plan, indexes: Mapping[int, dict[str, Any]], schema: SchemaFacts | None = None) -> dict[str, Any]:
    """Steps in pre-order; suspicions by time at stake, those of estimates told apart where a server's schema is known."""
    found = ledger(plan)
    findings = found.findings if schema is None else told_apart(found.findings, plan, schema)
    rows = sorted(found.rows, key=lambda row: row.step)
    parents = {row.step: None if row.feeds is None else found.rows[row.feeds].step for row in found.rows}
    return {
        "statement": plan.statement or None,
        "executed": plan.analysed,
        "total_ms": found.total_ms,
        "planning_ms": plan.planning_ms,
        "steps": [_step(row, parents[row.step]) for row in rows],
        "suspicions": [_suspicion(one, plan, indexes) for one in findings if one.kind is not Suspicion.HEALTHY],
        "verdict": verdict(findings),
    }


def _step(row: Row, parent: int | None) -> dict[str, Any]:
    step, blocks = row.shown, row.shown.blocks
    factor = row.factor
    return {
        "id": row.step,
        "parent": parent,
        "operation": step.kind,
        "relation": step.table or None,
        "alias": step.alias or None,
        "index": step.index or None,
        "own_ms": row.own_ms,
        "rows_estimated": step.rows_planned,
        "rows_actual": step.actual.rows if step.actual else None,
        "q_error": None if factor is None else max(factor, 1 / factor),
        "loops": step.actual.loops if step.actual else None,
        "rows_discarded": row.thrown_away,
        "blocks": None
        if blocks is None
        else {
            "hit": blocks.hit,
            "read": blocks.read,
            "temp_read": blocks.temp_read,
            "temp_written": blocks.temp_written,
        },
        "own_blocks": None
        if row.own_blocks is None
        else {
            "hit": row.own_blocks.hit,
            "read": row.own_blocks.read,
            "temp_read": row.own_blocks.temp_read,
            "temp_written": row.own_blocks.temp_written,
        },
        "own_read_ms": row.own_blocks.read_ms if row.own_blocks else None,
    }


_DDL = re.compile(r"CREATE INDEX CONCURRENTLY ON (\S+) \((.*)\);")


def _suspicion(one: Finding, plan: Plan, indexes: Mapping[int, dict[str, Any]]) -> dict[str, Any]:
    """`index` as it was proposed for the step; else the suspicion's own words, without a cost after."""
    ddl = _DDL.search(one.next_step)
    index = indexes.get(one.step) if one.step is not None else None
    if index is None and ddl is not None and one.step is not None:
        cost = next(step.cost_total for i, (_, step) in enumerate(walk(plan.root)) if i == one.step)
        index = {
            "table": ddl[1], "columns": ddl[2].split(", "), "ddl": ddl[0], "cost_before": cost, "cost_after": None,
            "judged_by": "the plan alone",
        }  # fmt: skip
    return {
        "kind": one.kind,
        "step": one.step,
        "stake_ms": one.at_stake_ms,
        "share": one.share,
        "sentence": one.sentence,
        "next_step": one.next_step,
        "index": index,
    }
