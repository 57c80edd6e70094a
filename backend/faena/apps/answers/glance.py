"""Servers over the last minutes, each as its trouble is judged: a few questions for all of them together."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from faena.apps.samples.recent import recent
from faena.apps.samples.selectors import LoadAnswer, load_of, sample_costs
from faena.apps.samples.usual import marked_everywhere, past_days
from faena.apps.servers import holdings, vitals
from faena.apps.servers.models import Holdings, Server
from faena.core.answers.evidence import Loads, Reach, UsualMost, VitalsLately
from faena.core.answers.headline import Headline, headline
from faena.core.answers.trouble import troubles
from faena.core.findings import Finding
from faena.core.series.usual import usual
from faena.core.series.window import Window
from faena.core.sessions.frame import EMPTY
from faena.core.units import MS_PER_HOUR, EpochMs

STATE_WORDS = {"away": "cannot be reached", "stale": "no samples lately"}
GLANCE_MS, MINUTE_MS = 15 * 60_000, 60_000
STALE_MS = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Glanced:
    """A server now: load of the last minutes, what is said of the last one, and what troubles it.

    `window` is that of `lately`; `cost` the median and 95th percentile of what a sample took, ms.
    """

    server: Server
    state: str
    window: Window
    lately: LoadAnswer
    said: Headline
    freshness_ms: int | None
    cost: tuple[float, float] | None
    loads: Loads
    vitals: VitalsLately
    troubles: Sequence[Finding]


def glance_at(servers: Sequence[Server], now: int) -> list[Glanced]:
    """In the order given."""
    window = Window(start=EpochMs(now - GLANCE_MS), end=EpochMs(now))
    minute = Window(start=EpochMs(now - MINUTE_MS), end=EpochMs(now))
    everything, wanted = holdings.read_all(), {one.id for one in servers}
    held = {server: one for server, one in everything.items() if server in wanted and one.newest_ms}
    frames = recent.read(held, window)
    costs, marks = sample_costs(minute), marked_everywhere()
    hours = vitals.totals(wanted, now - MS_PER_HOUR, now)
    found = []
    for server in servers:
        mine, frame = held.get(server.pk, Holdings(server_id=server.pk)), frames.get(server.pk, EMPTY)
        lately = load_of(frame, mine, window, at_most=90, period_ms=server.period_ms, now=now)
        freshness = None if lately.last_tick is None else max(0, now - lately.last_tick)
        evidence = LastMinute(
            server=server,
            state=_state(server, freshness),
            minute=load_of(frame, mine, minute, at_most=60, period_ms=server.period_ms, now=now),
            window=minute,
            held=mine,
            marked=marks.get(server.pk, ()),
            hour=hours.get(server.pk, vitals.NO_TOTALS),
        )
        found.append(
            Glanced(
                server=server, state=evidence.state, window=window, lately=lately, said=evidence.headline(),
                freshness_ms=freshness, cost=costs.get(server.pk), loads=evidence.loads(), vitals=evidence.vitals(),
                troubles=troubles(evidence),
            )
        )  # fmt: skip
    return found


def glance_of(server: Server, now: int) -> Glanced:
    """One server at a glance."""
    (found,) = glance_at([server], now)
    return found


def _state(server: Server, freshness: int | None) -> str:
    state = server.state if server.enabled or server.state == "removed" else "paused"
    if state == "watching" and (freshness is None or freshness > STALE_MS + 2 * server.period_ms):
        return "stale"
    return state


@dataclass(frozen=True, kw_only=True)
class LastMinute:
    """Implements `core.answers.evidence.Evidence` over the last minute, of samples that were read for all servers at once.

    `minute` is its load by wait kind, `marked` the spans from which is not learned, `hour` the counts of the last hour.
    """

    server: Server
    state: str
    minute: LoadAnswer
    window: Window
    held: Holdings
    marked: Sequence[tuple[int, int]]
    hour: vitals.VitalTotals

    @property
    def server_id(self) -> int:
        return self.server.pk

    @property
    def cores(self) -> int | None:
        return self.server.cores

    def headline(self) -> Headline:
        """The first fork of the minute."""
        return headline(self.minute.series, self.minute.buckets.starts(), self.server.cores)

    def reach(self) -> Reach:
        words = self.server.state_message or STATE_WORDS.get(self.server.state, "no samples lately")
        return Reach(known=self.state in ("watching", "new"), words=words)

    def loads(self) -> Loads:
        series = self.minute.unpicked
        ticks = int(series.ticks.sum())
        if not ticks:
            return Loads(running=np.nan, waiting=np.nan, blocked=np.nan)
        totals = dict(zip(series.groups, series.seen.sum(axis=1).tolist(), strict=True))
        running = totals.get("running", 0)
        return Loads(
            running=running / ticks,
            waiting=(sum(totals.values()) - running) / ticks,
            blocked=totals.get("lock", 0) / ticks,
        )

    def usual_most(self) -> UsualMost:
        return self._usual

    @cached_property
    def _usual(self) -> UsualMost:
        band = usual(past_days(self.server, self.held), self.window, self.server.period_ms, self.marked)
        high = band.high_over(self.window)
        return UsualMost(running=float(high[0]), waiting=float(high[1]))

    def vitals(self) -> VitalsLately:
        return VitalsLately(deadlocks=self.hour.deadlocks, lag_ms=self.hour.lag_ms)
