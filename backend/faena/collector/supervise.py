"""Keeps a watch per server as the store orders it, runs the jobs beside it, and tells how all of it goes."""

import asyncio
import contextlib
import logging
import os
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import orjson

from faena.collector.intake import Record
from faena.collector.jobs import Jobs
from faena.collector.orders import Store, WatchOrder
from faena.collector.outbox import Outbox, private
from faena.collector.watch import Watch
from faena.core.errors import StoreAway
from faena.core.ports import Clock, Source
from faena.core.units import EpochMs, Seconds

ORDERS_EVERY_S = Seconds(3.0)
STATUS_EVERY_S = Seconds(2.0)
log = logging.getLogger(__name__)


class SystemClock:
    """The one place where the collector reads the time."""

    def now(self) -> EpochMs:
        return EpochMs(int(time.time() * 1000))

    def monotonic(self) -> Seconds:
        return Seconds(time.monotonic())

    async def sleep(self, seconds: Seconds) -> None:
        await asyncio.sleep(max(0.0, seconds))


class Supervisor:
    """`run` goes on until cancelled; what is not stored by then is on disk."""

    def __init__(
        self, store: Store, make_source: Callable[[WatchOrder], Source], state_dir: Path, clock: Clock
    ) -> None:
        self._store, self._make_source, self._clock = store, make_source, clock
        self._status_file = state_dir / "collector.json"
        self._outbox = Outbox(store, state_dir / "spool.jsonl", clock)
        self._running: dict[int, tuple[WatchOrder, Watch, asyncio.Task[None]]] = {}
        self._started = clock.now()
        self.jobs = Jobs(clock)

    def put(self, record: Record) -> None:
        """Hand over something read outside the watches, for instance of this machine."""
        self._outbox.put(record)

    async def run(self) -> None:
        async with asyncio.TaskGroup() as group:
            group.create_task(self._outbox.run())
            group.create_task(self._status_forever())
            group.create_task(self.jobs.run())
            try:
                while True:
                    await self._follow_orders(group)
                    await self._clock.sleep(ORDERS_EVERY_S)
            finally:
                for _, _, task in self._running.values():
                    task.cancel()

    async def _follow_orders(self, group: asyncio.TaskGroup) -> None:
        """Start, stop and renew watches. While the store is away, everything goes on as last ordered."""
        try:
            orders = {order.server_id: order for order in await asyncio.to_thread(self._store.orders)}
            fresh = [order for order in orders.values() if order != self._order_of(order.server_id)]
            sources = {o.server_id: await asyncio.to_thread(self._make_source, o) for o in fresh}
            positions = {o.server_id: await asyncio.to_thread(self._store.log_position, o.server_id) for o in fresh}
        except StoreAway:
            return
        except Exception:  # what is wrong in the store must not stop the watching of what is ordered already
            log.exception("the orders cannot be read; everything goes on as last ordered")
            return
        for server_id, (order, _, task) in list(self._running.items()):
            if orders.get(server_id) != order or task.done():
                task.cancel()
                with contextlib.suppress(asyncio.CancelledError, Exception):
                    await task
                del self._running[server_id]
        for server_id, source in sources.items():
            watch = Watch(orders[server_id], source, self._outbox.put, self._clock, positions[server_id])
            self._running[server_id] = (
                orders[server_id],
                watch,
                group.create_task(_alone(watch, orders[server_id].name)),
            )

    def _order_of(self, server_id: int) -> WatchOrder | None:
        """The order being followed; None for a server not watched, or whose watch ended by an error of ours."""
        order, _, task = self._running.get(server_id, (None, None, None))
        return None if task is None or task.done() else order

    async def _status_forever(self) -> None:
        """Into the store, where every web server sees it, and into a file, for when the store is away."""
        while True:
            body = self._status()
            self._write_status(body)
            with contextlib.suppress(Exception):
                await asyncio.to_thread(self._store.report, body)
            await self._clock.sleep(STATUS_EVERY_S)

    def _status(self) -> dict[str, Any]:
        box = self._outbox
        return {
            "pid": os.getpid(),
            "at": self._clock.now(),
            "started": self._started,
            "disk_full": box.disk_full,
            "refused": box.refused_count,
            "refused_latest": [asdict(one) for one in reversed(box.refused)],
            "jobs": self.jobs.told(),
            "store_away_since": self._outbox.away_since,
            "readings_waiting": self._outbox.waiting,
            "readings_dropped": self._outbox.dropped,
            "servers": {
                str(server_id): {
                    "name": order.name,
                    "state": watch.state.state,
                    "message": watch.state.message,
                    "last_sample": watch.state.last_sample,
                    "took_ms": watch.state.took_ms,
                    "missed": watch.state.missed,
                }
                for server_id, (order, watch, _) in self._running.items()
            },
        }

    def _write_status(self, body: dict[str, Any]) -> None:
        fresh = self._status_file.with_suffix(".new")
        with contextlib.suppress(OSError):  # a full disk must not end the watching
            with private(fresh, "wb") as file:
                file.write(orjson.dumps(body))
            fresh.replace(self._status_file)


async def _alone(watch: Watch, name: str) -> None:
    """A watch whose error ends nothing but itself; it is taken up again with the next orders."""
    try:
        await watch.run()
    except Exception:
        log.exception("%s: the watch ended and will be taken up again", name)
