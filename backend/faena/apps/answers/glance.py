"""Servers over the last minutes, each as its trouble is judged: a few questions for all of them together."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.recent import recent
from faena.apps.samples.selectors import sample_costs
from faena.apps.samples.usual import marked_everywhere, past_days
from faena.apps.servers import holdings, vitals
from faena.apps.servers.holdings import Held
from faena.apps.servers.models import Server
from faena.core.answers.evidence import Loads, Reach, UsualMost, VitalsLately
from faena.core.answers.trouble import troubles
from faena.core.findings import Finding
from faena.core.sampling.lately import NOTHING, KindMeans, kind_means
from faena.core.series.usual import usual
from faena.core.series.window import Window
from faena.core.sessions.frame import EMPTY
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.core.waits.kinds import WaitKind

STATE_WORDS = {"away": "cannot be reached", "stale": "no samples lately"}
MINUTE_MS = 60_000
STALE_MS = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Glanced:
    """A server now: its load over the minute up to its newest sample, and what troubles it.

    `freshness_ms` is the age of the newest sample, None where there never was one; `cost` the median and 95th
    percentile of what a sample took, ms.
    """

    server: Server
    state: str
    minute: KindMeans
    freshness_ms: int | None
    cost: tuple[float, float] | None
    loads: Loads
    vitals: VitalsLately
    troubles: Sequence[Finding]


def glance_at(servers: Sequence[Server], now: int) -> list[Glanced]:
    """In the order given."""
    everything, wanted = holdings.read_all(), {one.id for one in servers}
    held = {server: one for server, one in everything.items() if server in wanted and one.newest_ms}
    minutes = _minutes(held, now)
    minute = Window(start=EpochMs(now - MINUTE_MS), end=EpochMs(now))
    costs, marks = sample_costs(minute), marked_everywhere()
    hours = vitals.totals(wanted, now - MS_PER_HOUR, now)
    found = []
    for server in servers:
        mine = held.get(server.pk) or Held(server.pk)
        freshness = max(0, now - mine.newest_ms) if mine.newest_ms else None
        evidence = LastMinute(
            server=server,
            state=_state(server, freshness),
            minute=minutes.get(server.pk, NOTHING),
            held=mine,
            marked=marks.get(server.pk, ()),
            hour=hours.get(server.pk, vitals.NO_TOTALS),
            window=minute,
        )
        found.append(
            Glanced(
                server=server, state=evidence.state, minute=evidence.minute, freshness_ms=freshness,
                cost=costs.get(server.pk), loads=evidence.loads(), vitals=evidence.vitals(),
                troubles=troubles(evidence),
            )
        )  # fmt: skip
    return found


class _Minutes:
    """The minute up to the newest sample of each server; made again only where something new came. Safe for threads."""

    def __init__(self) -> None:
        self._kept: dict[int, tuple[tuple[int, int, int], KindMeans]] = {}

    def of(self, held: Mapping[int, Held], now: int) -> dict[int, KindMeans]:
        """Means by server, of those with a sample in the last minute; `held` is what the store has of each."""
        lately = {server: one for server, one in held.items() if now - one.newest_ms < MINUTE_MS}
        fresh = {server: one for server, one in lately.items() if self._known(server, one) is None}
        frames = recent.read(fresh, Window(start=EpochMs(now - 2 * MINUTE_MS), end=EpochMs(now)))
        for server, one in fresh.items():
            minute = Window(start=EpochMs(one.newest_ms + 1 - MINUTE_MS), end=EpochMs(one.newest_ms + 1))
            means = kind_means(frames.get(server, EMPTY), read_dictionary(server, one), minute)
            self._kept[server] = (_version(one), means)
        return {server: self._known(server, one) or NOTHING for server, one in lately.items()}

    def _known(self, server: int, held: Held) -> KindMeans | None:
        version, means = self._kept.get(server, (None, None))
        return means if version == _version(held) else None

    def forget(self) -> None:
        """For tests that empty the store between them."""
        self._kept.clear()


def _version(held: Held) -> tuple[int, int, int]:
    return (held.newest_ms, held.rewrites, held.codes)


_kept = _Minutes()
_minutes = _kept.of
forget_caches = _kept.forget


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
    minute: KindMeans
    held: Held
    marked: Sequence[tuple[int, int]]
    hour: vitals.VitalTotals
    window: Window

    @property
    def server_id(self) -> int:
        return self.server.pk

    @property
    def cores(self) -> int | None:
        return self.server.cores

    def reach(self) -> Reach:
        words = self.server.state_message or STATE_WORDS.get(self.server.state, "no samples lately")
        return Reach(known=self.state in ("watching", "new"), words=words)

    def loads(self) -> Loads:
        minute = self.minute
        if not minute.ticks:
            return Loads(running=np.nan, waiting=np.nan, blocked=np.nan)
        blocked = minute.by_kind.get(WaitKind.LOCK, 0.0)
        return Loads(running=minute.running, waiting=minute.load - minute.running, blocked=blocked)

    def usual_most(self) -> UsualMost:
        return self._usual

    @cached_property
    def _usual(self) -> UsualMost:
        band = usual(past_days(self.server, self.held), self.window, self.server.period_ms, self.marked)
        high = band.high_over(self.window)
        return UsualMost(running=float(high[0]), waiting=float(high[1]))

    def vitals(self) -> VitalsLately:
        return VitalsLately(deadlocks=self.hour.deadlocks, lag_ms=self.hour.lag_ms)
