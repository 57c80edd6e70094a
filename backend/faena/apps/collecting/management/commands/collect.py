"""Runs the collector in the foreground until SIGTERM or SIGINT."""

import asyncio
import contextlib
import fcntl
import logging
import signal
from collections.abc import Awaitable, Callable
from functools import partial
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from faena.apps.answers.likely import name_likely
from faena.apps.collecting.away import away_means_away
from faena.apps.collecting.housekeeping import JOBS, HouseJob
from faena.apps.collecting.private import keep_private
from faena.apps.collecting.sources import make_source
from faena.apps.collecting.store import DjangoStore
from faena.apps.requests.judging import Judge
from faena.collector.kinds import HostRead
from faena.collector.supervise import Supervisor, SystemClock
from faena.core.ports import Clock
from faena.core.units import Seconds
from faena.sources.machine import LocalMachine
from faena.sources.machine.local import machine_name

log = logging.getLogger(__name__)
MACHINE_EVERY_S = Seconds(10.0)
TRACES_EVERY_S = Seconds(2.0)


def _house_work(job: HouseJob, clock: Clock) -> Callable[[], Awaitable[None]]:
    async def work() -> None:
        await asyncio.to_thread(job.run, clock.now())

    return work


def _machine_reader(supervisor: Supervisor, clock: Clock) -> Callable[[], Awaitable[None]]:
    machine, name = LocalMachine(), machine_name()

    async def read() -> None:
        figures = await asyncio.to_thread(machine.read, clock.now())
        if figures is not None:
            supervisor.put(HostRead(machine=name, figures=figures))

    return read


def _judging(clock: Clock) -> Callable[[], Awaitable[None]]:
    judge = Judge()
    settle = away_means_away(judge.settle)
    guess = away_means_away(partial(name_likely, judge.namer))

    async def work() -> None:
        await asyncio.to_thread(settle, clock.now())
        await asyncio.to_thread(guess, clock.now())

    return work


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        state_dir = settings.ENVIRONMENT.state_dir / "collector"
        state_dir.mkdir(parents=True, exist_ok=True)
        keep_private(state_dir)
        with (state_dir / "lock").open("w") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                raise CommandError(f"another collector is using {state_dir}; stop it first (./faena stop)") from None
            asyncio.run(self._collect(state_dir))

    async def _collect(self, state_dir: Any) -> None:
        clock = SystemClock()
        supervisor = Supervisor(DjangoStore(state_dir), make_source, state_dir, clock)
        for job in JOBS:
            supervisor.jobs.add(job.name, job.every, _house_work(job, clock))
        supervisor.jobs.add("readings of this machine", MACHINE_EVERY_S, _machine_reader(supervisor, clock))
        supervisor.jobs.add("requests out of traces", TRACES_EVERY_S, _judging(clock))
        loop = asyncio.get_running_loop()
        collecting = asyncio.gather(supervisor.run())
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, collecting.cancel)
        log.info("collecting; state in %s", state_dir)
        with contextlib.suppress(asyncio.CancelledError):
            await collecting
        log.info("stopped; what was not stored is kept on disk")
