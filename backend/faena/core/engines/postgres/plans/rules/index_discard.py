"""An index scan that filters out most of what it fetches."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import table_name
from faena.core.engines.postgres.plans.predicates import conjuncts, predicates
from faena.core.engines.postgres.plans.rules.discards import in_vain, shown_condition
from faena.core.engines.postgres.plans.rules.limit_misleads import limit_misleads
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import PlanTree


def index_discard(tree: PlanTree) -> Iterator[Finding]:
    """An index finds the rows, and a condition that it does not hold filters nearly all of them out."""
    flagged = {one.step for one in limit_misleads(tree)}
    for step in tree.steps:
        fetches = "Index Scan" in step.kind or "Index Only Scan" in step.kind or step.kind.endswith("Bitmap Heap Scan")
        if not fetches or step.actual is None or tree.index(step) in flagged:
            continue
        filtered, again = (n * step.actual.loops for n in (step.removed_filter, step.removed_recheck))
        if not in_vain(tree, filtered + again, step):
            continue
        by = "Filter" if filtered >= again else "Recheck Cond"
        yield suspect(
            tree, Suspicion.INDEX_DISCARD, step, tree.own(step),
            f"fetches {count(filtered + again + (step.rows or 0))} rows by {_index_of(step)} and filters {count(filtered + again)} of them out, by {shown_condition(step.conditions.get(by, 'its condition'))}",
            _wider(step) if by == "Filter" else "the index finds too much: one that holds what is compared, or a stricter condition",
        )  # fmt: skip


def _index_of(step: Step) -> str:
    if step.index:
        return step.index
    below = next((one for one in step.children if one.index), None)
    return below.index if below is not None else "its index"


def _wider(step: Step) -> str:
    """An index that has what is filtered, too: told as a statement where all of both conditions are plain comparisons."""
    below = step.children[0] if step.children else step
    found, filtered = (
        step.conditions.get("Index Cond") or below.conditions.get("Index Cond", ""),
        step.conditions.get("Filter", ""),
    )
    both = predicates(" AND ".join(f"({one})" for one in (found, filtered) if one))
    equal, ranges = [one.key for one in both if one.equal], [one.key for one in both if not one.equal]
    whole = len(both) == len({p.column for part in (found, filtered) if part for p in predicates(part)})
    plain = all(len(predicates(one)) == 1 for one in conjuncts(filtered))
    if not (whole and plain and equal and step.table):
        return "an index that also holds the filtered columns; which one, the plan does not show"
    return f"CREATE INDEX CONCURRENTLY ON {table_name(step)} ({', '.join([*equal, *ranges[:1]])});"
