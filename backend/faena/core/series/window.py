"""A span of time and how it is cut into buckets."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import BadWindow
from faena.core.units import MS_PER_HOUR, EpochMs

MAX_WINDOW_MS = 90 * 24 * MS_PER_HOUR
# Widths that people read easily on a time axis: 1 s to 1 day, in milliseconds.
NICE_WIDTHS_MS: tuple[int, ...] = tuple(
    1000 * seconds
    for seconds in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200, 86400)
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """Half-open [start, end), both in milliseconds since 1970."""

    start: EpochMs
    end: EpochMs

    def __post_init__(self) -> None:
        if self.end <= self.start:
            raise BadWindow(f"the window is empty: its end ({self.end}) is not after its start ({self.start})")
        if self.end - self.start > MAX_WINDOW_MS:
            raise BadWindow("the window is longer than 90 days; choose a shorter one")

    @property
    def length_ms(self) -> int:
        return self.end - self.start

    def previous(self) -> "Window":
        """The span of the same length that ends where this one starts."""
        return Window(start=EpochMs(self.start - self.length_ms), end=self.start)


@dataclass(frozen=True, slots=True, kw_only=True)
class Buckets:
    """Equal cells of `width_ms`, the first at `start`; edges lie on multiples of the width since 1970."""

    start: EpochMs
    width_ms: int
    count: int

    def index_of(self, at_ms: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
        """Cell of each moment; below 0 or from `count` on: outside."""
        return (at_ms - self.start) // self.width_ms

    def starts(self) -> list[int]:
        return [self.start + i * self.width_ms for i in range(self.count)]


def cut(window: Window, *, at_most: int, period_ms: int = 1000) -> Buckets:
    """The narrowest easily read width that yields at most `at_most` cells and holds at least one tick."""
    if at_most < 1:
        raise BadWindow(f"at least one bucket is needed, not {at_most}", field="buckets")
    for width in NICE_WIDTHS_MS:
        if width < period_ms:
            continue
        start = window.start - window.start % width
        count = -(-(window.end - start) // width)
        if count <= at_most:
            return Buckets(start=EpochMs(start), width_ms=width, count=count)
    times = -(-window.length_ms // (NICE_WIDTHS_MS[-1] * at_most))
    while True:
        width = NICE_WIDTHS_MS[-1] * times
        start = window.start - window.start % width
        count = -(-(window.end - start) // width)
        if count <= max(at_most, 2):  # a window that straddles an edge has two at any width
            return Buckets(start=EpochMs(start), width_ms=width, count=count)
        times += 1
