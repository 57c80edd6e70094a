"""`./faena read-plan FILE|-`: a plan's steps and what is suspicious about them, as one JSON object."""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import orjson

from faena.core.plans.ledger import Row, ledger
from faena.core.plans.model import Plan
from faena.core.plans.reader import FORMS, BadPlan, read_plans
from faena.core.plans.suspicions import Finding, Suspicion, verdict

MAX_BYTES = 64 << 20


def main(arguments: Sequence[str]) -> int:
    """0; or 2 with one line on standard error for what cannot be read."""
    parser = argparse.ArgumentParser(prog="faena read-plan", description=__doc__)
    parser.add_argument("file", metavar="FILE", help="- for standard input")
    parser.add_argument("--format", choices=("auto", *FORMS), default="auto")
    given = parser.parse_args(arguments)
    try:
        written = _read(given.file)
        plans = read_plans(written, None if given.format == "auto" else given.format)
    except (OSError, BadPlan) as error:
        where = "standard input" if given.file == "-" else given.file
        print(f"faena: {where}: {getattr(error, 'strerror', None) or error}", file=sys.stderr)
        return 2
    sys.stdout.buffer.write(orjson.dumps({"plans": [as_object(plan) for plan in plans]}) + b"\n")
    return 0


def _read(name: str) -> str:
    raw = sys.stdin.buffer.read(MAX_BYTES + 1) if name == "-" else _bytes_of(Path(name))
    if len(raw) > MAX_BYTES:
        raise BadPlan(f"this has more than {MAX_BYTES >> 20} MB; a plan is not read beyond that")
    try:
        return raw.decode()
    except UnicodeDecodeError:
        return raw.decode("latin-1")


def _bytes_of(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(MAX_BYTES + 1)


def as_object(plan: Plan) -> dict[str, Any]:
    """Steps in pre-order; suspicions by time at stake."""
    found = ledger(plan)
    rows = sorted(found.rows, key=lambda row: row.step)
    parents = {row.step: None if row.feeds is None else found.rows[row.feeds].step for row in found.rows}
    return {
        "statement": plan.statement or None,
        "executed": plan.analysed,
        "total_ms": found.total_ms,
        "planning_ms": plan.planning_ms,
        "steps": [_step(row, parents[row.step]) for row in rows],
        "suspicions": [_suspicion(one) for one in found.findings if one.code is not Suspicion.HEALTHY],
        "verdict": verdict(found.findings),
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
    }


def _suspicion(one: Finding) -> dict[str, Any]:
    return {
        "kind": one.code.value,
        "step": one.step,
        "stake_ms": one.at_stake_ms,
        "share": one.share,
        "sentence": one.sentence,
        "next_step": one.next_step,
        "index": None,
    }
