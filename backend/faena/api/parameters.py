"""Query parameters that many routes share."""

import time

from ninja import Schema
from pydantic import Field

from faena.core.errors import BadWindow
from faena.core.sampling.trail import Pick, read_trail
from faena.core.series.window import Window
from faena.core.units import EpochMs

EARLIEST_MS = 946_684_800_000  # 2000-01-01: whatever lies before is a mistake of units


def now_ms() -> EpochMs:
    """The one place where the API reads the time."""
    return EpochMs(int(time.time() * 1000))


class WindowIn(Schema):
    """A window: `last` seconds up to now, or `from` and `to` in milliseconds since 1970, half-open."""

    last: int | None = Field(None, description="length in seconds of a window that ends now", ge=1, le=90 * 86_400)
    start: int | None = Field(None, alias="from", description="start in milliseconds since 1970, included")
    end: int | None = Field(None, alias="to", description="end in milliseconds since 1970, not included")

    def window(self, now: int) -> Window:
        """Raises BadWindow."""
        if self.last is not None:
            if self.start is not None or self.end is not None:
                raise BadWindow("give either `last` or `from` and `to`, not both", field="last")
            return Window(start=EpochMs(now - 1000 * self.last), end=EpochMs(now))
        if self.start is None or self.end is None:
            raise BadWindow("a window is needed: `last` in seconds, or `from` and `to` in milliseconds since 1970")
        if self.start < EARLIEST_MS:
            raise BadWindow(f"`from` is {self.start}; give milliseconds since 1970, not seconds")
        if self.start > now + 86_400_000:
            raise BadWindow("the window lies in the future")
        return Window(start=EpochMs(self.start), end=EpochMs(self.end))


class TrailIn(Schema):
    """The trail: `pick=dimension:value`, with `!` before it for "all but this", repeated for each step."""

    pick: list[str] = Field(default_factory=list, description="dimension:value or !dimension:value; may be repeated")

    def trail(self) -> tuple[Pick, ...]:
        """Raises BadPick."""
        return read_trail(self.pick)
