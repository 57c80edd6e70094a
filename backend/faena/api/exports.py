"""Rows as CSV, JSON Lines or Parquet, streamed."""

import csv
import io
from collections.abc import AsyncIterator, Iterable, Iterator, Mapping
from itertools import islice
from typing import Literal

import orjson
from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIRequest
from django.http import HttpRequest, StreamingHttpResponse
from pydantic import BaseModel

from faena.api.parquet import parquet
from faena.core.spreadsheets import harmless

Format = Literal["csv", "jsonl", "parquet"]
_TYPES: dict[Format, str] = {
    "csv": "text/csv; charset=utf-8", "jsonl": "application/jsonl", "parquet": "application/vnd.apache.parquet",
}  # fmt: skip
_PIECE_ROWS = 500  # rows made in one go before they are sent


def export(
    request: HttpRequest, rows: Iterable[Mapping[str, object]], model: type[BaseModel], form: Format, name: str
) -> StreamingHttpResponse:
    """A download called `name`.`form`, of rows as the model has them."""
    body = file_of(rows, model, form)
    # An event loop cannot walk a plain iterator without reading all of it first, whatever its length.
    sent = _walked(body) if isinstance(request, ASGIRequest) else body
    response = StreamingHttpResponse(sent, content_type=_TYPES[form])
    response["Content-Disposition"] = f'attachment; filename="{name}.{form}"'
    return response


def file_of(rows: Iterable[Mapping[str, object]], model: type[BaseModel], form: Format) -> Iterator[bytes]:
    """The file in pieces. Values that a spreadsheet would run as a formula are prefixed in CSV."""
    match form:
        case "csv":
            return _pieces(_csv(rows, list(model.model_fields)))
        case "jsonl":
            return _pieces(_jsonl(rows))
        case "parquet":
            return parquet(rows, model)


def _pieces(lines: Iterator[bytes]) -> Iterator[bytes]:
    while block := list(islice(lines, _PIECE_ROWS)):
        yield b"".join(block)


async def _walked(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """Each piece made in the request's own thread, where its connection to the store is."""
    while piece := await sync_to_async(_next)(pieces):
        yield piece


def _next(pieces: Iterator[bytes]) -> bytes:
    """Empty at the end."""
    return next(pieces, b"")


def _jsonl(rows: Iterable[Mapping[str, object]]) -> Iterator[bytes]:
    return (orjson.dumps(row) + b"\n" for row in rows)


def _csv(rows: Iterable[Mapping[str, object]], fields: list[str]) -> Iterator[bytes]:
    buffer = io.StringIO()
    writer = csv.DictWriter(buffer, fieldnames=fields)
    writer.writeheader()
    for row in rows:
        writer.writerow({name: harmless(row.get(name)) for name in fields})
        yield buffer.getvalue().encode()
        buffer.seek(0)
        buffer.truncate()
    yield buffer.getvalue().encode()
