"""The values of signals over time, from whichever evidence holds them."""

from collections.abc import Sequence
from functools import cache

import numpy as np
import numpy.typing as npt

from faena.apps.answers.indicators import Indicator, Reader
from faena.apps.changes import selectors as changes
from faena.apps.collecting.collectors import collecting_since
from faena.apps.leads import selectors as leads
from faena.apps.servers import holdings
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.statements import events
from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import TRAITS, Signal, Source
from faena.core.alerts.stepping import Step
from faena.core.logged import EventKind
from faena.core.series.schedule import is_open, read_schedule
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs

Floats = npt.NDArray[np.float64]
USUAL_DAYS, LEAST_DAYS = 7, 3  # earlier days whose same hour says what is usual, and how many of them must be known
MOST_EVENTS = 20_000  # of a round; more are as bad as that
_INDICATORS = {
    Signal.LOAD: Indicator.LOAD, Signal.WAITING: Indicator.WAITING, Signal.BLOCKED: Indicator.BLOCKED,
    Signal.CALLS: Indicator.CALLS, Signal.ERRORS: Indicator.ERRORS, Signal.CONNECTIONS: Indicator.CONNECTIONS,
    Signal.CPU: Indicator.CPU, Signal.READS: Indicator.READS, Signal.WRITES: Indicator.WRITES,
    Signal.DISK_LATENCY: Indicator.DISK_LATENCY, Signal.TEMP: Indicator.TEMP, Signal.SIZE: Indicator.SIZE,
    Signal.LAG: Indicator.LAG, Signal.TRANSACTION_AGE: Indicator.TRANSACTION_AGE,
}  # fmt: skip
_IN_A_MINUTE = {Signal.DEADLOCKS: Indicator.DEADLOCKS, Signal.CANCELLED_READERS: Indicator.CANCELLED_READERS}


class Signals:
    """Of one server at one moment. Evidence that several conditions ask for is read once.

    `as_found`: changes count when they were found, and not when they happened, since some are found late.
    """

    def __init__(self, server: Server, now_ms: int, *, as_found: bool = True) -> None:
        self._server, self._now, self._as_found = server, now_ms, as_found
        self._indicators = cache(Reader(server, now_ms).series)
        held = holdings.read(server.pk)
        self._first, self._newest = held.first_ms, held.newest_ms
        self._schedule = read_schedule(server.schedule)

    def settled_ms(self, signal: Signal) -> int:
        """Up to when all that this signal counts has come in."""
        trait = TRAITS[signal]
        until = {Source.SAMPLES: self._newest, Source.FOUND: self._now}.get(trait.source, self._now)
        if signal is Signal.LEADS:
            until = leads.looked_until(self._server.pk) or 0
        return min(until, self._now - trait.late_ms)

    def steps(self, condition: Condition, since_ms: int, until_ms: int) -> list[Step]:
        """Whole steps within [since, until)."""
        width = condition.step_ms
        first, last = -(-since_ms // width), until_ms // width
        if last <= first:
            return []
        buckets = Buckets(start=EpochMs(first * width), width_ms=width, count=last - first)
        values = self._values(condition.signal, tuple(condition.kinds), buckets)
        usual = self._usual(condition.signal, buckets) if condition.of_usual else np.full(buckets.count, np.nan)
        return [
            Step(
                start=EpochMs(start), end=EpochMs(start + width), value=None if np.isnan(value) else float(value),
                usual=None if np.isnan(expected) else float(expected),
            )
            for start, value, expected in zip(buckets.starts(), values, usual, strict=True)
        ]  # fmt: skip

    def _values(self, signal: Signal, kinds: Sequence[str], buckets: Buckets) -> Floats:
        """NaN where nothing is known."""
        if signal in _INDICATORS:
            return self._indicators(_INDICATORS[signal], buckets)
        if signal in _IN_A_MINUTE:
            return self._indicators(_IN_A_MINUTE[signal], buckets) * 60.0
        match signal:
            case Signal.RUNNING_PER_CORE:
                return self._indicators(Indicator.RUNNING, buckets) / (self._server.cores or np.nan)
            case Signal.GROWTH:
                earlier = Buckets(
                    start=EpochMs(buckets.start - MS_PER_DAY), width_ms=buckets.width_ms, count=buckets.count
                )
                was = self._indicators(Indicator.SIZE, earlier)
                return np.divide(
                    self._indicators(Indicator.SIZE, buckets) - was, was, out=_none(buckets), where=was > 0
                )
            case Signal.EVENTS:
                return self._events(kinds, buckets)
            case Signal.LEADS:
                return self._leads(kinds, buckets)
            case Signal.CHANGES:
                return self._changes(kinds, buckets)
            case _:
                return self._stale(buckets)

    def _usual(self, signal: Signal, buckets: Buckets) -> Floats:
        """The median of the same hour's mean on earlier days; NaN where too few of them are known."""
        calendar = clock_of(self._server).calendar
        hours = np.array(buckets.starts()) // MS_PER_HOUR * MS_PER_HOUR
        wanted = {
            int(hour): [calendar.days_before(int(hour), day) for day in range(1, USUAL_DAYS + 1)]
            for hour in np.unique(hours)
        }
        first = min(min(days) for days in wanted.values()) // MS_PER_HOUR
        last = max(max(days) for days in wanted.values()) // MS_PER_HOUR
        past = Buckets(start=EpochMs(first * MS_PER_HOUR), width_ms=MS_PER_HOUR, count=last - first + 1)
        means = self._values(signal, (), past)
        found = {}
        for hour, days in wanted.items():
            known = [means[day // MS_PER_HOUR - first] for day in days]
            known = [value for value in known if not np.isnan(value)]
            found[hour] = float(np.median(known)) if len(known) >= LEAST_DAYS else np.nan
        return np.array([found[int(hour)] for hour in hours])

    def _events(self, kinds: Sequence[str], buckets: Buckets) -> Floats:
        """Entries in a minute; not known where no log was ever read."""
        first = events.first_ms(self._server.pk)
        if first is None or not self._server.log:
            return _none(buckets)
        wanted = [EventKind(one) for one in kinds] or list(EventKind)
        found = events.moments(self._server.pk, _window(buckets), wanted, MOST_EVENTS)
        many = _counted([at for moments in found.values() for at in moments], buckets) * 60_000 / buckets.width_ms
        many[np.array(buckets.starts()) + buckets.width_ms <= first] = np.nan
        return many

    def _leads(self, kinds: Sequence[str], buckets: Buckets) -> Floats:
        """How many leads were there, of these kinds."""
        starts = np.array(buckets.starts())
        many = np.zeros(buckets.count)
        for start, end in leads.spans_of(self._server.pk, _window(buckets), kinds):
            many += (starts < end) & (starts + buckets.width_ms > start)
        return many

    def _changes(self, kinds: Sequence[str], buckets: Buckets) -> Floats:
        found = changes.moments(self._server.pk, _window(buckets), kinds, as_found=self._as_found)
        return _counted(found, buckets)

    def _stale(self, buckets: Buckets) -> Floats:
        """Milliseconds without a sample at the end of each step. Not known while its schedule asks for none, and before the
        first one ever: nothing is missing from before the watching began. While no collector ran, nobody was there to tell,
        and it is not the server that was silent: it counts from when one began."""
        if not self._first:
            return _none(buckets)
        more = MS_PER_HOUR // buckets.width_ms
        longer = Buckets(
            start=EpochMs(buckets.start - more * buckets.width_ms),
            width_ms=buckets.width_ms,
            count=buckets.count + more,
        )
        ends = np.array(longer.starts()) + buckets.width_ms
        seen = ~np.isnan(self._indicators(Indicator.LOAD, longer))
        before = max(min(self._newest, longer.start), self._first)
        last = np.maximum.accumulate(np.where(seen, ends, before))[more:]
        ends = ends[more:]
        wanted = np.array([is_open(self._schedule, EpochMs(int(end) - 1)) for end in ends])
        wanted &= ends > self._first
        since = collecting_since(self._now) if self._as_found else 0
        silent = np.clip(ends - np.maximum(last, since), 0, None)
        return np.where(wanted, silent.astype(np.float64), np.nan)


def _none(buckets: Buckets) -> Floats:
    return np.full(buckets.count, np.nan)


def _window(buckets: Buckets) -> Window:
    return Window(start=buckets.start, end=EpochMs(buckets.start + buckets.count * buckets.width_ms))


def _counted(moments: Sequence[int], buckets: Buckets) -> Floats:
    at = buckets.index_of(np.array(moments, dtype=np.int64))
    return np.bincount(at[(at >= 0) & (at < buckets.count)], minlength=buckets.count).astype(np.float64)
