"""What makes two plans the same plan: their steps, not their figures or the values they were asked with."""

from hashlib import blake2b

from faena.core.plans.model import Plan, Step, walk


def shape(plan: Plan) -> int:
    """A stable signed 64-bit number: equal for plans with the same steps on the same tables and indexes.

    Costs, row counts, literals and how many workers were started do not take part; which columns an index is searched
    by does not either, since the index and the statement already settle it.
    """
    lines = [f"{depth} {_line(step)}" for depth, step in walk(plan.root)]
    digest = blake2b("\n".join(lines).encode("utf-8", "surrogatepass"), digest_size=8).digest()
    return int.from_bytes(digest, "big", signed=True)


def _line(step: Step) -> str:
    return "|".join((step.kind, step.relation, step.join, step.strategy, step.table, step.index, str(step.parallel)))


def gist(plan: Plan, limit: int = 200) -> str:
    """A plan in a line: how it reaches its tables, in the order of the plan."""
    reads = [f"{step.kind} {step.target}".strip() for _, step in walk(plan.root) if step.table or step.index]
    joins = [step.kind for _, step in walk(plan.root) if step.kind in ("Nested Loop", "Hash Join", "Merge Join")]
    line = ", ".join([*dict.fromkeys(joins), *reads]) or plan.root.kind
    return line if len(line) <= limit else line[: limit - 1] + "…"
