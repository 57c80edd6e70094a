"""What collectors last told of themselves."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from faena.apps.collecting.models import CollectorState

ALIVE_MS = 60_000  # seen since then, it may yet go on
SILENT_MS = 10_000  # a collector tells of itself every two seconds


@dataclass(frozen=True, slots=True, kw_only=True)
class Collector:
    """A collector as it was last seen. `told` is the status that it wrote of itself."""

    holder: str
    version: str
    seen: int
    standing_by: bool
    told: Mapping[str, Any]


def all_collectors() -> list[Collector]:
    """Those seen last come first."""
    return [
        Collector(holder=one.holder, version=one.version, seen=one.seen_ms, standing_by=one.standing_by, told=one.state)
        for one in CollectorState.objects.order_by("-seen_ms")
    ]


def silent_s(now_ms: int) -> int | None:
    """Seconds since any collector was seen, when that is too long; None while one is well, and where none ever was."""
    newest = CollectorState.objects.order_by("-seen_ms").values_list("seen_ms", flat=True).first()
    if newest is None or now_ms - newest <= SILENT_MS:
        return None
    return (now_ms - newest) // 1000


def collecting_since(now_ms: int) -> int:
    """When the oldest of the live collectors began; 0 where none has told of itself."""
    live = CollectorState.objects.filter(seen_ms__gt=now_ms - ALIVE_MS).values_list("state", flat=True)
    return min((int(one["started"]) for one in live if one.get("started")), default=0)


def waiting(now_ms: int) -> int:
    """Readings that live collectors hold and the store does not have yet."""
    live = CollectorState.objects.filter(seen_ms__gt=now_ms - SILENT_MS).values_list("state", flat=True)
    return sum(int(one.get("readings_waiting", 0)) for one in live)
