"""Figures of a machine."""

from dataclasses import asdict, dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.readings import HostFigures


@dataclass(frozen=True, slots=True, kw_only=True)
class HostRead:
    """Figures of a machine: that of a collector, or one whose agent pushes them. They belong to no single server."""

    server_id: int = 0
    machine: str
    figures: HostFigures


def figures_of(raw: dict[str, Any]) -> HostFigures:
    """From their written form."""
    return HostFigures(**{**raw, "processes": tuple(raw["processes"])})


def _pack(record: HostRead) -> list[Any]:
    return [record.machine, asdict(record.figures)]


def _unpack(_: int, machine: str, raw: dict[str, Any]) -> HostRead:
    return HostRead(machine=machine, figures=figures_of(raw))


KIND = Kind("host", HostRead, _pack, _unpack)
