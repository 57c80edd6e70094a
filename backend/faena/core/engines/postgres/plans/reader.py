"""Reads a plan however it was written down: text, JSON, YAML or XML, in a psql frame, quoted in a mail, in a log entry."""

import json
import re
from collections.abc import Callable, Mapping
from typing import Any
from xml.etree import ElementTree

import orjson
import yaml

from faena.core.engines.postgres.plans.fields import SORTED_GROUPS, Written, completed, plan_of, step_of
from faena.core.engines.postgres.plans.text import read_text
from faena.core.plans.model import MAX_STEPS, BadPlan, Plan, Step
from faena.core.sql.texts import storable

# So that reading stays under 300 MB and a few seconds whatever stands in it: brackets and tags without end become up to
# 60 bytes a character, a flow list of YAML 180. A plan of MAX_STEPS steps would fit in neither, and none is near it.
MAX_CHARACTERS = 5_000_000
MAX_YAML = 1_000_000
MAX_DEPTH = 1000
FORMS = ("text", "json", "yaml", "xml")


def read_plan(written: str) -> Plan:
    """The first plan there is. Raises BadPlan."""
    return read_plans(written)[0]


def read_plans(written: str, form: str | None = None) -> list[Plan]:
    """All plans there are, at least one. `form` is one of FORMS, None to recognise it. Raises BadPlan."""
    if len(written) > MAX_CHARACTERS:
        raise BadPlan(f"this has more than {MAX_CHARACTERS:,} characters, and a plan is not read beyond that")
    written = storable(written)
    if form in (None, "json") and written[:100].lstrip()[:1] in ("[", "{"):
        try:  # most plans come straight from a server or a program, with nothing around them
            raw = orjson.loads(written)
        except ValueError:
            raw = None
        if raw is not None:
            return _guarded(lambda: _structured(raw, "json"))
    body = unwrap(written)
    if not body.strip():
        raise BadPlan("there is nothing to read; paste what EXPLAIN printed")
    return _guarded(lambda: _in_form(body, form or _recognised(body)))


def _in_form(body: str, form: str) -> list[Plan]:
    match form:
        case "json":
            return _structured(_json(body.strip()), "json")
        case "xml":
            return _structured(_xml(body.strip()), "xml")
        case "yaml":
            return _structured(_yaml(body), "yaml")
        case _:
            return [_from_text(body)]


def _guarded(read: Callable[[], list[Plan]]) -> list[Plan]:
    """What cannot be read is a BadPlan, whatever it breaks on: one plan must not stop what is read beside it."""
    try:
        return read()
    except RecursionError:
        raise BadPlan("the plan is nested too deeply to be one") from None
    except (
        ArithmeticError,
        AttributeError,
        LookupError,
        TypeError,
        ValueError,
    ):  # foreign text in a shape nobody foresaw
        raise BadPlan(
            "this looks like a plan, and a part of it is none; paste what EXPLAIN printed, as it was"
        ) from None


def _recognised(body: str) -> str:
    first = body.lstrip()[0]
    if first in "[{":
        return "json"
    if first == "<":
        return "xml"
    if re.match(r"\s*(- |Query Text: .*\n\s*)?Plan:", body) or re.match(r"\s*- ?\n?\s*(Query Text|Plan)\b", body):
        return "yaml"
    return "text"


def unwrap(written: str) -> str:
    """What was printed, without what it was put into: mail quotes, table frames, continuation marks, quotes, log prefixes."""
    text = written.replace("\r\n", "\n").replace("\r", "\n").replace("\N{ZERO WIDTH NO-BREAK SPACE}", "")
    text = text.replace("\N{NO-BREAK SPACE}", " ")
    lines = text.split("\n")
    lines = _without_mail_quotes(lines)
    lines = _without_log_prefix(lines)
    lines = _without_frame(lines)
    return "\n".join(lines)


def _filled(lines: list[str]) -> list[str]:
    return [line for line in lines if line.strip()]


def _without_mail_quotes(lines: list[str]) -> list[str]:
    quoted = [line for line in _filled(lines) if re.match(r"\s?>", line)]
    if len(quoted) < 2 or len(quoted) < 0.8 * len(_filled(lines)):
        return lines
    return [re.sub(r"^(\s?>)+ ?", "", line) for line in lines if re.match(r"\s?>", line)]


def _without_log_prefix(lines: list[str]) -> list[str]:
    """From behind "duration: … plan:" on; a log entry's further lines begin with a tab."""
    for i, line in enumerate(lines):
        match = re.search(r"duration: [\d.]+ ms\s+plan:\s*(.*)$", line)
        if match:
            rest = [one.removeprefix("\t") for one in lines[i + 1 :]]
            return [match[1], *rest] if match[1].strip() else rest
    return lines


def _without_frame(lines: list[str]) -> list[str]:
    kept = []
    for line in lines:
        bare = line.strip()
        if re.fullmatch(r"[+|]?[-=+]{3,}[+|]?|QUERY PLAN|\|?\s*QUERY PLAN\s*\|?|\(\d+ rows?\)", bare):
            continue
        boxed = bare.startswith("|") and bare.endswith("|") and len(bare) > 1
        kept.append(bare[1:-1] if boxed else line)
    filled = _filled(kept)
    if len(filled) > 1 and sum(line.rstrip().endswith("+") for line in filled[:-1]) >= 0.9 * (len(filled) - 1):
        kept = [line.rstrip().removesuffix("+").rstrip() for line in kept]
        filled = _filled(kept)
    if filled and all(line.strip().startswith('"') and line.strip().endswith('"') for line in filled):
        kept = [line.strip()[1:-1].replace('""', '"') for line in filled]
    return kept


def _json(body: str) -> Any:
    try:
        return orjson.loads(body)
    except ValueError:
        pass
    try:  # numbers and nesting that the quick reader refuses
        found = json.loads(body)
    except ValueError as error:
        try:  # something may stand behind it: a prompt, the next log entry
            found = json.JSONDecoder().raw_decode(body)[0]
        except ValueError:
            raise BadPlan(f"this begins like JSON and is none: {error}") from None
    # It also takes \ud800, half a character, which nothing behind us can write.
    return json.loads(storable(json.dumps(found, ensure_ascii=False)))


def _yaml(body: str) -> Any:
    if len(body) > MAX_YAML:
        raise BadPlan(f"a plan in YAML is read up to {MAX_YAML:,} characters; give it as JSON")
    if _opens_too_much(body):
        raise BadPlan("the plan is nested too deeply to be one")
    try:
        # An EXPLAIN has no anchors; a few lines of them stand for more than any memory holds.
        if "*" in body and any(isinstance(one, yaml.AliasEvent) for one in yaml.parse(body, Loader=yaml.CSafeLoader)):
            raise BadPlan("an EXPLAIN in YAML refers to nothing by name; this one is not read")
        return yaml.load(body, Loader=yaml.CSafeLoader)
    except yaml.YAMLError as error:
        raise BadPlan(f"this begins like YAML and is none: {' '.join(str(error).split()):.200}") from None


_QUOTED = re.compile(r'"(?:[^"\\]++|\\.)*+"')
_OPENING = re.compile(r"[\[{]|[-?] (?=[-?\[{ ])")
MAX_OPENED = 200


def _opens_too_much(body: str) -> bool:
    """Whether it opens more lists within lists than an EXPLAIN, which writes none on one line, ever does.

    The parser goes down a call for each, and beyond some ten thousand ends the whole process.
    """
    bare = _QUOTED.sub("", body)
    flows = bare.count("[") + bare.count("{")
    return flows > 10 * MAX_OPENED or any(len(_OPENING.findall(line)) > MAX_OPENED for line in bare.split("\n"))


def _xml(body: str) -> Any:
    """As the mapping the other forms yield: "Node-Type" is "Node Type", lists have Item or Plan elements."""
    if "<!DOCTYPE" in body or "<!ENTITY" in body:
        raise BadPlan("an EXPLAIN in XML has no document type; this one is not read")
    try:
        root = ElementTree.fromstring(body)
    except ElementTree.ParseError as error:
        raise BadPlan(f"this begins like XML and is none: {error}") from None
    # EXPLAIN has a <Query>, auto_explain has what would stand in it directly.
    holds = _name(root) == "Query" or any(_name(child) == "Plan" for child in root)
    query = root if holds else next((e for e in root.iter() if _name(e) == "Query"), None)
    if query is None:
        raise BadPlan("this XML holds no <Query> element, so it is no EXPLAIN")
    return _element(query, 0)


_LISTS = {"Plans", "Workers", "Triggers", "Output", "Sort-Key", "Group-Key", "Presorted-Key", "Sort-Methods-Used"}


def _name(element: ElementTree.Element) -> str:
    return element.tag.rsplit("}", 1)[-1]


def _element(element: ElementTree.Element, depth: int) -> Any:
    if depth > MAX_DEPTH:
        raise BadPlan("the plan is nested too deeply to be one")
    if _name(element) in _LISTS:
        return [_element(child, depth + 1) for child in element]
    if not len(element):
        return element.text or ""
    groups = iter(SORTED_GROUPS)  # of a sort in steps, one after the other under one name
    found: dict[str, Any] = {}
    for child in element:
        name = _name(child).replace("-", " ").replace("I O ", "I/O ")
        found[next(groups, name) if name == "Incremental Sort Groups" else name] = _element(child, depth + 1)
    return found


def _structured(raw: Any, form: str) -> list[Plan]:
    found = [one for one in (raw if isinstance(raw, list) else [raw]) if _holds_plan(one)]
    if not found:
        raise BadPlan('this has no "Plan"; paste the whole answer of EXPLAIN (FORMAT JSON)')
    return [plan_of(one, _steps(one["Plan"]), form) for one in found]


def _holds_plan(raw: Any) -> bool:
    return isinstance(raw, Mapping) and isinstance(raw.get("Plan"), Mapping)


def _steps(raw: Written) -> Step:
    """Children before parents, with a stack: the depth is the input's choice, not ours."""
    order: list[tuple[Written, int]] = []
    stack: list[tuple[Written, int]] = [(raw, -1)]
    while stack:
        node, parent = stack.pop()
        if len(order) >= MAX_STEPS:
            raise BadPlan(f"the plan has more than {MAX_STEPS} steps")
        order.append((node, parent))
        at = len(order) - 1
        plans = node.get("Plans")
        if isinstance(plans, list):
            hung = completed(node, [child for child in plans if isinstance(child, Mapping)])
            stack.extend([(child, at) for child in reversed(hung)])
    made: dict[int, list[Step]] = {}  # by parent, the last child first
    for at in range(len(order) - 1, -1, -1):
        node, parent = order[at]
        if not str(node.get("Node Type", "")).strip():
            raise BadPlan('a step has no "Node Type"')
        below = made.pop(at, ())
        made.setdefault(parent, []).append(step_of(node, tuple(reversed(below)) if below else ()))
    return made[-1][0]


def _from_text(body: str) -> Plan:
    raw, root = read_text(body)
    if root is None:
        line = next((one.strip() for one in body.split("\n") if one.strip()), "")
        raise BadPlan(
            f"no step of a plan was found, beginning with {line!r:.80}; paste what EXPLAIN printed, as text, JSON, YAML or XML"
        )
    return plan_of(raw, _steps(root), "text")
