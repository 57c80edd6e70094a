"""Indicators: one figure of a server over time, from whichever evidence holds it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache, partial

import numpy as np
import numpy.typing as npt

from faena.apps.hosts import selectors as hosts
from faena.apps.samples import selectors as samples
from faena.apps.servers import vitals
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.statements import selectors as statements
from faena.core.answers.change import Change, change
from faena.core.labels import Labelled
from faena.core.sampling.dimensions import Dimension
from faena.core.series.calendar import Calendar
from faena.core.series.window import Buckets, Window
from faena.core.units import EpochMs

Floats = npt.NDArray[np.float64]


class Indicator(Labelled):
    """The value is the word in the API and the URL."""

    LOAD = "load", "active sessions"
    RUNNING = "running", "running"
    WAITING = "waiting", "waiting"
    BLOCKED = "blocked", "waiting for locks"
    CALLS = "calls", "executions"
    ERRORS = "errors", "rollbacks"
    DEADLOCKS = "deadlocks", "deadlocks"
    CANCELLED_READERS = "cancelled_readers", "readers cancelled on a replica"
    CONNECTIONS = "connections", "connections"
    CPU = "cpu", "CPU of the machine"
    READS = "reads", "disk reads"
    WRITES = "writes", "disk writes"
    DISK_LATENCY = "disk_latency", "disk latency"
    TEMP = "temp", "spilled to temporary files"
    SIZE = "size", "allocated size"
    LAG = "lag", "replay lag"
    TRANSACTION_AGE = (
        "transaction_age",
        "age of the oldest transaction id",
        "in transactions; writes stop near two billion",
    )


# One of sessions, per_s, share, ms, bytes, bytes_per_s, count.
UNITS: Mapping[Indicator, str] = {
    Indicator.LOAD: "sessions",
    Indicator.RUNNING: "sessions",
    Indicator.WAITING: "sessions",
    Indicator.BLOCKED: "sessions",
    Indicator.CALLS: "per_s",
    Indicator.ERRORS: "per_s",
    Indicator.DEADLOCKS: "per_s",
    Indicator.CANCELLED_READERS: "per_s",
    Indicator.CONNECTIONS: "count",
    Indicator.CPU: "share",
    Indicator.READS: "per_s",
    Indicator.WRITES: "per_s",
    Indicator.DISK_LATENCY: "ms",
    Indicator.TEMP: "bytes_per_s",
    Indicator.SIZE: "bytes",
    Indicator.LAG: "ms",
    Indicator.TRANSACTION_AGE: "count",
}
_VITAL = {
    Indicator.ERRORS: "rollbacks",
    Indicator.DEADLOCKS: "deadlocks",
    Indicator.CANCELLED_READERS: "conflicts",
    Indicator.CONNECTIONS: "connections",
    Indicator.TEMP: "temp_bytes",
    Indicator.SIZE: "size_bytes",
    Indicator.LAG: "lag_ms",
    Indicator.TRANSACTION_AGE: "transaction_age",
}
_HOST = {Indicator.READS: "disk_reads", Indicator.WRITES: "disk_writes", Indicator.DISK_LATENCY: "disk_latency_ms"}


class Reader:
    """Reads indicators of one server. Evidence that several of them come from is asked for once for each window."""

    def __init__(self, server: Server, now: int) -> None:
        self._server = server
        self.load = cache(partial(load_by_kind, server, now=now))
        self._host = cache(partial(_host, server.machine))
        self._vitals = cache(partial(vitals.over_time, server.pk))

    def read(self, indicator: Indicator, buckets: Buckets) -> "Reading":
        """One indicator over the buckets, beside the same hours yesterday and a week ago."""
        values = self.series(indicator, buckets)
        mean, calendar = _mean(values), clock_of(self._server).calendar
        earlier = [_mean(self.series(indicator, _days_before(buckets, days, calendar))) for days in (1, 7)]
        return Reading(values=values, mean=mean, yesterday=change(mean, earlier[0]), last_week=change(mean, earlier[1]))

    def series(self, indicator: Indicator, buckets: Buckets) -> Floats:
        """One figure per bucket, NaN where nothing was read."""
        match indicator:
            case Indicator.LOAD | Indicator.RUNNING | Indicator.WAITING | Indicator.BLOCKED:
                return _sampled(self.load(buckets), indicator)
            case Indicator.CALLS:
                work = statements.calls_over_time(self._server.pk, buckets)
                return np.divide(work.calls, work.covered_ms / 1000, out=_unknown(buckets), where=work.covered_ms > 0)
            case Indicator.CPU:
                rows = self._host(buckets)
                return _column(
                    rows, lambda row: None if row["cpu_user"] is None else row["cpu_user"] + (row["cpu_system"] or 0)
                )
            case Indicator.READS | Indicator.WRITES | Indicator.DISK_LATENCY:
                return _column(self._host(buckets), lambda row: row[_HOST[indicator]])
            case _:
                return _column(self._vitals(buckets), lambda row: row[_VITAL[indicator]])


def _host(machine: str, buckets: Buckets) -> list[dict[str, float | None]]:
    """Nothing is known of a machine without a name, so nothing is asked."""
    return (
        hosts.over_time(machine, buckets)
        if machine
        else [dict.fromkeys((*hosts.MEANS, *hosts.SIZES)) for _ in range(buckets.count)]
    )


def _unknown(buckets: Buckets) -> Floats:
    return np.full(buckets.count, np.nan)


def _column(rows: list[dict[str, float | None]], of: Callable[[dict[str, float | None]], float | None]) -> Floats:
    found = [of(row) for row in rows]
    return np.array([np.nan if value is None else value for value in found], dtype=np.float64)


def load_by_kind(server: Server, buckets: Buckets, *, now: int) -> samples.LoadAnswer:
    """Load of a server by wait kind in these buckets."""
    end = buckets.start + buckets.count * buckets.width_ms
    window = Window(start=buckets.start, end=EpochMs(end))
    return samples.load(
        server.id, window, Dimension.KIND, (), at_most=buckets.count, period_ms=server.period_ms, now=now,
        widest_of=buckets.width_ms,
    )  # fmt: skip


def _sampled(answer: samples.LoadAnswer, indicator: Indicator) -> Floats:
    rows = dict(zip(answer.series.groups, answer.series.sessions(), strict=True))
    nothing = np.where(answer.series.ticks > 0, 0.0, np.nan)
    running, blocked = rows.get("running", nothing), rows.get("lock", nothing)
    load = sum(rows.values(), start=nothing)
    found: Floats = {
        Indicator.LOAD: load,
        Indicator.RUNNING: running,
        Indicator.WAITING: load - running,
        Indicator.BLOCKED: blocked,
    }[indicator]
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """An indicator over a window: its series, the mean of what is known, and how that differs from earlier."""

    values: Floats
    mean: float
    yesterday: Change
    last_week: Change


def _days_before(buckets: Buckets, days: int, calendar: Calendar) -> Buckets:
    """The same hours by the clock so many days ago."""
    start = EpochMs(calendar.days_before(buckets.start, days))
    return Buckets(start=start, width_ms=buckets.width_ms, count=buckets.count)


def _mean(values: Floats) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if len(known) else float("nan")
