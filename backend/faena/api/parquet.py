"""Rows as a Parquet file: columns as the model has them, written in groups, so that memory stays bounded."""

import types
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from itertools import islice
from tempfile import TemporaryFile
from typing import Any, Union, get_args, get_origin

import pyarrow as pa
import pyarrow.parquet as pq
from pydantic import BaseModel

GROUP_ROWS = 20_000
_PIECE_BYTES = 256 * 1024
_KINDS: Mapping[Any, pa.DataType] = {
    bool: pa.bool_(), int: pa.int64(), float: pa.float64(), datetime: pa.timestamp("us", "UTC"),
}  # fmt: skip


def schema_of(model: type[BaseModel]) -> pa.Schema:
    """Each field as a column that may be null; what is no number, moment or truth is text."""
    return pa.schema([pa.field(name, _kind(one.annotation)) for name, one in model.model_fields.items()])


def _kind(annotation: Any) -> pa.DataType:
    if get_origin(annotation) in (Union, types.UnionType):
        annotation = next(one for one in get_args(annotation) if one is not type(None))
    if get_origin(annotation) is list:
        return pa.list_(_kind(get_args(annotation)[0]))
    return _KINDS.get(annotation, pa.string())


def parquet(rows: Iterable[Mapping[str, object]], model: type[BaseModel]) -> Iterator[bytes]:
    """The file in pieces. It is written whole before the first is sent, since its end says where its columns are."""
    schema, walked = schema_of(model), iter(rows)
    with TemporaryFile() as kept:
        with pq.ParquetWriter(kept, schema, compression="zstd") as writer:
            while group := list(islice(walked, GROUP_ROWS)):
                writer.write_batch(pa.RecordBatch.from_pylist(group, schema=schema))
        kept.seek(0)
        while piece := kept.read(_PIECE_BYTES):
            yield piece
