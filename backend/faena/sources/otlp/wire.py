"""Protobuf's wire format, field by field: to read around a part that the library refuses, and to tell signals apart."""

from collections.abc import Iterator

VARINT, FIXED64, BYTES, GROUP, GROUP_END, FIXED32 = 0, 1, 2, 3, 4, 5
_MAX_VARINT = 10  # bytes


class BadWire(ValueError):
    """These bytes are no message, or end in the middle of a field."""


def fields(message: bytes) -> Iterator[tuple[int, int, bytes]]:
    """Number, wire type and bytes of each field; the bytes of a varint are left empty. Raises BadWire."""
    at = 0
    while at < len(message):
        key, at = _varint(message, at)
        number, kind = key >> 3, key & 7
        if number == 0:
            raise BadWire(f"no field at byte {at}")
        if kind == VARINT:
            _, at = _varint(message, at)
            yield number, kind, b""
            continue
        if kind == BYTES:
            length, at = _varint(message, at)
        elif kind in (FIXED64, FIXED32):
            length = 8 if kind == FIXED64 else 4
        else:  # groups are not used by any message here
            raise BadWire(f"no field at byte {at}")
        if at + length > len(message):
            raise BadWire(f"a field of {length} bytes at byte {at} goes on beyond the end")
        yield number, kind, message[at : at + length]
        at += length


def inside(message: bytes, number: int) -> Iterator[bytes]:
    """The messages, texts or bytes in one field of a message. Raises BadWire."""
    return (value for found, kind, value in fields(message) if found == number and kind == BYTES)


def _varint(message: bytes, at: int) -> tuple[int, int]:
    value = 0
    for place, byte in enumerate(message[at : at + _MAX_VARINT]):
        value |= (byte & 0x7F) << (7 * place)
        if byte < 0x80:
            return value, at + place + 1
    raise BadWire(f"a number at byte {at} does not end")


def in_field(number: int, value: bytes) -> bytes:
    """A message, text or bytes as it is written in this field of a message."""
    made, left = bytearray(), len(value)
    while left > 0x7F:
        made.append(left & 0x7F | 0x80)
        left >>= 7
    return bytes((number << 3 | BYTES, *made, left)) + value
