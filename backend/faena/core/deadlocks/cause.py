"""Why a circle formed, and what mends it."""

from collections.abc import Set
from dataclasses import replace

from faena.core.deadlocks.causes.advisory import advisory
from faena.core.deadlocks.causes.circle import Cause, Circle, Rule, who
from faena.core.deadlocks.causes.ddl import ddl
from faena.core.deadlocks.causes.foreign_key import foreign_key
from faena.core.deadlocks.causes.many_rows import many_rows
from faena.core.deadlocks.causes.missing_index_scan import missing_index_scan
from faena.core.deadlocks.causes.opposite_order import opposite_order
from faena.core.deadlocks.causes.table_lock import table_lock
from faena.core.deadlocks.causes.unique_insert import unique_insert
from faena.core.deadlocks.causes.upgrade import upgrade
from faena.core.deadlocks.report import Party, Report
from faena.core.findings import Finding

__all__ = ["RULES", "Cause", "judge", "sentence"]

UNCODED = " The log has no codes of errors, so this is perhaps a message that somebody raised, and no deadlock."
RETRY = "Whatever else is done: let the program repeat a transaction that ends with 40P01 (deadlock_detected)."

RULES: tuple[Rule, ...] = (
    advisory, ddl, unique_insert, foreign_key, upgrade, table_lock, missing_index_scan, many_rows, opposite_order,
)  # fmt: skip


def judge(report: Report, scanning: Set[int] = frozenset()) -> Finding:
    """The class of cause, with its reason. `scanning` are pids whose plan is known to lock rows by scanning."""
    circle = Circle(report, scanning)
    found = next(finding for rule in RULES if (finding := rule(circle)) is not None)
    unsure = "" if report.coded else UNCODED
    return replace(found, further_steps=(*found.further_steps, RETRY), sentence=found.sentence + unsure)


def sentence(report: Report) -> str:
    """What happened, from the victim on."""
    steps = [
        f"{who(one)} (pid {one.pid}) wanted {one.wants.words}, which {who(_of(report, one.waits_for))} "
        f"(pid {one.waits_for}) held"
        for one in report.parties
    ]
    return f"{'; '.join(steps)}. The server ended the transaction of {who(report.victim)}."


def _of(report: Report, pid: int) -> Party:
    return next(one for one in report.parties if one.pid == pid)
