"""Surveys from cumulative counts: what happened since the one before."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from faena.core.readings import ServerVitals, Survey, TableFigures
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class Counts:
    """Rows of queries.VITALS and queries.TABLES at one moment."""

    at: EpochMs
    vitals: Sequence[Any]
    tables: Sequence[Sequence[Any]]


def survey_between(before: Counts | None, now: Counts) -> Survey:
    """Without counts for the first one, and after a reset of the statistics, when they went back."""
    if before is None or any(a < b for a, b in zip(now.vitals[1:8], before.vitals[1:8], strict=True)):
        return Survey(at=now.at)
    connections, *counts = now.vitals[:8]
    commits, rollbacks, deadlocks, conflicts, temp, read, hit = (
        a - b for a, b in zip(counts, before.vitals[1:8], strict=True)
    )
    vitals = ServerVitals(
        at=now.at,
        covers_ms=now.at - before.at,
        connections=connections,
        size_bytes=now.vitals[8],
        commits=commits,
        rollbacks=rollbacks,
        deadlocks=deadlocks,
        conflicts=conflicts,
        temp_bytes=temp,
        blocks_read=read,
        blocks_hit=hit,
        lag_ms=now.vitals[9],
        transaction_age=now.vitals[10],
    )
    return Survey(at=now.at, since=before.at, vitals=vitals, tables=tuple(_tables(before, now)))


def _tables(before: Counts, now: Counts) -> list[TableFigures]:
    """Tables and indexes that anything was read or written of."""
    earlier = {tuple(row[:3]): row[3:8] for row in before.tables}
    found = []
    for schema, table, index, *figures, size in now.tables:
        last = earlier.get((schema, table, index), (0.0,) * 5)
        read, hit, scans, rows, written = (max(0.0, a - b) for a, b in zip(figures, last, strict=True))
        if read or hit or scans or written:
            found.append(
                TableFigures(
                    table=table if schema == "public" else f"{schema}.{table}",
                    index=index,
                    blocks_read=read,
                    blocks_hit=hit,
                    scans=scans,
                    rows_read=rows,
                    rows_written=written,
                    size_bytes=size,
                )
            )
    return found
