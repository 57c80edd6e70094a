"""What makes two plans the same plan: their steps, not their figures or the values they were asked with."""

import re
from hashlib import blake2b

from faena.core.plans.model import Plan, Step, walk


def shape(plan: Plan) -> int:
    """A stable signed 64-bit number: equal for plans with the same steps on the same tables and indexes.

    Costs, row counts, literals and how many workers were started do not take part; which columns an index is searched
    by does not either, since the index and the statement already settle it. Partitions count as the table they make up,
    and several that are read alike as one: another month is no other plan.
    """
    lines = [f"{depth} {line}" for depth, line in _lines(plan.root)]
    digest = blake2b("\n".join(lines).encode("utf-8", "surrogatepass"), digest_size=8).digest()
    return int.from_bytes(digest, "big", signed=True)


_APPENDS = ("Append", "Merge Append", "Parallel Append")
_CHANGES = ("Insert", "Update", "Delete", "Merge")


def _lines(root: Step) -> list[tuple[int, str]]:
    """(depth, step) in pre-order. Children before parents, since how deep it goes is the input's choice."""
    order = [step for _, step in walk(root)]
    made: dict[int, list[tuple[int, str]]] = {}
    for step in reversed(order):
        below = [made.pop(id(child)) for child in step.children]
        if step.kind in _APPENDS:
            below = list({str(block): block for block in below}.values())
        if step.kind.startswith(_CHANGES):
            below = [
                [(depth, line.replace("|Member|", "|Outer|", 1) if not depth else line) for depth, line in block]
                for block in below
            ]
        made[id(step)] = [(0, _line(step)), *((depth + 1, line) for block in below for depth, line in block)]
    return made[id(root)]


def _line(step: Step) -> str:
    table, index = _of_the_whole(step)
    return "|".join((step.kind, step.relation, step.join, step.strategy, table, index, str(step.parallel)))


_NUMBERED = re.compile(r"_\d+$")


def _of_the_whole(step: Step) -> tuple[str, str]:
    """Table and index, of a partition those of its table: a partition stands under its table's name or alias, numbered."""
    named = _NUMBERED.sub("", step.alias)
    if not named or not re.fullmatch(re.escape(named) + r"_\w*\d\w*", step.table) or step.table == step.alias:
        return step.table, step.index
    return f"{named}_#", step.index.replace(step.table, f"{named}_#")


def gist(plan: Plan, limit: int = 200) -> str:
    """A plan in a line: how it reaches its tables, in the order of the plan."""
    reads = [f"{step.kind} {step.target}".strip() for _, step in walk(plan.root) if step.table or step.index]
    joins = [step.kind for _, step in walk(plan.root) if step.kind in ("Nested Loop", "Hash Join", "Merge Join")]
    line = ", ".join([*dict.fromkeys(joins), *reads]) or plan.root.kind
    return line if len(line) <= limit else line[: limit - 1] + "…"
