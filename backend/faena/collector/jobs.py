"""Named jobs that run again and again beside the watching; one that fails does not stop another, and says so."""

import asyncio
import logging
from collections.abc import Awaitable, Callable
from dataclasses import asdict, dataclass
from typing import Any

from faena.core.errors import StoreAway
from faena.core.ports import Clock
from faena.core.units import EpochMs, Seconds

log = logging.getLogger(__name__)
FIRST_S = 60.0


class PartFailed(Exception):
    """Some parts of a job failed and the others were done. The message names the parts, in our own words."""


@dataclass(slots=True, kw_only=True)
class JobState:
    """Of one job. Times in ms since 1970; `error` of the last run, empty when it went well."""

    name: str
    every_s: float
    ran_at: EpochMs | None = None
    took_ms: float | None = None
    error: str = ""


class Jobs:
    """Runs each job in a task of its own."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._work: list[tuple[JobState, Callable[[], Awaitable[None]]]] = []

    def add(self, name: str, every: Seconds, work: Callable[[], Awaitable[None]]) -> None:
        """`work` is awaited every so many seconds, first after one period, and after a minute at the latest."""
        self._work.append((JobState(name=name, every_s=every), work))

    def told(self) -> list[dict[str, Any]]:
        """For the status."""
        return [asdict(state) for state, _ in self._work]

    async def run(self) -> None:
        await asyncio.gather(*(self._repeat(state, work) for state, work in self._work))

    async def _repeat(self, state: JobState, work: Callable[[], Awaitable[None]]) -> None:
        wait = min(state.every_s, FIRST_S)  # a collector that is started anew now and then must get to all of them
        while True:
            await self._clock.sleep(Seconds(wait))
            wait = state.every_s
            begun = self._clock.monotonic()
            state.ran_at = self._clock.now()
            try:
                await work()
                state.error = ""
            except StoreAway:
                state.error = "the store is away"
            except PartFailed as error:
                state.error = str(error)
            except Exception as error:
                state.error = type(error).__name__
                log.exception("the job %s failed", state.name)
            state.took_ms = 1000 * (self._clock.monotonic() - begun)
