"""What may be wrong with a plan: the kinds, and what a rule says of one."""

from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import TypeAlias

from faena.core.findings import Finding, Named, Severity
from faena.core.plans.model import Step
from faena.core.plans.tree import PlanTree

URGENT_SHARE = 0.5  # of the time, from which what spares it is to be looked at soon


class Suspicion(StrEnum):
    """The value is the word in the API and the glossary."""

    MISSING_INDEX = "missing_index"
    LARGE_DISCARD = "large_discard"
    INDEX_DISCARD = "index_discard"
    JOIN_DISCARD = "join_discard"
    TOP_N = "top_n"
    BAD_ESTIMATE = "bad_estimate"
    STALE_STATS = "stale_stats"
    SORT_SPILL = "sort_spill"
    HASH_SPILL = "hash_spill"
    NESTED_LOOP_BLOWUP = "nested_loop_blowup"
    FUNCTION_ON_COLUMN = "function_on_column"
    IMPLICIT_CAST = "implicit_cast"
    LEADING_WILDCARD = "leading_wildcard"
    OR_PREDICATE = "or_predicate"
    OFFSET_PAGING = "offset_paging"
    LIMIT_BAD_INDEX_CHOICE = "limit_bad_index_choice"
    CARTESIAN_JOIN = "cartesian_join"
    REPEATED_SUBPLAN = "cte_or_subplan_repeated"
    LOSSY_BITMAP = "lossy_bitmap"
    INDEX_ONLY_HEAP_FETCHES = "index_only_heap_fetches"
    PARTITION_PRUNED_FAIL = "partition_pruned_fail"
    PARALLEL_NOT_STARTED = "parallel_not_started"
    JIT_OVERHEAD = "jit_overhead"
    TRIGGER_TIME = "trigger_time"
    HEALTHY = "healthy"


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
