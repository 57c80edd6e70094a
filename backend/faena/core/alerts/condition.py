"""A condition: when a figure of a server is bad enough, and for long enough, that somebody must be told."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from faena.core.alerts.signals import TRAITS, WITH_KINDS, WITH_USUAL, Signal
from faena.core.errors import BadInput
from faena.core.series.calendar import IN_UTC, Calendar, weekday
from faena.core.series.schedule import MS_PER_MINUTE, WeekSpan
from faena.core.units import MS_PER_DAY, EpochMs

LONGEST_MS = 24 * 3_600_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """`level` in the signal's unit, or, with `of_usual`, in times of what is usual at that hour; `clears` is the level at
    which it is over, on the good side of `level`. It must hold for `for_ms` before anybody is told, and be over for
    `clear_ms` before that is told. `below`: low values are the bad ones. No `schedule`: always; its minutes are local ones.
    """

    signal: Signal
    level: float
    clears: float
    kinds: Sequence[str] = ()
    below: bool = False
    of_usual: bool = False
    for_ms: int = 0
    clear_ms: int = 120_000
    schedule: Sequence[WeekSpan] = ()
    calendar: Calendar = field(default=IN_UTC)

    def check(self) -> None:
        """Raises BadInput naming the field."""
        if self.level < 0 or self.clears < 0 or (self.level == 0 and not self.below):
            raise BadInput("the level is a positive number", field="level")
        if (self.clears < self.level) if self.below else (self.clears > self.level):
            way = "above" if self.below else "below"
            raise BadInput(f"it is over at a level {way} the one at which it begins, or at the same", field="clears")
        if self.kinds and self.signal not in WITH_KINDS:
            raise BadInput(f"{self.signal.label} have no kinds to choose among", field="kinds")
        if self.of_usual and self.signal not in WITH_USUAL:
            raise BadInput(f"nothing is usual of {self.signal.label}; give a level of its own", field="of_usual")
        for name in ("for_ms", "clear_ms"):
            if not 0 <= getattr(self, name) <= LONGEST_MS:
                raise BadInput("between nothing and 24 hours", field=name)

    @property
    def step_ms(self) -> int:
        """The length of the steps in which it is looked at."""
        return TRAITS[self.signal].step_ms

    def is_bad(self, value: float, usual: float | None) -> bool:
        """Whether a value reaches the level."""
        wanted = self._scaled(self.level, usual)
        return wanted is not None and (value <= wanted if self.below else value >= wanted > 0)

    def is_good(self, value: float, usual: float | None) -> bool:
        """Whether a value lies on the good side of where it is over; where nothing is usual yet, none does."""
        wanted = self._scaled(self.clears, usual)
        if wanted is None:
            return False
        if self.clears == self.level:
            return not self.is_bad(value, usual)
        return value >= wanted if self.below else value <= wanted

    def _scaled(self, level: float, usual: float | None) -> float | None:
        return level if not self.of_usual else None if usual is None else level * usual

    def is_open(self, at: EpochMs) -> bool:
        """Whether its schedule wants it to be looked at."""
        if not self.schedule:
            return True
        local = self.calendar.local(at)
        day, minute = weekday(local // MS_PER_DAY), local % MS_PER_DAY // MS_PER_MINUTE
        return any(day in span.days and span.start <= minute < span.end for span in self.schedule)
