"""Writing figures of machines."""

from collections.abc import Iterable
from dataclasses import asdict

from faena.apps.hosts.models import HostReading
from faena.core.readings import HostFigures


def store_host(machine: str, readings: Iterable[HostFigures]) -> None:
    """Store readings; one already stored is left as it is."""
    rows = []
    for one in readings:
        figures = asdict(one)
        rows.append(HostReading(machine=machine, at_ms=figures.pop("at"), **figures))
    HostReading.objects.bulk_create(rows, ignore_conflicts=True)


def forget_before(machine: str, before_ms: int) -> None:
    """Retention."""
    HostReading.objects.filter(machine=machine, at_ms__lt=before_ms)._raw_delete(using="default")
