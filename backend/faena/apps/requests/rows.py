"""Reading sums by binary COPY: a day of many endpoints is thousands of arrays, and making Python's numbers of them takes longest."""

import struct
from collections.abc import Collection, Iterable, Iterator
from typing import NamedTuple

import numpy as np
from django.db import connection

from faena.core.requests.sums import Vector

_HEADER_BYTES = 19  # signature 11, flags 4, extension length 4
_ORIGIN = struct.Struct(">hiq")  # count of fields, length of the first, its value
_SIZE = struct.Struct(">i")
_ARRAY_BYTES = 20  # before the items: dimensions, whether there are nulls, type, count, first index
_ITEM = np.dtype([("length", ">i4"), ("value", ">f8")])
_NOTHING: Vector = np.zeros(0)


class SumRow(NamedTuple):
    """Sums of an origin, as the store has them."""

    origin: int
    figures: Vector
    rungs: Vector


def read_request_sums(
    server_id: int, pieces: Iterable[tuple[int, int, int]], origins: Collection[int] | None
) -> list[SumRow]:
    """Rows of RequestSum in pieces (length, start, end) of time, all in ms; `origins` None: of all."""
    times = " OR ".join(
        f"(length_ms = {int(length)} AND at_ms >= {int(start)} AND at_ms < {int(end)})" for length, start, end in pieces
    )
    among = (
        "" if origins is None else f" AND origin_id = ANY('{{{','.join(str(int(one)) for one in origins)}}}'::bigint[])"
    )
    query = (
        "COPY (SELECT origin_id::bigint, figures, rungs FROM requests_requestsum "
        f"WHERE server_id = {int(server_id)} AND ({times}){among}) TO STDOUT (FORMAT BINARY)"
    )
    with connection.cursor() as cursor, cursor.copy(query) as copy:
        data = b"".join(bytes(block) for block in copy)
    return list(_rows(data))


def _rows(data: bytes) -> Iterator[SumRow]:
    at, end = _HEADER_BYTES, len(data) - 2
    while at < end:
        _, _, origin = _ORIGIN.unpack_from(data, at)
        figures, at = _array(data, at + _ORIGIN.size)
        rungs, at = _array(data, at)
        yield SumRow(origin, figures, rungs)


def _array(data: bytes, at: int) -> tuple[Vector, int]:
    """The array at this position of the data, and the position behind it. An empty array has a shorter head."""
    (size,) = _SIZE.unpack_from(data, at)
    at += _SIZE.size
    items = (size - _ARRAY_BYTES) // _ITEM.itemsize
    if items <= 0:
        return _NOTHING, at + size
    return np.frombuffer(data, dtype=_ITEM, count=items, offset=at + _ARRAY_BYTES)["value"], at + size
