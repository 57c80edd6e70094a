"""Moving rows of samples in and out of PostgreSQL by binary COPY."""

from collections.abc import Iterable
from typing import LiteralString

import numpy as np
import numpy.typing as npt
from django.db import connection, transaction

OPEN_COLUMNS = ("at_ms", "pid", "code", "blocker", "started_s", "transaction_ms", "statement_ms")

_COPY_IN: LiteralString = (
    "COPY samples_opensample (server_id, at_ms, pid, code, blocker, started_s, transaction_ms, statement_ms) "
    "FROM STDIN (FORMAT BINARY)"
)
_COPY_OUT: LiteralString = (
    "COPY (SELECT at_ms, pid, code, blocker, started_s, transaction_ms, statement_ms FROM samples_opensample "
    "WHERE server_id = {server} AND at_ms >= {start} AND at_ms < {end} ORDER BY at_ms, pid) TO STDOUT (FORMAT BINARY)"
)
_HEADER_BYTES = 19  # signature 11, flags 4, extension length 4
# A row of binary COPY: field count, then length and value of each field. No field is null, so rows have one size.
_ROW = np.dtype(
    [("fields", ">i2"), ("at_ms_len", ">i4"), ("at_ms", ">i8")]
    + [entry for name in OPEN_COLUMNS[1:] for entry in ((f"{name}_len", ">i4"), (name, ">i4"))]
)


def copy_in(rows: Iterable[tuple[int, ...]]) -> None:
    """Rows of (server_id, *OPEN_COLUMNS), inside the caller's transaction."""
    with connection.cursor() as cursor, cursor.copy(_COPY_IN) as copy:
        copy.set_types(["int8", "int8", "int4", "int4", "int4", "int4", "int4", "int4"])
        for row in rows:
            copy.write_row(row)


def copy_out(server_id: int, start_ms: int, end_ms: int) -> npt.NDArray[np.void]:
    """Open samples of [start, end) as a structured array with the fields OPEN_COLUMNS, in order of time and pid."""
    query = _COPY_OUT.format(server=int(server_id), start=int(start_ms), end=int(end_ms))
    with transaction.atomic(), connection.cursor() as cursor, cursor.copy(query) as copy:
        data = b"".join(bytes(block) for block in copy)
    body = memoryview(data)[_HEADER_BYTES:-2]
    return np.frombuffer(body, dtype=_ROW)
