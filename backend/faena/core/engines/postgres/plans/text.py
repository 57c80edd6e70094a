"""The text form of a plan, line by line, into the same mapping that the structured forms yield."""

import re
from typing import Any

from faena.core.engines.postgres.plans.fields import CONDITIONS, KEYS, SORTED_GROUPS

_F = r"\d{1,30}(?:\.\d{1,30})?"
_COST = re.compile(rf"\(cost=({_F})\.\.({_F}) rows=({_F}) width=(\d{{1,12}})\)")
_ACTUAL = re.compile(rf"\((?:actual (?:time=({_F})\.\.({_F}) )?rows=({_F}) loops=({_F})|(never executed))\)")
MOST_HEAD = 1000  # characters of a step's name, table and alias
_ARROW = re.compile(r"^(?P<indent>\s*)->\s+(?P<rest>.*)$")
_LABEL = re.compile(r"^(?P<kind>SubPlan|InitPlan|CTE) (?P<name>\S+)(?P<more> \(returns .*\)| \(.*\))?$")
_TRIGGER = re.compile(r"^Trigger (?P<name>.+?): (?:time=(?P<ms>\d{1,30}(?:\.\d{1,30})?) )?calls=(?P<calls>\d{1,15})$")
_DETAIL = re.compile(r"^(?P<name>[A-Z][A-Za-z/ -]*?(?: \d+)?):\s*(?P<value>.*)$")
_PAIR = re.compile(rf"\b(\w{{1,40}}+)=({_F})")
_NUMBER = re.compile(_F)
_SETTING = re.compile(r"(?<!\S)(\S++) = '([^']*+)'")
_HEAD = re.compile(
    r"^(?P<kind>.+?)(?: using (?P<index>\"[^\"]+\"|\S+))?"
    r"(?: on (?P<table>(?:(?:\"[^\"]+\"|[^\s.\"]+)\.)?(?:\"[^\"]+\"|\S+))(?: (?P<alias>\"[^\"]+\"|\S+))?)?$"
)
_JOIN = re.compile(r"\b(Left|Right|Full|Semi|Anti|Right Semi|Right Anti)( Join)?$")
_NUMBERS = {
    "Rows Removed by Filter", "Rows Removed by Join Filter", "Rows Removed by Index Recheck", "Heap Fetches",
    "Workers Planned", "Workers Launched", "Subplans Removed",
}  # fmt: skip
_AROUND = {"Planning Time": "Planning Time", "Planning time": "Planning Time", "Execution Time": "Execution Time",
           "Execution time": "Execution Time", "Total runtime": "Execution Time"}  # fmt: skip
_KINDS = re.compile(
    r"Scan|Join|Nested Loop|Sort|Aggregate|Limit|Append|Gather|Hash|Materialize|Memoize|Unique|Result|Group|SetOp|Insert|"
    r"Update|Delete|Merge|Window|LockRows|ProjectSet|BitmapAnd|BitmapOr|Recursive Union|Foreign|Custom"
)


def read_text(body: str) -> tuple[dict[str, Any], dict[str, Any] | None]:
    """What stands around the plan, and its root; no root when no line looks like a step."""
    around: dict[str, Any] = {}
    root: dict[str, Any] | None = None
    open_steps: list[tuple[int, dict[str, Any]]] = []  # column of each step, and the step, root first
    label: tuple[int, str, str] | None = None
    section = ""
    statement: list[str] | None = None
    for line in body.split("\n"):
        if not line.strip():
            continue
        bare = line.strip()
        column = len(line) - len(line.lstrip())
        if root is None:
            if bare.startswith("Query Text:"):
                statement = [bare.removeprefix("Query Text:").strip()]
                continue
            node = _node(bare)
            if node is None or (statement is not None and "Cost" not in " ".join(node) and "Actual Loops" not in node):
                if statement is not None:
                    statement.append(line)
                continue
            root = node
            open_steps = [(column, root)]
            continue
        arrow = _ARROW.match(line)
        if arrow:
            found = _node(arrow["rest"])
            if found is None:
                continue
            at = len(arrow["indent"])
            while len(open_steps) > 1 and open_steps[-1][0] >= at:
                open_steps.pop()
            if label is not None and label[0] < at:
                found["Parent Relationship"], found["Subplan Name"] = label[1], label[2]
            label = None
            open_steps[-1][1].setdefault("Plans", []).append(found)
            open_steps.append((at, found))
            section = ""
            continue
        named = _LABEL.match(bare)
        if named:
            relation = "SubPlan" if named["kind"] == "SubPlan" else "InitPlan"
            label = (column, relation, bare if named["kind"] != "CTE" else f"CTE {named['name']}")
            while len(open_steps) > 1 and open_steps[-1][0] >= column:
                open_steps.pop()
            continue
        section = _detail(bare, column, around, root, open_steps, section)
    if statement:
        around["Query Text"] = "\n".join(statement).strip()
    return around, root


def _node(text: str) -> dict[str, Any] | None:
    """A step's own line; None for a line that is none.

    Its figures are looked for from the end, each once: what stands before them can be anything.
    """
    head, actual = _taken_off(text.rstrip(), " (actual ", _ACTUAL)
    if actual is None:
        head, actual = _taken_off(head, " (never ", _ACTUAL)
    head, cost = _taken_off(head, " (cost=", _COST)
    told = head and (cost or actual)
    # Without costs and times a step is known by its name alone.
    if not told and (":" in text or len(text) > 300 or not _KINDS.search(text)):
        return None
    named = _HEAD.match(head) if len(head) <= MOST_HEAD else None
    if named is None:
        return None
    step: dict[str, Any] = {"Node Type": named["kind"]}
    if cost is not None:
        step |= {"Startup Cost": float(cost[1]), "Total Cost": float(cost[2])}
        step |= {"Plan Rows": float(cost[3]), "Plan Width": int(cost[4])}
    if actual is not None and actual[5]:
        step["Actual Loops"] = 0
    elif actual is not None:
        step |= {"Actual Rows": float(actual[3]), "Actual Loops": float(actual[4])}
        if actual[1] is not None:
            step |= {"Actual Startup Time": float(actual[1]), "Actual Total Time": float(actual[2])}
    _place(step, named)
    return step


def _taken_off(text: str, begins: str, pattern: re.Pattern[str]) -> tuple[str, re.Match[str] | None]:
    """The text before a bracket at its end, and the bracket; the whole text when there is none."""
    at = text.rfind(begins)
    found = pattern.fullmatch(text, at + 1) if at >= 0 else None
    return (text[:at].rstrip(), found) if found else (text, None)


def _figure(text: str) -> float:
    """The number that a text begins with; 0 when it begins with none."""
    found = _NUMBER.match(text)
    return float(found[0]) if found else 0.0


def _place(step: dict[str, Any], head: re.Match[str]) -> None:
    """Table, alias, index and kind of join from the words of the line."""
    kind, table = head["kind"], head["table"]
    if head["index"]:
        step["Index Name"] = head["index"].strip('"')
    if table and kind.endswith("Bitmap Index Scan"):
        step["Index Name"] = table.strip('"')
    elif table:
        parts = re.findall(r'"[^"]+"|[^."]+', table)
        step["Relation Name"] = parts[-1].strip('"')
        if len(parts) > 1:
            step["Schema"] = parts[0].strip('"')
        step["Alias"] = (head["alias"] or parts[-1]).strip('"')
    if _JOIN.search(kind) or kind.endswith((" Join", "Nested Loop")):
        found = _JOIN.search(kind)
        step["Join Words"] = found[1] if found else "Inner"


def _detail(
    bare: str, column: int, around: dict[str, Any], root: dict[str, Any], open_steps: list[tuple[int, dict[str, Any]]],
    section: str,
) -> str:  # fmt: skip
    """One line that says something about a step or the whole; returns the section that the next lines may belong to."""
    trigger = _TRIGGER.match(bare)
    if trigger:
        one = {"Trigger Name": trigger["name"], "Time": float(trigger["ms"] or 0), "Calls": int(trigger["calls"])}
        around.setdefault("Triggers", []).append(one)
        return ""
    match = _DETAIL.match(bare)
    if match is None:
        return section
    name, value = match["name"], match["value"]
    if name in _AROUND:
        around[_AROUND[name]] = _figure(value) if _NUMBER.match(value) else None
        return ""
    if name in ("Planning", "JIT", "Trigger") and not value:
        return name
    if name == "Settings":
        around["Settings"] = dict(_SETTING.findall(value))
        return ""
    if name == "Query Identifier":
        around["Query Identifier"] = value
        return ""
    if section == "JIT":
        jit = around.setdefault("JIT", {})
        if name == "Functions":
            jit["Functions"] = int(_figure(value))
        if name == "Timing" and (total := re.search(rf"Total ({_F}) ms", value)):
            jit["Timing"] = {"Total": float(total[1])}
        return section
    if section == "Planning" and name in ("Buffers", "I/O Timings", "Memory"):
        return section
    while len(open_steps) > 1 and open_steps[-1][0] >= column:
        open_steps.pop()
    _tell(open_steps[-1][1], name, value)
    return ""


def _tell(step: dict[str, Any], name: str, value: str) -> None:
    if name.startswith("Worker "):
        workers = step.setdefault("Workers", [])
        worker: dict[str, Any] = {}
        _sort(worker, value)
        workers.append(worker or {"Said": value})
    elif name in _NUMBERS:
        step[name] = _figure(value)
    elif name in KEYS:
        step[name] = _split(value)
    elif name in CONDITIONS:
        step[name] = value
    elif name == "Sort Method":
        _sort(step, f"{name}: {value}")
    elif name in SORTED_GROUPS:
        step[name] = _sorted_groups(value)
    elif name == "Buckets" or name == "Batches":
        _hash(step, f"{name}: {value}")
    elif name == "Heap Blocks":
        for word, count in _PAIR.findall(value):
            step[{"exact": "Exact Heap Blocks", "lossy": "Lossy Heap Blocks"}.get(word, word)] = int(float(count))
    elif name == "Buffers":
        _buffers(step, value)
    elif name == "I/O Timings":
        _timings(step, value)
    elif name == "Memory Usage" or name == "Hits":
        for word, figure in re.findall(r"(Hits|Misses|Evictions|Overflows): (\d{1,18})", f"{name}: {value}"):
            step[f"Cache {word}"] = int(figure)
        if used := re.search(r"Memory Usage: (\d{1,15})kB", f"{name}: {value}"):
            step["Peak Memory Usage"] = int(used[1])
    else:
        step[name] = value


def _sort(step: dict[str, Any], text: str) -> None:
    """ "Sort Method: external merge  Disk: 1234kB", also for each worker."""
    if method := re.search(r"Sort Method: (.+?)(?:  |$)", text):
        step["Sort Method"] = method[1]
    if space := re.search(r"(Disk|Memory): (\d{1,15})kB", text):
        step["Sort Space Type"] = space[1]
        step["Sort Space Used"] = int(space[2])


def _sorted_groups(value: str) -> dict[str, Any]:
    """ "3  Sort Methods: quicksort, external merge  Average Memory: 30kB  Peak Memory: 31kB  …", as JSON has it."""
    found: dict[str, Any] = {}
    if methods := re.search(r"Sort Methods?: (.+?)(?:  |$)", value):
        found["Sort Methods Used"] = methods[1].split(", ")
    for kind, space in re.findall(r"Peak (Memory|Disk): (\d{1,15})kB", value):
        found[f"Sort Space {kind}"] = {"Peak Sort Space Used": int(space)}
    return found


def _hash(step: dict[str, Any], text: str) -> None:
    if batches := re.search(r"Batches: (\d{1,15})", text):
        step["Hash Batches"] = int(batches[1])
    if memory := re.search(r"Memory Usage: (\d{1,15})kB", text):
        step["Peak Memory Usage"] = int(memory[1])
    if disk := re.search(r"Disk Usage: (\d{1,15})kB", text):
        step["Disk Usage"] = int(disk[1])


def _buffers(step: dict[str, Any], value: str) -> None:
    step.setdefault("Shared Hit Blocks", 0)
    for part in value.split(","):
        words = part.split()
        area = words[0] if words and "=" not in words[0] else "shared"
        for name, count in _PAIR.findall(part):
            if area in ("shared", "temp"):
                step[f"{area.title()} {name.title()} Blocks"] = int(float(count))


def _timings(step: dict[str, Any], value: str) -> None:
    """Before 15 without the area; the area's own times since."""
    for part in value.split(","):
        if "temp" in part:
            continue
        for name, ms in _PAIR.findall(part):
            step[f"I/O {name.title()} Time"] = float(ms)


def _split(value: str) -> list[str]:
    """At commas outside brackets and quotes."""
    parts, depth, quoted, start = [], 0, "", 0
    for i, letter in enumerate(value):
        if quoted:
            quoted = "" if letter == quoted else quoted
        elif letter in "'\"":
            quoted = letter
        elif letter in "([":
            depth += 1
        elif letter in ")]":
            depth -= 1
        elif letter == "," and depth == 0:
            parts.append(value[start:i].strip())
            start = i + 1
    return [*parts, value[start:].strip()]
