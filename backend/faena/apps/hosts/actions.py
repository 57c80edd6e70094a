"""Writing figures of machines."""

from collections.abc import Iterable
from dataclasses import asdict

import orjson

from faena.apps.bulk import copy_rows
from faena.apps.hosts.models import HostReading
from faena.core.readings import HostFigures


def store_host(machine: str, readings: Iterable[HostFigures]) -> None:
    """Store readings; one already stored is left as it is."""
    rows = []
    for one in readings:
        figures = asdict(one)
        rows.append(HostReading(machine=machine, at_ms=figures.pop("at"), **figures))
    HostReading.objects.bulk_create(rows, ignore_conflicts=True)


_FIELDS = tuple(name for name in HostFigures.__dataclass_fields__ if name not in ("at", "processes"))


def copy_host(machine: str, readings: Iterable[HostFigures]) -> None:
    """As `store_host`, for readings that are known to be new."""
    rows = (
        (machine, one.at, *(getattr(one, name) for name in _FIELDS), orjson.dumps(one.processes).decode())
        for one in readings
    )
    copy_rows(HostReading, ("machine", "at_ms", *_FIELDS, "processes"), rows)


def forget_before(machine: str, before_ms: int) -> None:
    """Retention."""
    HostReading.objects.filter(machine=machine, at_ms__lt=before_ms)._raw_delete(using="default")
