"""Days, hours and weekends as the people and jobs of a server count them: in its own time zone, changes of the clock included."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from typing import overload

import numpy as np
import numpy.typing as npt

from faena.core.units import MS_PER_DAY, MS_PER_HOUR

_STEP_MS = MS_PER_HOUR // 2  # clocks change at whole or half hours
Moments = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Calendar:
    """Turns moments, in milliseconds since 1970, into what a clock on the wall of `zone` says, and back."""

    zone: tzinfo = UTC

    @overload
    def local(self, at_ms: int) -> int: ...
    @overload
    def local(self, at_ms: Moments) -> Moments: ...
    def local(self, at_ms: int | Moments) -> int | Moments:
        """What the clock says, as if it were UTC. One moment, or an array of any shape."""
        if not isinstance(at_ms, np.ndarray):
            return at_ms + self._ahead_ms(at_ms)
        steps, which = np.unique(at_ms // _STEP_MS, return_inverse=True)
        ahead = np.array([self._ahead_ms(step * _STEP_MS) for step in steps.tolist()], dtype=np.int64)
        return at_ms + ahead[which].reshape(at_ms.shape) if len(ahead) else at_ms

    @overload
    def is_weekend(self, at_ms: int) -> bool: ...
    @overload
    def is_weekend(self, at_ms: Moments) -> npt.NDArray[np.bool_]: ...
    def is_weekend(self, at_ms: int | Moments) -> bool | npt.NDArray[np.bool_]:
        """Saturdays and Sundays."""
        return weekday(self.local(at_ms) // MS_PER_DAY) >= 5

    def days_before(self, at_ms: int, days: int) -> int:
        """The moment at which the clock said the same so many days before.

        A time that the clock left out that day is taken as if it had not been put forward; of one that it had twice,
        the first.
        """
        then = datetime.fromtimestamp(at_ms / 1000, self.zone) - timedelta(days=days)
        return round(then.replace(fold=0).timestamp() * 1000)

    def _ahead_ms(self, at_ms: int) -> int:
        ahead = datetime.fromtimestamp(at_ms / 1000, self.zone).utcoffset() or timedelta()
        return round(ahead / timedelta(milliseconds=1))


@overload
def weekday(day: int) -> int: ...
@overload
def weekday(day: Moments) -> Moments: ...
def weekday(day: int | Moments) -> int | Moments:
    """0 is a Monday. `day` counts days since 1970-01-01, which was a Thursday."""
    return (day + 3) % 7


IN_UTC = Calendar()
