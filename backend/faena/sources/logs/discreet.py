"""Executions without the literals that people gave them: those can be personal data."""

import re
from typing import Any

import orjson

from faena.core.logged import Execution
from faena.core.texts import normalise

_CONDITION = re.compile(r"(Cond|Filter|Key|Output|Function Call|Presorted)")
_TEXT_CONDITION = re.compile(
    r"^(\s*(?:[\w ]*(?:Cond|Filter|Key)|Output|Function Call|Query Text):\s*)(.*)$", re.MULTILINE
)


def discreet(one: Execution) -> Execution:
    """Statement and parameters gone, the plan's conditions without literals. Its statement is known by its identifier."""
    return one._replace(statement="", parameters="", plan=without_literals(one.plan) if one.plan else "")


def without_literals(plan: str) -> str:
    """The same plan with ? for each literal; in JSON as it was, in another form line by line."""
    try:
        raw = orjson.loads(plan)
    except ValueError:
        return _TEXT_CONDITION.sub(lambda m: m[1] + normalise(m[2]), plan)
    _clean(raw)
    return orjson.dumps(raw).decode()


def _clean(raw: Any) -> None:
    """In place, with a stack: the depth is the input's choice."""
    stack = [raw]
    while stack:
        node = stack.pop()
        if isinstance(node, list):
            stack.extend(node)
        elif isinstance(node, dict):
            for key, value in node.items():
                if key == "Query Text" and isinstance(value, str):
                    node[key] = normalise(value)
                elif _CONDITION.search(key):
                    node[key] = _cleaned(value)
                else:
                    stack.append(value)


def _cleaned(value: Any) -> Any:
    if isinstance(value, str):
        return normalise(value)
    return [_cleaned(one) for one in value] if isinstance(value, list) else value
