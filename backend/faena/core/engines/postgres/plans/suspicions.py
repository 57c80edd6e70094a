"""What may be wrong with a plan, each with its figures, the time at stake and one concrete next step.

Rules are functions in one ordered tuple; they stand in rules/, by what they look at.
"""

from collections.abc import Sequence
from itertools import chain

from faena.core.engines.postgres.plans.rules.around import jit_overhead, missing_workers, trigger_time
from faena.core.engines.postgres.plans.rules.discards import index_discard, join_discard, large_discard, top_n
from faena.core.engines.postgres.plans.rules.expectations import stale_statistics, wrong_estimate
from faena.core.engines.postgres.plans.rules.limits import limit_misleads, offset_paging
from faena.core.engines.postgres.plans.rules.repeats import cartesian, nested_loop, repeated_subplan
from faena.core.engines.postgres.plans.rules.scans import (
    column_is_cast,
    function_wraps_column,
    heap_fetches,
    lossy_bitmap,
    missing_index,
    or_over_columns,
    pruning,
    wildcard_comes_first,
)
from faena.core.engines.postgres.plans.rules.spills import hash_on_disk, sort_on_disk
from faena.core.engines.postgres.plans.suspicion import Rule, Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.model import Plan
from faena.core.plans.tree import tree_of

RULES: tuple[Rule, ...] = (
    missing_index, large_discard, index_discard, join_discard, top_n, function_wraps_column, column_is_cast, wildcard_comes_first, or_over_columns, stale_statistics,
    wrong_estimate, sort_on_disk, hash_on_disk, nested_loop, offset_paging, limit_misleads, cartesian, repeated_subplan,
    lossy_bitmap, heap_fetches, pruning, missing_workers, jit_overhead, trigger_time,
)  # fmt: skip


def examine(plan: Plan, rules: Sequence[Rule] = RULES) -> list[Finding]:
    """What is suspected, most time at stake first; one finding HEALTHY when nothing is."""
    tree = tree_of(plan)
    found = sorted(chain.from_iterable(rule(tree) for rule in rules), key=lambda one: -(one.at_stake_ms or 0.0))
    if found:
        return found
    words = "Nothing stands out: rows come as expected, nothing spills, nothing is read in vain."
    if not plan.analysed:
        words = "Nothing stands out in the estimate. Whether it holds shows only when the statement is run (EXPLAIN ANALYZE)."
    return [suspect(tree, Suspicion.HEALTHY, None, None, words, "")]


def verdict(findings: Sequence[Finding]) -> str:
    """`healthy` or `suspicious`, for programs that want one word."""
    return "healthy" if all(one.kind is Suspicion.HEALTHY for one in findings) else "suspicious"
