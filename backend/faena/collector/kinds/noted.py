"""What happened to the watching itself."""

from dataclasses import dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class Noted:
    """Something that happened to the watching itself: connected, away, restarted, reset, buffered."""

    server_id: int
    at: EpochMs
    event: str
    detail: str = ""
    facts: dict[str, Any] | None = None


def _pack(record: Noted) -> list[Any]:
    return [record.at, record.event, record.detail, record.facts]


def _unpack(server_id: int, at: int, event: str, detail: str, facts: dict[str, Any] | None) -> Noted:
    return Noted(server_id=server_id, at=EpochMs(at), event=event, detail=detail, facts=facts)


KIND = Kind("noted", Noted, _pack, _unpack)
