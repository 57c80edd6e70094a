"""Which changes fall into the beginning of a lead, and whether they can be its cause."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from faena.core.answers.leads.claim import Claim, Root
from faena.core.answers.leads.kinds import LeadKind as Lead
from faena.core.answers.leads.observed import Observed
from faena.core.changes.change import Found
from faena.core.changes.kinds import ChangeKind as Kind
from faena.core.series.window import Window
from faena.core.sql.names import tables_of
from faena.core.units import EpochMs

BEFORE_MS, AFTER_MS = 15 * 60_000, 60_000  # a cause comes a little before what it causes; clocks and looks differ
UNBROKEN_MS = 60_000  # away for no longer, a lead goes on without a break
_ANYTHING = (Kind.DEPLOY, Kind.NOTE)  # may have changed anything at all
_TABLE = (
    Kind.INDEX_DROPPED, Kind.INDEX_INVALID, Kind.INDEX_REBUILT, Kind.INDEX_MADE, Kind.TABLE_ALTERED,
    Kind.TABLE_REWRITTEN, Kind.TABLE_GREW, Kind.STATISTICS, Kind.STATISTICS_MISSING,
)  # fmt: skip
_WHO = (Kind.PROGRAM_NEW, Kind.CLIENT_NEW, Kind.STATEMENT_NEW)
_SERVER = (Kind.SETTING, Kind.ROLE_SETTING, Kind.RESTART, Kind.VERSION, Kind.CORES, Kind.EXTENSION)
_DEARER = (*_TABLE, Kind.PLAN_SWITCH, *_SERVER)
# What can cause which kind of lead, by the way it works. What is not named here can cause it only by being a deploy.
CAN_CAUSE: Mapping[Lead, Sequence[Kind]] = {
    Lead.IDLE_TRANSACTION: (*_WHO, Kind.SETTING, Kind.ROLE_SETTING),
    Lead.LOCK_CHAIN: (*_WHO, *_DEARER),
    Lead.HOT_ROW: _WHO,
    Lead.ADVISORY_LOCK: _WHO,
    Lead.DEADLOCK_PATTERN: (*_WHO, Kind.INDEX_DROPPED, Kind.PLAN_SWITCH),
    Lead.MISSING_INDEX: (Kind.INDEX_DROPPED, Kind.INDEX_INVALID, Kind.TABLE_GREW, Kind.STATEMENT_NEW, Kind.PLAN_SWITCH),
    Lead.DEFEATED_INDEX: (Kind.STATEMENT_NEW, Kind.TABLE_ALTERED),
    Lead.DEEP_PAGING: (Kind.STATEMENT_NEW, Kind.CLIENT_NEW, Kind.PROGRAM_NEW),
    Lead.PLAN_CHANGE: _DEARER,
    Lead.VOLUME_GROWTH: (Kind.TABLE_GREW,),
    Lead.RUNAWAY_STATEMENT: (*_WHO, *_DEARER),
    Lead.CPU_SATURATION: (*_WHO, *_DEARER),
    Lead.DISK_SATURATION: (*_WHO, *_DEARER),
    Lead.COMMIT_RATE: (*_WHO, Kind.SETTING),
    Lead.SPILL: (*_WHO, Kind.SETTING, Kind.ROLE_SETTING, Kind.PLAN_SWITCH, Kind.TABLE_GREW),
    Lead.REPEATED_STATEMENT: _WHO,
    Lead.CONFLICT_RETRIES: (*_WHO, Kind.SETTING, Kind.ROLE_SETTING, Kind.INDEX_DROPPED),
    Lead.MAINTENANCE: (
        *_WHO,
        Kind.INDEX_MADE,
        Kind.INDEX_INVALID,
        Kind.INDEX_REBUILT,
        Kind.TABLE_ALTERED,
        Kind.TABLE_REWRITTEN,
    ),
    Lead.SLOW_CLIENT: (Kind.CLIENT_NEW, Kind.PROGRAM_NEW),
    Lead.CONNECTION_STORM: (*_WHO, Kind.SETTING, Kind.RESTART),
    Lead.HELD_BACK_VACUUM: (*_WHO, Kind.REPLICA_ATTACHED, Kind.SETTING),
    Lead.INTERNAL_CONTENTION: (*_WHO, *_SERVER),
    Lead.REPLICA_CONFLICT: (*_WHO, Kind.SETTING),
    Lead.HOST_VERSION: (Kind.CLIENT_NEW, Kind.STATEMENT_NEW),
    Lead.OTHER: (*_WHO, *_DEARER, Kind.STATEMENT_GONE),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Suspect:
    """A change at the beginning of a lead. `can` be its cause; `why`, or why not, in words."""

    change: Found
    can: bool
    why: str


class Lasted(NamedTuple):
    """When a lead was seen in a window: `whole` from its first sample to its last, and the `newest` unbroken part of it."""

    whole: Window
    newest: Window


def lasted(seen: Observed, claim: Claim) -> Lasted:
    """When its samples came; the whole window where it explains no sample."""
    rows = np.flatnonzero(claim.mask & (seen.active | seen.blocked))
    if not len(rows):
        return Lasted(seen.window, seen.window)
    ticks = np.unique(seen.frame.tick_ms[seen.frame.tick[rows]])
    breaks = np.flatnonzero(np.diff(ticks) > UNBROKEN_MS)
    newest = int(ticks[breaks[-1] + 1]) if len(breaks) else int(ticks[0])
    end = int(ticks[-1]) + max(round(1000 * seen.tick_s), 1)
    return Lasted(*(Window(start=EpochMs(at), end=EpochMs(end)) for at in (int(ticks[0]), newest)))


def began_again(when: Lasted, handled: int) -> bool:
    """Whether a lead began once more after it was handled, at that moment in ms since 1970.

    What goes on while it is being handled has not come back; what begins once more after that has, however soon.
    """
    return when.newest.start > handled + UNBROKEN_MS


def suspects(claim: Claim, begun: EpochMs, changes: Sequence[Found]) -> list[Suspect]:
    """Those near the beginning, the likeliest first: what can be its cause, and then what came last before it."""
    near = [one for one in changes if begun - BEFORE_MS <= one.at and one.since <= begun + AFTER_MS]
    told = [_suspect(claim, one) for one in near]
    return sorted(told, key=lambda one: (not one.can, abs(one.change.at - begun)))


def _suspect(claim: Claim, change: Found) -> Suspect:
    if change.kind in _ANYTHING:
        return Suspect(change=change, can=True, why="it may have changed what the programs do")
    if change.kind not in CAN_CAUSE.get(claim.kind, ()):
        return Suspect(change=change, can=False, why=f"no way is known from it to “{claim.kind.label}”")
    of = _of(claim.root, change)
    if of is None:
        return Suspect(change=change, can=False, why="it is of something else than what is at fault")
    return Suspect(change=change, can=True, why=of)


def _of(root: Root, change: Found) -> str | None:
    """What a change has to do with the root, in words; None: nothing."""
    if change.kind in _SERVER:
        return "it holds for the whole server"
    tables = {root.table, *tables_of(root.statement)} - {""}
    if change.kind in _TABLE:
        return f"it is of {change.table}" if change.table in tables or change.object == root.index else None
    if change.kind is Kind.PROGRAM_NEW:
        return f"{change.object} is at fault" if change.object == root.program else None
    if change.kind in (Kind.STATEMENT_NEW, Kind.STATEMENT_GONE, Kind.PLAN_SWITCH):
        same = bool(root.statement) and _alike(change.object, root.statement)
        return "it is of this very statement" if same else None
    if change.kind is Kind.CLIENT_NEW:
        # Where sessions come from is known of the root only where the host itself is at fault.
        return f"{change.object} is at fault" if change.object == root.object else None
    return "it touches what is at fault" if change.object in (root.object, root.program) else None


def _alike(one: str, other: str) -> bool:
    """Statements by their beginning, since a change names them in a line."""
    short, long = sorted((" ".join(one.rstrip("…").split()), " ".join(other.split())), key=len)
    return long.startswith(short)
