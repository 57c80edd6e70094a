"""From the names PostgreSQL gives the parts of a plan to a step; the same for every form it can be written in."""

import re
from collections.abc import Mapping, Sequence
from operator import itemgetter
from typing import Any, TypeAlias

from faena.core.numbers import INT8, whole_number
from faena.core.plans.model import Actual, Blocks, Jit, Plan, Step, Trigger

# A step or a plan as its fields were written: names of the server, with texts, numbers, lists and fields in them.
Written: TypeAlias = Mapping[str, Any]
CONDITIONS = (
    "Filter", "Index Cond", "Recheck Cond", "Hash Cond", "Merge Cond", "Join Filter", "TID Cond", "One-Time Filter",
    "Run Condition", "Conflict Filter", "Order By", "Cache Key",
)  # fmt: skip
KEYS = ("Sort Key", "Presorted Key", "Group Key")
SORTED_GROUPS = ("Full-sort Groups", "Pre-sorted Groups")  # of an Incremental Sort, which sorts piece by piece
_ROWS_REMOVED = {
    "Rows Removed by Filter": "removed_filter",
    "Rows Removed by Join Filter": "removed_join",
    "Rows Removed by Index Recheck": "removed_recheck",
}
_TAKEN = {
    *CONDITIONS, *KEYS, *_ROWS_REMOVED, "Node Type", "Parent Relationship", "Subplan Name", "Relation Name", "Schema", "Alias",
    "Index Name", "Join Type", "Join Words", "Strategy", "Parallel Aware", "Startup Cost", "Total Cost", "Plan Rows", "Plan Width",
    "Actual Startup Time", "Actual Total Time", "Actual Rows", "Actual Loops", "Sort Method", "Sort Space Used",
    "Sort Space Type", "Hash Batches", "Peak Memory Usage", "Disk Usage", "Heap Fetches", "Exact Heap Blocks",
    "Lossy Heap Blocks", "Workers Planned", "Workers Launched", "Subplans Removed", "Plans", "CTE Name", "Function Name",
    "Shared Hit Blocks", "Shared Read Blocks", "Shared Dirtied Blocks", "Shared Written Blocks", "Temp Read Blocks",
    "Temp Written Blocks", "I/O Read Time", "I/O Write Time", "Shared I/O Read Time", "Shared I/O Write Time",
}  # fmt: skip

_HUGE = 1e300  # beyond it nothing is a figure of a plan; floats and whole numbers of any length compare with it


def number(raw: Written, name: str) -> float | None:
    """None when it is not there or no finite number."""
    value = raw.get(name)
    if value is None:
        return None
    kind = type(value)  # the very types first, since a large plan has tens of thousands of figures
    if kind is int:
        return float(value) if -_HUGE < value < _HUGE else None
    if kind is str:
        try:
            value = float(value)
        except ValueError:
            return None
    elif kind is not float:
        return None
    return value if -_HUGE < value < _HUGE else None  # which also turns away what is no number


def _int(raw: Written, name: str) -> int | None:
    """None also where it fits into no 64 bits: no server counts so far, and no store or JSON could take it on."""
    value = raw.get(name)
    if type(value) is not int:
        figure = number(raw, name)
        if figure is None:
            return None
        value = int(figure)
    return value if -INT8 <= value <= INT8 else None


def _text(raw: Written, name: str) -> str:
    value = raw.get(name)
    return "" if value is None else str(value)


def step_of(raw: Written, children: tuple[Step, ...]) -> Step:
    """One step from a mapping with PostgreSQL's own names; its children are made already."""
    loops = number(raw, "Actual Loops")
    workers = raw.get("Workers")
    named = raw.keys()
    conditions = CONDITIONS if not named.isdisjoint(CONDITIONS) else ()
    keys = KEYS if not named.isdisjoint(KEYS) else ()
    # Only what is there is asked for: a large plan has thousands of steps, and most have a quarter of the fields.
    told: dict[str, Any] = {target: str(raw[name]) for name, target in _PLAIN.items() if name in named}
    for name, target in _FIGURES.items():
        if name in named and (figure := number(raw, name)) is not None:
            told[target] = figure
    if workers or not named.isdisjoint(_RARE):
        told.update(_rare(raw, workers))
    if conditions:
        told["conditions"] = {name: _words(raw[name]) for name in conditions if raw.get(name) not in (None, "")}
    if keys:
        told["keys"] = {name: _list(raw[name]) for name in keys if raw.get(name) not in (None, "")}
    kind = _kind(raw)
    left_out = _left_out(raw, kind)
    if "strategy" in left_out:
        told["strategy"] = left_out["strategy"]
    return Step(
        kind=kind,
        table=_table(raw),
        join=_text(raw, "Join Type") or _text(raw, "Join Words") or left_out.get("join", ""),
        parallel=raw.get("Parallel Aware") in (True, "true") or _text(raw, "Node Type").startswith("Parallel "),
        width=_int(raw, "Plan Width"),
        actual=_actual(raw, loops),
        never=loops == 0,
        blocks=_blocks(raw),
        details={name: value for name, value in raw.items() if name not in _TAKEN},
        children=children,
        **told,
    )


_PLAIN = {
    "Parent Relationship": "relation", "Subplan Name": "label", "Schema": "schema", "Alias": "alias",
    "Index Name": "index", "Strategy": "strategy",
}  # fmt: skip
_FIGURES = {
    "Startup Cost": "cost_start", "Total Cost": "cost_total", "Plan Rows": "rows_planned", **_ROWS_REMOVED,
}  # fmt: skip
_RARE = frozenset({
    "Sort Method", "Sort Space Used", "Sort Space Type", "Hash Batches", "HashAgg Batches", "Peak Memory Usage",
    "Disk Usage", "Heap Fetches", "Exact Heap Blocks", "Lossy Heap Blocks", "Workers Planned", "Workers Launched",
    "Subplans Removed", *SORTED_GROUPS,
})  # fmt: skip


def _rare(raw: Written, workers: Any) -> dict[str, Any]:
    """What only sorts, hashes, bitmaps and parallel steps tell."""
    sorts = [raw, *(one for one in workers if isinstance(one, Mapping))] if isinstance(workers, Sequence) else [raw]
    groups = [one[name] for one in sorts for name in SORTED_GROUPS if isinstance(one.get(name), Mapping)]
    methods = [_text(raw, "Sort Method"), *(name for one in groups for name in _list(one.get("Sort Methods Used", ())))]
    return {
        "sort_method": ", ".join(dict.fromkeys(filter(None, methods))),
        "sort_kb": _widest_sort(sorts, groups),
        "sort_on_disk": any("external" in name.lower() for name in methods)
        or any("disk" in _text(one, "Sort Space Type").lower() for one in sorts)
        or any("Sort Space Disk" in one for one in groups),
        "hash_batches": _int(raw, "Hash Batches") or _int(raw, "HashAgg Batches"),
        "hash_kb": number(raw, "Peak Memory Usage"),
        "disk_kb": number(raw, "Disk Usage") or None,
        "heap_fetches": number(raw, "Heap Fetches"),
        "heap_exact": number(raw, "Exact Heap Blocks") or None,
        "heap_lossy": number(raw, "Lossy Heap Blocks") or None,
        "workers_planned": _int(raw, "Workers Planned"),
        "workers_launched": _int(raw, "Workers Launched"),
        "subplans_removed": _int(raw, "Subplans Removed") or 0,
    }


def _table(raw: Written) -> str:
    """What a scan reads; of a subquery or a list of values its alias is all there is."""
    return _text(raw, "Relation Name") or _text(raw, "CTE Name") or _text(raw, "Function Name") or _text(raw, "Alias")


def _kind(raw: Written) -> str:
    """As the text form names it: Hash Left Join, Parallel Seq Scan, HashAggregate, Insert."""
    kind = _text(raw, "Node Type")
    join = _text(raw, "Join Type")
    strategy = _text(raw, "Strategy")
    if kind == "ModifyTable":
        kind = _text(raw, "Operation") or kind
    elif kind == "Aggregate":
        kind = {"Sorted": "GroupAggregate", "Hashed": "HashAggregate", "Mixed": "MixedAggregate"}.get(strategy, kind)
        partial = _text(raw, "Partial Mode")
        kind = f"{partial} {kind}" if partial in ("Partial", "Finalize") else kind
    elif kind == "SetOp":
        kind = "HashSetOp" if strategy == "Hashed" else kind
        kind = f"{kind} {_text(raw, 'Command')}".strip()
    elif join and join != "Inner":
        kind = f"Nested Loop {join} Join" if kind == "Nested Loop" else kind.replace(" Join", f" {join} Join")
    if _text(raw, "Scan Direction") == "Backward":
        kind += " Backward"
    return f"Parallel {kind}" if raw.get("Parallel Aware") in (True, "true") else kind


def _actual(raw: Written, loops: float | None) -> Actual | None:
    if loops is None or loops <= 0:
        return None
    return Actual(
        loops, number(raw, "Actual Rows") or 0.0, number(raw, "Actual Startup Time"), number(raw, "Actual Total Time")
    )


def _widest_sort(sorts: Sequence[Written], groups: Sequence[Written]) -> float | None:
    """Space in kB of the sort that took most: of leader and workers, or of all groups of a sort in steps."""
    found = [number(one, "Sort Space Used") for one in sorts]
    peaks = [value for one in groups for name, value in one.items() if name.startswith("Sort Space")]  # XML: of no kind
    found += [number(peak, "Peak Sort Space Used") for peak in peaks if isinstance(peak, Mapping)]
    return max((kb for kb in found if kb is not None), default=None)


_COUNTS = (
    "Shared Hit Blocks", "Shared Read Blocks", "Shared Dirtied Blocks", "Shared Written Blocks", "Temp Read Blocks",
    "Temp Written Blocks",
)  # fmt: skip
_all_counts = itemgetter(*_COUNTS)


def _blocks(raw: Written) -> Blocks | None:
    if "Shared Hit Blocks" not in raw and "Shared Read Blocks" not in raw and "Temp Read Blocks" not in raw:
        return None
    shared = "Shared " if "Shared I/O Read Time" in raw or "Shared I/O Write Time" in raw else ""  # since version 17
    try:
        a, b, c, d, e, f = _all_counts(raw)
        known = type(a) is type(b) is type(c) is type(d) is type(e) is type(f) is int
    except KeyError:
        known = False
    if not known:  # in text only those that are not 0, in XML as words
        a, b, c, d, e, f = (_int(raw, name) or 0 for name in _COUNTS)
    return Blocks(a, b, c, d, e, f, number(raw, shared + "I/O Read Time"), number(raw, shared + "I/O Write Time"))


def _words(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)


def _list(value: Any) -> tuple[str, ...]:
    return tuple(map(str, value)) if isinstance(value, list | tuple) else (str(value),)


def plan_of(raw: Written, root: Step, form: str) -> Plan:
    """What stands around the steps."""
    jit = raw.get("JIT")
    triggers = raw.get("Triggers")
    settings = raw.get("Settings")
    query_id = raw.get("Query Identifier")
    return Plan(
        root=root,
        form=form,
        statement=_text(raw, "Query Text"),
        query_id=whole_number(str(query_id)[:21]) if isinstance(query_id, int | str) else None,
        planning_ms=number(raw, "Planning Time"),
        execution_ms=number(raw, "Execution Time"),
        triggers=tuple(_trigger(one) for one in triggers if isinstance(one, Mapping))
        if isinstance(triggers, list | tuple)
        else (),
        jit=_jit(jit) if isinstance(jit, Mapping) else None,
        settings={str(k): str(v) for k, v in settings.items()} if isinstance(settings, Mapping) else {},
    )


_TRIGGER_WORDS = re.compile(r"(?:(?P<name>\S+) )?for constraint (?P<constraint>\S+?)(?: on (?P<table>\S+))?")


def _trigger(raw: Written) -> Trigger:
    name, constraint = _text(raw, "Trigger Name"), _text(raw, "Constraint Name")
    told = _TRIGGER_WORDS.fullmatch(name)  # as a text has it
    if told is not None:
        name, constraint = told["name"] or "", constraint or told["constraint"] or ""
    table = _text(raw, "Relation") or (told["table"] if told else None) or ""
    return Trigger(
        name=name or f"for constraint {constraint}", ms=number(raw, "Time") or 0.0, calls=_int(raw, "Calls") or 0,
        table=table, constraint=constraint,
    )  # fmt: skip


def _jit(raw: Written) -> Jit:
    timing = raw.get("Timing")
    total = number(timing, "Total") if isinstance(timing, Mapping) else None
    return Jit(functions=_int(raw, "Functions") or 0, total_ms=total)


_MEMBERS = ("Append", "Merge Append", "BitmapAnd", "BitmapOr")
_STRATEGIES = {"Aggregate": "Plain", "GroupAggregate": "Sorted", "HashAggregate": "Hashed", "MixedAggregate": "Mixed"}


def completed(node: Written, below: Sequence[Written]) -> list[Written]:
    """The steps below one, with how each hangs to it where that is left out: a text does not tell it, other forms do.

    So a plan is the same plan in every form.
    """
    if all("Parent Relationship" in one for one in below):
        return list(below)
    kind = _text(node, "Node Type").removeprefix("Parallel ")
    found: list[Written] = []
    plain = 0
    for one in below:
        if "Parent Relationship" in one:
            found.append(one)
            continue
        side = ("Outer", "Inner")[min(plain, 1)]
        plain += 1
        hangs = "Subquery" if kind == "Subquery Scan" else "Member" if kind in _MEMBERS else side
        found.append({**one, "Parent Relationship": hangs})
    return found


def _left_out(raw: Written, kind: str) -> dict[str, str]:
    """How a step joins or groups, which a text says in its kind alone."""
    bare = kind.removeprefix("Parallel ")
    told: dict[str, str] = {}
    if bare == "Nested Loop" and "Join Type" not in raw and "Join Words" not in raw:
        told["join"] = "Inner"
    if "Strategy" not in raw:
        strategy = _STRATEGIES.get(bare.removeprefix("Partial ").removeprefix("Finalize "))
        if bare.startswith(("SetOp", "HashSetOp")):
            strategy = "Hashed" if bare.startswith("Hash") else "Sorted"
        if strategy:
            told["strategy"] = strategy
    return told
