"""What may be wrong with a plan, each with its figures, the time at stake and one concrete next step.

Rules are functions in one ordered tuple; they stand in rules/, by what they look at.
"""

from collections.abc import Sequence
from itertools import chain

from faena.core.engines.postgres.plans.rules.cartesian import cartesian
from faena.core.engines.postgres.plans.rules.column_is_cast import column_is_cast
from faena.core.engines.postgres.plans.rules.function_wraps_column import function_wraps_column
from faena.core.engines.postgres.plans.rules.hash_on_disk import hash_on_disk
from faena.core.engines.postgres.plans.rules.heap_fetches import heap_fetches
from faena.core.engines.postgres.plans.rules.index_discard import index_discard
from faena.core.engines.postgres.plans.rules.jit_overhead import jit_overhead
from faena.core.engines.postgres.plans.rules.join_discard import join_discard
from faena.core.engines.postgres.plans.rules.large_discard import large_discard
from faena.core.engines.postgres.plans.rules.limit_misleads import limit_misleads
from faena.core.engines.postgres.plans.rules.lossy_bitmap import lossy_bitmap
from faena.core.engines.postgres.plans.rules.missing_index import missing_index
from faena.core.engines.postgres.plans.rules.missing_workers import missing_workers
from faena.core.engines.postgres.plans.rules.nested_loop import nested_loop
from faena.core.engines.postgres.plans.rules.offset_paging import offset_paging
from faena.core.engines.postgres.plans.rules.or_over_columns import or_over_columns
from faena.core.engines.postgres.plans.rules.pruning import pruning
from faena.core.engines.postgres.plans.rules.repeated_subplan import repeated_subplan
from faena.core.engines.postgres.plans.rules.sort_on_disk import sort_on_disk
from faena.core.engines.postgres.plans.rules.stale_statistics import stale_statistics
from faena.core.engines.postgres.plans.rules.top_n import top_n
from faena.core.engines.postgres.plans.rules.trigger_time import trigger_time
from faena.core.engines.postgres.plans.rules.wildcard_comes_first import wildcard_comes_first
from faena.core.engines.postgres.plans.rules.wrong_estimate import wrong_estimate
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
    words = "No problem found: row counts are as estimated, nothing spills to disk, hardly a row is filtered out."
    if not plan.analysed:
        words = "No problem found in the estimate. Whether it is right shows only when the statement is run (EXPLAIN ANALYZE)."
    return [suspect(tree, Suspicion.HEALTHY, None, None, words, "")]


def verdict(findings: Sequence[Finding]) -> str:
    """`healthy` or `suspicious`, for programs that want one word."""
    return "healthy" if all(one.kind is Suspicion.HEALTHY for one in findings) else "suspicious"
