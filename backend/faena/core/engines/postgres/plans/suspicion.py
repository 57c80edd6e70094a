"""What may be wrong with a plan: the kinds, and what a rule says of one."""

from collections.abc import Callable, Iterator
from typing import TypeAlias

from faena.core.findings import Finding, Named, Severity
from faena.core.labels import Labelled
from faena.core.plans.model import Step
from faena.core.plans.tree import PlanTree

URGENT_SHARE = 0.5  # of the time, from which what spares it is to be looked at soon


class Suspicion(Labelled):
    """The value is the word in the API and the glossary."""

    MISSING_INDEX = "missing_index", "missing index"
    LARGE_DISCARD = "large_discard", "rows read and filtered out"
    INDEX_DISCARD = "index_discard", "rows fetched by an index and filtered out"
    JOIN_DISCARD = "join_discard", "joined pairs filtered out"
    TOP_N = "top_n", "whole table sorted for a few rows"
    BAD_ESTIMATE = "bad_estimate", "wrong estimate"
    STALE_STATS = "stale_stats", "stale statistics"
    SORT_SPILL = "sort_spill", "sort on disk"
    HASH_SPILL = "hash_spill", "hash table on disk"
    NESTED_LOOP_BLOWUP = "nested_loop_blowup", "nested loop out of hand"
    FUNCTION_ON_COLUMN = "function_on_column", "function on a column"
    IMPLICIT_CAST = "implicit_cast", "implicit cast"
    LEADING_WILDCARD = "leading_wildcard", "pattern that begins with a wildcard"
    OR_PREDICATE = "or_predicate", "OR over several columns"
    OFFSET_PAGING = "offset_paging", "paging by OFFSET"
    LIMIT_BAD_INDEX_CHOICE = "limit_bad_index_choice", "index chosen for its order alone"
    CARTESIAN_JOIN = "cartesian_join", "join without a condition"
    REPEATED_SUBPLAN = "cte_or_subplan_repeated", "subquery run for each row"
    LOSSY_BITMAP = "lossy_bitmap", "bitmap that did not fit"
    INDEX_ONLY_HEAP_FETCHES = "index_only_heap_fetches", "index that must look into the table"
    PARTITION_PRUNED_FAIL = "partition_pruned_fail", "partitions searched in vain"
    PARALLEL_NOT_STARTED = "parallel_not_started", "missing parallel workers"
    JIT_OVERHEAD = "jit_overhead", "compiling took long"
    TRIGGER_TIME = "trigger_time", "triggers took long"
    HEALTHY = "healthy", "no problem found"


def suspect(
    tree: PlanTree, kind: Suspicion, step: Step | None, ms: float | None, sentence: str, next_step: str
) -> Finding:
    """A finding about one step, None for the plan as a whole; `ms` are the time at stake, None when the plan was not run."""
    share = None if ms is None or not tree.total_ms else min(1.0, ms / tree.total_ms)
    severity = Severity.SOON if share is not None and share >= URGENT_SHARE else Severity.NOTE
    return Finding(
        kind=kind,
        severity=Severity.FINE if kind is Suspicion.HEALTHY else severity,
        sentence=sentence,
        next_step=next_step,
        objects=() if step is None else (Named("step", str(tree.index(step))),),
        at_stake_ms=ms,
        share=share,
    )


Rule: TypeAlias = Callable[[PlanTree], Iterator[Finding]]  # never changes the plan, never raises on an odd one
