"""Writes a plan anew from its steps: what is kept of it for everybody holds nothing that was not read, and no literals."""

from collections.abc import Iterator
from typing import Any

import orjson

from faena.core.engines.postgres.plans.fields import CONDITIONS, Written
from faena.core.numbers import INT8
from faena.core.plans.model import Blocks, Plan, Step, walk
from faena.core.privacy import Normalised
from faena.core.sql.texts import bare_expression, conceal, storable

# What is said beside the fields of a step, and holds expressions; and what holds words of the server's own.
_EXPRESSIONS = frozenset(("Output", "Function Call", "Table Function Call", "Remote SQL"))
_OWN_WORDS = frozenset(("Cache Mode",))  # those that make up a step's kind stand in it
_MAX_NAME = 300  # characters; a name of a server has 63 bytes, and a list of sort methods is not long either


def bare_plan(plan: Plan) -> Normalised:
    """The plan as JSON without literals, to be read by `read_plan`.

    Conditions, keys and outputs have ? for each literal, the statement $n. Figures stay. Of what was said beside them
    only figures and the server's own words are kept: a property that nobody here knows can hold anything.
    """
    above: dict[int, dict[str, Any]] = {}
    root: dict[str, Any] = {}
    for depth, step in walk(plan.root):
        node = dict(_told(step))
        above[depth] = node
        if depth:
            above[depth - 1].setdefault("Plans", []).append(node)
        else:
            root = node
    body: dict[str, Any] = {"Plan": root}
    if plan.statement:
        body = {"Query Text": conceal(plan.statement), **body}
    body |= _named(
        {"Planning Time": plan.planning_ms, "Execution Time": plan.execution_ms, "Query Identifier": plan.query_id}
    )
    if plan.triggers:
        body["Triggers"] = [
            {
                "Trigger Name": _name(one.name),
                **_named({"Constraint Name": _name(one.constraint)}),
                "Relation": _name(one.table),
                "Time": one.ms,
                "Calls": one.calls,
            }
            for one in plan.triggers
        ]
    if plan.jit is not None:
        body["JIT"] = {"Functions": plan.jit.functions, "Timing": _named({"Total": plan.jit.total_ms})}
    if plan.settings:
        body["Settings"] = {_name(name): _name(value) for name, value in plan.settings.items() if "." not in name}
    return Normalised(orjson.dumps([body]).decode())


def _named(values: Written) -> dict[str, Any]:
    return {name: value for name, value in values.items() if value is not None and value != ""}


def _name(text: str) -> str:
    return storable(text[:_MAX_NAME])


def _told(step: Step) -> Iterator[tuple[str, Any]]:
    """Properties of a step by the names that PostgreSQL gives them, as `step_of` reads them."""
    words = {
        "Node Type": step.kind, "Parent Relationship": step.relation, "Subplan Name": step.label, "Relation Name": step.table,
        "Schema": step.schema, "Alias": step.alias, "Index Name": step.index, "Join Words": step.join,
        "Strategy": step.strategy,
    }  # fmt: skip
    yield from ((name, _name(value)) for name, value in words.items() if value)
    yield from _named(
        {
            "Startup Cost": step.cost_start, "Total Cost": step.cost_total, "Plan Rows": step.rows_planned,
            "Plan Width": step.width, "Hash Batches": step.hash_batches, "Peak Memory Usage": step.hash_kb,
            "Disk Usage": step.disk_kb, "Heap Fetches": step.heap_fetches, "Exact Heap Blocks": step.heap_exact,
            "Lossy Heap Blocks": step.heap_lossy, "Workers Planned": step.workers_planned,
            "Workers Launched": step.workers_launched,
        }
    ).items()  # fmt: skip
    removed = {
        "Rows Removed by Filter": step.removed_filter, "Rows Removed by Join Filter": step.removed_join,
        "Rows Removed by Index Recheck": step.removed_recheck, "Subplans Removed": step.subplans_removed,
    }  # fmt: skip
    yield from ((name, value) for name, value in removed.items() if value)
    if step.actual is not None:
        yield "Actual Loops", step.actual.loops
        yield "Actual Rows", step.actual.rows
        yield from _named(
            {"Actual Startup Time": step.actual.startup_ms, "Actual Total Time": step.actual.total_ms}
        ).items()
    elif step.never:
        yield "Actual Loops", 0
    yield from _sorting(step)
    yield from ((name, bare_expression(step.conditions[name])) for name in CONDITIONS if name in step.conditions)
    yield from ((name, [bare_expression(key) for key in keys]) for name, keys in step.keys.items())
    if step.blocks is not None:
        yield from _counted(step.blocks)
    yield from _beside(step)


def _sorting(step: Step) -> Iterator[tuple[str, Any]]:
    if step.sort_method:
        yield "Sort Method", _name(step.sort_method)
    if step.sort_kb is not None:
        yield "Sort Space Used", step.sort_kb
    if step.sort_on_disk:
        yield "Sort Space Type", "Disk"


def _counted(blocks: Blocks) -> Iterator[tuple[str, Any]]:
    yield "Shared Hit Blocks", blocks.hit
    yield "Shared Read Blocks", blocks.read
    yield "Shared Dirtied Blocks", blocks.dirtied
    yield "Shared Written Blocks", blocks.written
    yield "Temp Read Blocks", blocks.temp_read
    yield "Temp Written Blocks", blocks.temp_written
    yield from _named({"I/O Read Time": blocks.read_ms, "I/O Write Time": blocks.write_ms}).items()


def _beside(step: Step) -> Iterator[tuple[str, Any]]:
    for name, value in step.details.items():
        if name in _EXPRESSIONS:
            many = isinstance(value, list | tuple)
            yield name, [bare_expression(str(one)) for one in value] if many else bare_expression(str(value))  # type: ignore[attr-defined]
        elif isinstance(value, bool | int | float) and abs(value) < 1e300:
            yield name[:_MAX_NAME], value if abs(value) <= INT8 else float(value)
        elif name in _OWN_WORDS and isinstance(value, str):
            yield name, _name(value)
