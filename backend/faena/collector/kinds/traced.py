"""A payload of traces, as it came in."""

import base64
from dataclasses import dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class Traced:
    """`payload` unpacked, in protobuf or JSON; `spans` how many it holds, so that nobody need read it to know."""

    server_id: int
    source_id: int
    at: EpochMs
    spans: int
    payload: bytes


def _pack(record: Traced) -> list[Any]:
    return [record.source_id, record.at, record.spans, base64.b64encode(record.payload).decode()]


def _unpack(server_id: int, source_id: int, at: int, spans: int, payload: str) -> Traced:
    return Traced(
        server_id=server_id, source_id=source_id, at=EpochMs(at), spans=spans, payload=base64.b64decode(payload)
    )


KIND = Kind("traced", Traced, _pack, _unpack)
