"""In which form bytes of traces are, told by what they hold: unpacked within limits, then read."""

import gzip
import io
import zlib
from collections.abc import Iterator
from typing import Any

import orjson
import zstandard

from faena.sources.otlp.batch import BadPayload, Batch
from faena.sources.otlp.jsonform import read_object
from faena.sources.otlp.protoform import read_protobuf

MAX_BYTES = 100_000_000  # that a payload may unpack to
_GZIP = b"\x1f\x8b"
_PIECE = 1024  # bytes of zstd unpacked at once: they become 32 MB at most, so that a bomb is noticed before it goes off
_BLANK = b" \t\r\n"
_BOM = b"\xef\xbb\xbf"


class TooLarge(BadPayload):
    """A payload that unpacks to more than is read."""

    def __init__(self, most: int) -> None:
        super().__init__(f"this unpacks to more than {most / 1e6:.0f} MB, and is not read beyond that")


def read_file(content: bytes, batch: Batch) -> None:
    """Add the spans of one file in any of the forms. Raises BadPayload."""
    if content.startswith(_GZIP):
        content = gunzipped(content)
    if len(content) > MAX_BYTES:
        raise TooLarge(MAX_BYTES)
    content = content.removeprefix(_BOM)
    if not content.strip(_BLANK):
        raise BadPayload("this is empty")
    if content.lstrip(_BLANK)[:1] != b"{":
        read_protobuf(content, batch)
        return
    try:
        objects = list(json_objects(content))
    except BadPayload as no_json:
        try:
            read_protobuf(content, batch)  # one may begin with the bytes of a line's end and a brace
        except BadPayload:
            raise no_json from None
    else:
        for one in objects:
            read_object(one, batch)


def json_objects(content: bytes) -> Iterator[Any]:
    """One object, or one on each line. Raises BadPayload, which says where."""
    try:
        yield orjson.loads(content)
        return
    except orjson.JSONDecodeError as error:
        whole = error
    lines = content.splitlines()
    several = False
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        try:
            yield orjson.loads(line)
        except orjson.JSONDecodeError as error:
            # Of an object over several lines the fault is where the whole of it cannot be read.
            told = f"line {number}: {error}" if several else str(whole)
            raise BadPayload(f"this begins as JSON but cannot be read: {told}") from None
        several = True


def gunzipped(content: bytes, most: int = MAX_BYTES) -> bytes:
    """All members of a gzip, one after another. Raises BadPayload, TooLarge."""
    try:
        made = gzip.GzipFile(fileobj=io.BytesIO(content)).read(most + 1)
    except EOFError:
        raise BadPayload("this is a gzip that is cut off") from None
    except (gzip.BadGzipFile, zlib.error) as error:
        raise BadPayload(f"this begins as gzip but cannot be unpacked: {error}") from None
    if len(made) > most:
        raise TooLarge(most)
    return made


def unzstd(content: bytes, most: int = MAX_BYTES) -> bytes:
    """One frame of zstd. Raises BadPayload, TooLarge."""
    try:
        unpacker = zstandard.ZstdDecompressor(max_window_size=1 << 27).decompressobj()
        made = bytearray()
        for at in range(0, len(content), _PIECE):
            made += unpacker.decompress(content[at : at + _PIECE])
            if len(made) > most:
                raise TooLarge(most)
    except zstandard.ZstdError as error:
        raise BadPayload(f"this cannot be unpacked as zstd: {error}") from None
    if not unpacker.eof:
        raise BadPayload("this is a zstd frame that is cut off")
    return bytes(made)
