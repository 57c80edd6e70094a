"""Keeps a watch per server as the store orders it, and a status file that needs no store to be read."""

import asyncio
import contextlib
import os
import time
from collections.abc import Callable
from pathlib import Path

import orjson

from faena.collector.outbox import Outbox
from faena.collector.records import Record, Store, WatchOrder
from faena.collector.watch import Watch
from faena.core.errors import StoreAway
from faena.core.ports import Clock, Source
from faena.core.units import EpochMs, Seconds

ORDERS_EVERY_S = Seconds(3.0)
STATUS_EVERY_S = Seconds(1.0)


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

    def put(self, record: Record) -> None:
        """Hand over something read outside the watches, for instance of this machine."""
        self._outbox.put(record)

    async def run(self) -> None:
        async with asyncio.TaskGroup() as group:
            group.create_task(self._outbox.run())
            group.create_task(self._status_forever())
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
        for server_id, (order, _, task) in list(self._running.items()):
            if orders.get(server_id) != order or task.done():
                task.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await task
                del self._running[server_id]
        for server_id, source in sources.items():
            watch = Watch(orders[server_id], source, self._outbox.put, self._clock, positions[server_id])
            self._running[server_id] = (orders[server_id], watch, group.create_task(watch.run()))

    def _order_of(self, server_id: int) -> WatchOrder | None:
        """The order being followed; None for a server not watched, or whose watch ended by an error of ours."""
        order, _, task = self._running.get(server_id, (None, None, None))
        return None if task is None or task.done() else order

    async def _status_forever(self) -> None:
        while True:
            self._write_status()
            await self._clock.sleep(STATUS_EVERY_S)

    def _write_status(self) -> None:
        body = {
            "pid": os.getpid(),
            "at": self._clock.now(),
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
        fresh = self._status_file.with_suffix(".new")
        with contextlib.suppress(OSError):  # a full disk must not end the watching
            fresh.write_bytes(orjson.dumps(body))
            fresh.replace(self._status_file)
