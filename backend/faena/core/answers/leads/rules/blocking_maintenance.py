"""A command of maintenance holds the lock of a table that others want, or loads the disk on which they wait."""

from collections.abc import Iterator

import numpy as np

from faena.core.answers.leads.blocked import (
    Blockage,
    blockages,
    harms,
    held,
    holder,
    middle,
    object_of,
    symptom,
    table_of,
)
from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.maintaining import AUTOVACUUM, is_maintenance
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.reading import read_by
from faena.core.answers.leads.words import capital, quoted, sessions, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

LEAST_BUSY = 0.6  # mean sessions of maintenance on the disk
LEAST_HARMED = 0.7  # and of others that wait for it
LEAST_PART = 0.25  # of what is read


def blocking_maintenance(seen: Observed) -> Iterator[Claim]:
    """Blocks by a lock, or takes the disk."""
    for one in blockages(seen):
        if not one.idle and one.root is not None and harms(seen, one.mask) and is_maintenance(seen.text(one.query_id)):
            yield _blocks(seen, one)
    yield from _takes_the_disk(seen)


def _blocks(seen: Observed, one: Blockage) -> Claim:
    text = seen.text(one.query_id)
    table = table_of(one.facts) or next(iter(tables_of(text)), "")
    age = f" for {took(one.open_ms)}" if one.open_ms >= 0 else ""
    on = object_of(one.facts)
    return Claim(
        kind=LeadKind.MAINTENANCE,
        title=f"{quoted(text)} blocks {one.episode.waiters} sessions",
        mask=one.mask,
        root=Root(
            statement=text, program=one.root.program if one.root else "", table=table, pid=one.episode.pid, object=on
        ),
        chain=(
            symptom(seen, one.mask), *middle(seen, one),
            Step(f"{capital(holder(one))} has run {quoted(text)}{age} and holds {held(one.facts) or 'its lock'}.", Reference("blocking")),
        ),
        ruled_out=(RuledOut("a transaction left open", "the root is at work"),),
        next_step=_gently(text, one.episode.pid),
        certainty=0.96,
    )  # fmt: skip


def _gently(text: str, pid: int) -> str:
    lower = text.lower()
    kinder = ""
    if "index" in lower and "concurrently" not in lower:
        kinder = "  -- then build it CONCURRENTLY, which lets others change the table"
    elif lower.lstrip().startswith(("vacuum", "cluster")):
        kinder = "  -- then run it when nobody works, or VACUUM without FULL"
    elif lower.lstrip().startswith("alter"):
        kinder = "  -- then run it with a lock_timeout, and again when it could not have its lock"
    return f"SELECT pg_cancel_backend({pid});{kinder}"


def _takes_the_disk(seen: Observed) -> Iterator[Claim]:
    on_disk = seen.of_kind(WaitKind.DATA_IO)
    mine = _maintained(seen)
    others = on_disk & ~mine
    busy = mine & (on_disk | seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.COMMIT))
    if seen.mean(busy) < LEAST_BUSY or seen.mean(others) < LEAST_HARMED or not (mine & on_disk).any():
        return
    (query_id, _), *_ = [*seen.statements(busy), (None, 0)]
    if not _reads_much(seen, query_id):
        return
    text = seen.text(query_id)
    programs = seen.ranked(Dimension.PROGRAM, busy)
    pids = np.unique(seen.frame.pid[busy])
    victims = seen.ranked(Dimension.PROGRAM, others)
    yield Claim(
        kind=LeadKind.MAINTENANCE,
        title=f"{quoted(text) if text else programs[0][0]} takes the disk that {victims[0][0]} waits for",
        mask=on_disk | busy,
        root=Root(
            statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""),
            pid=int(pids[0]) if len(pids) else None,
        ),
        chain=(
            Step(f"{sessions(seen.mean(others))} of {victims[0][0]} and others waited for reads and writes on average.", Reference("load")),
            Step(f"{programs[0][0]} ran {quoted(text)} beside them, on the disk in {seen.mean(busy):.1f} sessions.", Reference("load")),
        ),
        next_step=f"SELECT pg_cancel_backend({int(pids[0])});  -- and run it when the disk is idle" if len(pids) else "",
        certainty=0.85,
        about=frozenset(int(q) for q, _ in seen.statements(others)),
    )  # fmt: skip


def _reads_much(seen: Observed, query_id: QueryId | None) -> bool:
    """Where it is known what was read of which table: one that waits for the disk itself is no cause of that."""
    whole = sum(one.blocks_read for one in seen.tables)
    if query_id is None or not whole or not tables_of(seen.text(query_id)):
        return True
    return read_by(seen, [query_id]).get(query_id, 0.0) >= LEAST_PART * whole


def _maintained(seen: Observed) -> Flags:
    texts = {q for q, _ in seen.statements(seen.active) if is_maintenance(seen.text(q))}
    mask = seen.where(Dimension.STATEMENT, *(str(q) for q in texts)) | seen.where(Dimension.BACKEND, AUTOVACUUM)
    found: Flags = mask & seen.active
    return found
