"""A clock that moves only when told, or when somebody sleeps."""

import asyncio

from faena.core.units import EpochMs, Seconds


class ManualClock:
    """Sleeping moves the time forward at once; other tasks get their turn in between."""

    def __init__(self, now_ms: int = 1_700_000_000_000) -> None:
        self._now_ms = now_ms

    def now(self) -> EpochMs:
        return EpochMs(self._now_ms)

    def monotonic(self) -> Seconds:
        return Seconds(self._now_ms / 1000)

    def advance(self, ms: int) -> None:
        self._now_ms += ms

    async def sleep(self, seconds: Seconds) -> None:
        self._now_ms += max(0, round(seconds * 1000))
        await asyncio.sleep(0)
