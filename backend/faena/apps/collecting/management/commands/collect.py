"""Runs the collector in the foreground until SIGTERM or SIGINT."""

import asyncio
import contextlib
import fcntl
import logging
import signal
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from faena.apps.collecting.store import HOUSEKEEPING_EVERY_S, DjangoStore, keep_house, make_source
from faena.collector.records import HostRead
from faena.collector.supervise import Supervisor, SystemClock
from faena.core.errors import StoreAway
from faena.core.units import EpochMs
from faena.sources.machine import LocalMachine
from faena.sources.machine.local import machine_name

log = logging.getLogger(__name__)
MACHINE_EVERY_S = 10.0


async def _keep_house_forever() -> None:
    while True:
        await asyncio.sleep(HOUSEKEEPING_EVERY_S)
        try:
            await asyncio.to_thread(keep_house, int(time.time() * 1000))
        except StoreAway:
            log.warning("housekeeping waits: the store is away")


async def _read_machine_forever(supervisor: Supervisor) -> None:
    machine, name = LocalMachine(), machine_name()
    while True:
        figures = await asyncio.to_thread(machine.read, EpochMs(int(time.time() * 1000)))
        if figures is not None:
            supervisor.put(HostRead(machine=name, figures=figures))
        await asyncio.sleep(MACHINE_EVERY_S)


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        state_dir = settings.ENVIRONMENT.state_dir / "collector"
        state_dir.mkdir(parents=True, exist_ok=True)
        with (state_dir / "lock").open("w") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                raise CommandError(f"another collector is using {state_dir}; stop it first (./faena stop)") from None
            asyncio.run(self._collect(state_dir))

    async def _collect(self, state_dir: Any) -> None:
        supervisor = Supervisor(DjangoStore(state_dir), make_source, state_dir, SystemClock())
        loop = asyncio.get_running_loop()
        collecting = asyncio.gather(supervisor.run(), _keep_house_forever(), _read_machine_forever(supervisor))
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, collecting.cancel)
        log.info("collecting; state in %s", state_dir)
        with contextlib.suppress(asyncio.CancelledError):
            await collecting
        log.info("stopped; what was not stored is kept on disk")
