"""Moving rows of samples in and out of PostgreSQL by binary COPY."""

from collections.abc import Iterable, Mapping
from typing import LiteralString

import numpy as np
import numpy.typing as npt
from django.db import connection

from faena.core.sessions.frame import SampleFrame

OPEN_COLUMNS = ("at_ms", "pid", "code", "blocker", "started_s", "transaction_ms", "statement_ms")

_COPY_IN: LiteralString = (
    "COPY samples_opensample (server_id, at_ms, pid, code, blocker, started_s, transaction_ms, statement_ms) "
    "FROM STDIN (FORMAT BINARY)"
)
_COPY_OUT: LiteralString = (
    "COPY (SELECT at_ms, pid, code, blocker, started_s, transaction_ms, statement_ms FROM samples_opensample "
    "WHERE server_id = {server} AND at_ms >= {start} AND at_ms < {end} ORDER BY at_ms, pid) TO STDOUT (FORMAT BINARY)"
)
# Ticks and samples below each other, and not joined: of a server that came after the newest statistics the planner expects
# one row, and reads all of its samples again for each tick.
_COPY_FRAME: LiteralString = (
    "COPY (SELECT at_ms, code FROM (SELECT at_ms, -1 AS pid, -1 AS code FROM samples_tick WHERE {own} UNION ALL "
    "SELECT at_ms, pid, code FROM samples_opensample WHERE {own}) AS seen ORDER BY at_ms, pid) TO STDOUT (FORMAT BINARY)"
)
_OWN_FRAME: LiteralString = "server_id = {server} AND at_ms > {after} AND at_ms < {end} AND at_ms % 1000 = 0"
NEVER_MS = 2**53  # later than anything
_HEADER_BYTES = 19  # signature 11, flags 4, extension length 4
# A row of binary COPY: field count, then length and value of each field. No field is null, so rows have one size.
_ROW = np.dtype(
    [("fields", ">i2"), ("at_ms_len", ">i4"), ("at_ms", ">i8")]
    + [entry for name in OPEN_COLUMNS[1:] for entry in ((f"{name}_len", ">i4"), (name, ">i4"))]
)
_FRAME_ROW = np.dtype([("fields", ">i2"), ("at_len", ">i4"), ("at_ms", ">i8"), ("code_len", ">i4"), ("code", ">i4")])

_SERVER_ROW = np.dtype([("fields", ">i2"), ("server_len", ">i4"), ("server_id", ">i8"), *_FRAME_ROW.descr[1:]])


def copy_in(rows: Iterable[tuple[int, ...]]) -> None:
    """Rows of (server_id, *OPEN_COLUMNS), inside the caller's transaction."""
    with connection.cursor() as cursor, cursor.copy(_COPY_IN) as copy:
        copy.set_types(["int8", "int8", "int4", "int4", "int4", "int4", "int4", "int4"])
        for row in rows:
            copy.write_row(row)


def copy_out(server_id: int, start_ms: int, end_ms: int) -> npt.NDArray[np.void]:
    """Open samples of [start, end) as a structured array with the fields OPEN_COLUMNS, in order of time and pid."""
    query = _COPY_OUT.format(server=int(server_id), start=int(start_ms), end=int(end_ms))
    return np.frombuffer(_read(query), dtype=_ROW)


def copy_frames(after_ms: Mapping[int, int]) -> dict[int, SampleFrame]:
    """Open ticks of many servers in one question, by server; of each those later than the moment given for it."""
    if not after_ms:
        return {}
    listed = ", ".join(f"({int(server)}, {int(after)}::bigint)" for server, after in after_ms.items())
    own = "ON t.server_id = own.server_id AND t.at_ms > own.after AND t.at_ms % 1000 = 0"
    query = (
        f"COPY (WITH own (server_id, after) AS (VALUES {listed}) SELECT server_id, at_ms, code FROM ("
        f"SELECT t.server_id, t.at_ms, -1 AS pid, -1 AS code FROM own JOIN samples_tick t {own} UNION ALL "
        f"SELECT t.server_id, t.at_ms, t.pid, t.code FROM own JOIN samples_opensample t {own}"
        ") AS seen ORDER BY server_id, at_ms, pid) TO STDOUT (FORMAT binary)"
    )
    rows = np.frombuffer(_read(query), dtype=_SERVER_ROW)
    found = {}
    for server in np.unique(rows["server_id"]).tolist():
        mine = rows[rows["server_id"] == server]
        found[server] = _frame_of(mine["at_ms"].astype(np.int64), mine["code"])
    return found


def _frame_of(at_ms: npt.NDArray[np.int64], code: npt.NDArray[np.integer]) -> SampleFrame:
    """A frame of these rows: one for each sample, and one with a code below 0 for each tick, busy or idle."""
    tick_ms, tick = np.unique(at_ms, return_inverse=True)
    seen = code >= 0
    return SampleFrame(tick_ms, tick[seen].astype(np.int32), code[seen].astype(np.int32))


def copy_waiting(server_id: int, start_ms: int, end_ms: int, codes: Iterable[int]) -> npt.NDArray[np.void]:
    """As `copy_out`, only those that have one of the codes, are blocked, or block another at the same tick."""
    own = f"s.server_id = {int(server_id)} AND s.at_ms >= {int(start_ms)} AND s.at_ms < {int(end_ms)}"
    listed = ", ".join(str(int(code)) for code in codes) or "-1"
    query = (
        "COPY (SELECT at_ms, pid, code, blocker, started_s, transaction_ms, statement_ms FROM samples_opensample s "
        f"WHERE {own} AND (s.code IN ({listed}) OR s.blocker <> 0 OR (s.at_ms, s.pid) IN "
        f"(SELECT s.at_ms, s.blocker FROM samples_opensample s WHERE {own} AND s.blocker > 0)) "
        "ORDER BY at_ms, pid) TO STDOUT (FORMAT binary)"
    )
    return np.frombuffer(_read(query), dtype=_ROW)


def copy_frame(server_id: int, after_ms: int, end_ms: int = NEVER_MS) -> SampleFrame:
    """All open ticks between two moments, both left out, and also those at which nothing was seen."""
    own = _OWN_FRAME.format(server=int(server_id), after=int(after_ms), end=int(end_ms))
    query = _COPY_FRAME.format(own=own)
    rows = np.frombuffer(_read(query), dtype=_FRAME_ROW)
    return _frame_of(rows["at_ms"].astype(np.int64), rows["code"])


def _read(query: str) -> memoryview:
    """The rows of a binary COPY, without its header and trailer."""
    with connection.cursor() as cursor, cursor.copy(query) as copy:
        data = b"".join(bytes(block) for block in copy)
    return memoryview(data)[_HEADER_BYTES:-2]
