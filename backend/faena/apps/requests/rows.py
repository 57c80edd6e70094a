"""Sums of requests as the store has them: figures as an array, durations by class as bytes.

The server adds up figures by itself and hands over the classes of an origin end to end, so that a day of many endpoints is
one row for each origin. Adding to the classes needs what is there, so whoever writes sums of a server holds its lock.
"""

from collections.abc import Collection, Iterable, Sequence
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from faena.core.requests.sums import REQUEST_FIGURES, RUNGS, Vector

_RUNG = np.dtype(">f4")  # as float4send writes it; counts above 16 million lose their last digits
_LOCK = 0x5EED  # the class of this lock among the advisory ones
RungsKey = tuple[int, ...]  # length and start in ms, origin


class SumRow(NamedTuple):
    """Sums of an origin over a time."""

    origin: int
    figures: Vector
    rungs: Vector


def rungs_bytes(rungs: Vector) -> bytes:
    """Requests by class of duration, RUNGS + 1 of them."""
    return rungs.astype(_RUNG).tobytes()


def rungs_vector(stored: bytes | memoryview) -> Vector:
    """Inverse of `rungs_bytes`; of several end to end their sum."""
    found: Vector = np.frombuffer(stored, dtype=_RUNG).reshape(-1, RUNGS + 1).sum(axis=0, dtype=np.float64)
    return found


def read_request_sums(
    server_id: int, pieces: Iterable[tuple[int, int, int]], origins: Collection[int] | None
) -> list[SumRow]:
    """Sums of RequestSum by origin over pieces (length, start, end) of time, all in ms; `origins` None: of all."""
    asked: list[Any] = [server_id]
    times = []
    for piece in pieces:
        times.append("(length_ms = %s AND at_ms >= %s AND at_ms < %s)")
        asked += piece
    among = ""
    if origins is not None:
        among = " AND origin_id = ANY(%s)"
        asked.append(list(origins))
    figures = ", ".join(f"sum(figures[{i + 1}])" for i in range(len(REQUEST_FIGURES)))
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT origin_id, string_agg(rungs, ''::bytea), {figures} FROM requests_requestsum "
            f"WHERE server_id = %s AND ({' OR '.join(times)}){among} GROUP BY origin_id",
            asked,
        )
        return [SumRow(origin, np.array(sums), rungs_vector(rungs)) for origin, rungs, *sums in cursor.fetchall()]


def lock_sums(server_id: int) -> None:
    """Until the transaction ends nobody else adds to the sums of this server."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s, hashint8(%s))", [_LOCK, server_id])


def stored_rungs(server_id: int, keys: Sequence[RungsKey]) -> dict[RungsKey, Vector]:
    """What is stored of these; those that are not there are left out."""
    lengths, starts, origins = zip(*keys, strict=True) if keys else ((), (), ())
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT length_ms, at_ms, origin_id, rungs FROM requests_requestsum JOIN unnest(%s::int[], %s::bigint[], %s::bigint[]) "
            "AS k(length_ms, at_ms, origin_id) USING (length_ms, at_ms, origin_id) WHERE server_id = %s",
            [list(lengths), list(starts), list(origins), server_id],
        )
        return {tuple(key): rungs_vector(rungs) for *key, rungs in cursor.fetchall()}
