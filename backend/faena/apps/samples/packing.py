"""How a column of a closed hour is written.

Layout: b"F1", one byte method (0 plain, 1 differences), one byte item size, u32 count, u32 CRC-32 of the raw items,
then the zstd frame of the little-endian items. Differences are of neighbours, the first against zero; both methods use
the smallest signed integer that fits. A column whose bytes changed on disk is refused, never half read.
"""

import struct
import zlib
from typing import Any

import numpy as np
import numpy.typing as npt
import zstandard

MAGIC = b"F1"
_HEAD = struct.Struct("<2sBBII")
_TYPES: dict[int, np.dtype[Any]] = {size: np.dtype(f"<i{size}") for size in (1, 2, 4, 8)}
LEVEL = 6  # beyond it packing slows down much more than it saves (see bench/)


class BadColumn(ValueError):
    """Not a column of ours, or damaged."""


def pack(values: npt.NDArray[np.integer]) -> bytes:
    """Whichever of plain and differences packs smaller."""
    wide = values.astype(np.int64)
    steps = np.diff(wide, prepend=np.int64(0)) if len(wide) else wide
    return min((_write(wide, 0), _write(steps, 1)), key=len)


def _write(values: npt.NDArray[np.int64], method: int) -> bytes:
    size = 8
    if len(values):
        low, high = int(values.min()), int(values.max())
        size = next(s for s in _TYPES if -(1 << (8 * s - 1)) <= low and high < 1 << (8 * s - 1))
    raw = values.astype(_TYPES[size]).tobytes()
    body = zstandard.ZstdCompressor(level=LEVEL).compress(raw)
    return _HEAD.pack(MAGIC, method, size, len(values), zlib.crc32(raw)) + body


def unpack(data: bytes | memoryview) -> npt.NDArray[np.int64]:
    """Inverse of `pack`. Raises BadColumn."""
    data = bytes(data)
    if len(data) < _HEAD.size:
        raise BadColumn(f"a column has at least {_HEAD.size} bytes, this one {len(data)}")
    magic, method, size, count, crc = _HEAD.unpack_from(data)
    if magic != MAGIC or method not in (0, 1) or size not in _TYPES:
        raise BadColumn(f"unknown column format {data[:4]!r}")
    try:
        if zstandard.frame_content_size(data[_HEAD.size :]) != count * size:  # before so much memory is asked for
            raise BadColumn("damaged column: its length does not match")
        raw = zstandard.ZstdDecompressor().decompress(data[_HEAD.size :], max_output_size=max(1, count * size))
    except zstandard.ZstdError as error:
        raise BadColumn(f"damaged column: {error}") from error
    if len(raw) != count * size or zlib.crc32(raw) != crc:
        raise BadColumn("damaged column: its checksum does not match")
    values = np.frombuffer(raw, dtype=_TYPES[size])
    if method == 1:
        values = np.cumsum(values, dtype=np.int64)
    return values.astype(np.int64)
