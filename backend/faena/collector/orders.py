"""What the collector is told to watch, and what it expects of the store."""

from dataclasses import dataclass
from typing import Any, Protocol

from faena.collector.intake import Record
from faena.core.logged import CaptureRules, LogPosition
from faena.core.series.schedule import WeekSpan

DEFAULT_RULES = CaptureRules()


@dataclass(frozen=True, slots=True, kw_only=True)
class WatchOrder:
    """A server this collector shall watch now. `revision` changes with its settings, so that it is taken up anew."""

    server_id: int
    name: str
    revision: int
    source: dict[str, Any]
    period_ms: int = 1000
    counters_every_ms: int = 15_000
    schedule: tuple[WeekSpan, ...] = ()  # when to sample; empty: always
    rules: CaptureRules = DEFAULT_RULES


class Store(Protocol):
    """The collector's side of the store. All methods raise StoreAway and may then be repeated: writing is idempotent."""

    def orders(self) -> list[WatchOrder]: ...
    def log_position(self, server_id: int) -> LogPosition | None: ...
    def deliver(self, records: list[Record]) -> None: ...
    def report(self, status: dict[str, Any]) -> None: ...
