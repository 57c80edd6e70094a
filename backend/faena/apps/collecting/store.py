"""The collector's side of the store: what to watch, where records go, how the collector does."""

import socket
import time
from itertools import groupby
from pathlib import Path
from typing import Any

from django.db import InterfaceError, OperationalError

from faena.apps.collecting import schema
from faena.apps.collecting.away import away_means_away
from faena.apps.collecting.destinations import Destinations
from faena.apps.collecting.models import CollectorState
from faena.apps.servers import actions as servers
from faena.apps.servers.capture import CLOSE_WATCH_MS
from faena.apps.servers.models import Server
from faena.apps.statements import logged
from faena.collector.intake import Record
from faena.collector.kinds import HostRead
from faena.collector.orders import WatchOrder
from faena.core.errors import StoreAway
from faena.core.logged import CaptureRules, LogPosition
from faena.core.series.schedule import read_schedule


class DjangoStore:
    """Implements `collector.orders.Store`. Called from one thread at a time per method."""

    def __init__(self, state_dir: Path) -> None:
        # The same installation takes its servers up again at once after a crash; another one waits for the lease.
        self._holder = f"{socket.gethostname()}:{state_dir}"
        self._destinations = Destinations()

    @away_means_away
    def report(self, status: dict[str, Any]) -> None:
        """How this collector does, for every web server to see. Raises StoreAway."""
        try:
            schema.require_known()
            standing_by = False
        except StoreAway:
            standing_by = True
        CollectorState.objects.update_or_create(
            holder=self._holder,
            defaults={"version": schema.tag(), "seen_ms": status["at"], "standing_by": standing_by, "state": status},
        )

    @away_means_away
    def orders(self) -> list[WatchOrder]:
        """The servers leased to this collector, the lease renewed. Raises StoreAway."""
        schema.require_known()
        now_ms = int(time.time() * 1000)
        return [_order(server, now_ms) for server in servers.lease(self._holder)]

    @away_means_away
    def log_position(self, server_id: int) -> LogPosition | None:
        """How far the log was read. Raises StoreAway."""
        return logged.position(server_id)

    @away_means_away
    def deliver(self, records: list[Record]) -> None:
        """Store all records, each once. Raises StoreAway; then repeat with the same records."""
        schema.require_known()
        known = set(Server.objects.values_list("id", flat=True))
        # What waited while the store was away is mixed; a transaction for each server and kind, not for each record.
        together = sorted(records, key=lambda r: (r.server_id, type(r).__name__))
        try:
            for (kind, server_id), group in groupby(together, key=lambda r: (type(r), r.server_id)):
                if (
                    server_id in known or kind is HostRead
                ):  # readings of a server that was removed meanwhile have no home
                    self._destinations.store(kind, server_id, list(group))
        except (OperationalError, InterfaceError):
            self._destinations.forget()
            raise


def _order(server: Server, now_ms: int) -> WatchOrder:
    """A close watch is part of what is ordered, so that it ends by itself, and goes on after a restart."""
    close = now_ms < server.close_watch_until_ms
    return WatchOrder(
        server_id=server.id,
        name=server.name,
        revision=server.revision,
        source={"engine": server.engine},
        period_ms=min(CLOSE_WATCH_MS, server.period_ms) if close else server.period_ms,
        schedule=() if close else read_schedule(server.schedule),
        counters_every_ms=server.counters_every_ms,
        rules=CaptureRules(
            slow_ms=0 if close else server.slow_ms,
            fast_share=server.fast_share,
            parameters=close or server.keep_parameters,
        ),
    )
