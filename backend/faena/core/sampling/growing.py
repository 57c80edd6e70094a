"""A frame that grows at its end without being copied each time."""

from typing import TypeVar

import numpy as np
import numpy.typing as npt

from faena.core.sessions.frame import EMPTY, SampleFrame

T = TypeVar("T", bound=np.integer)
_SPARE = 1.25  # room kept beyond what is there, as a factor; a live span then copies itself a few times an hour


class GrowingFrame:
    """Append at the end; frames handed out before stay as they were, since they never look beyond their own end.

    Not safe for two writers at once.
    """

    def __init__(self, begun: SampleFrame = EMPTY) -> None:
        self._tick_ms, self._tick, self._code = begun.tick_ms, begun.tick, begun.code
        self.frame = begun

    def before(self, at_ms: int) -> "GrowingFrame":
        """What lies before a moment, to go on from there with what changed since."""
        have = self.frame
        ticks = int(np.searchsorted(have.tick_ms, at_ms))
        rows = int(np.searchsorted(have.tick, ticks))
        return GrowingFrame(SampleFrame(have.tick_ms[:ticks], have.tick[:rows], have.code[:rows]))

    def append(self, later: SampleFrame) -> None:
        """Raises ValueError unless all of `later` comes after all that is there."""
        if not len(later.tick_ms):
            return
        have = self.frame
        if len(have.tick_ms) and later.tick_ms[0] <= have.tick_ms[-1]:
            raise ValueError(f"out of order: {later.tick_ms[0]} after {have.tick_ms[-1]}")
        ticks, rows = len(have.tick_ms), len(have.tick)
        self._tick_ms = _placed(self._tick_ms, ticks, later.tick_ms)
        self._tick = _placed(self._tick, rows, later.tick + np.int32(ticks))
        self._code = _placed(self._code, rows, later.code)
        rows += len(later.tick)
        self.frame = SampleFrame(self._tick_ms[: ticks + len(later.tick_ms)], self._tick[:rows], self._code[:rows])


def _placed(room: npt.NDArray[T], at: int, values: npt.NDArray[T]) -> npt.NDArray[T]:
    """The values put behind the first `at` items, in a larger array where they do not fit."""
    end = at + len(values)
    if end > len(room):
        larger = np.empty(int(end * _SPARE) + 64, dtype=room.dtype)
        larger[:at] = room[:at]
        room = larger
    room[at:end] = values
    return room
