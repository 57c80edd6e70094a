"""Servers over the last minutes, each as its trouble is judged: a few questions for all of them together."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.apps.samples.recent import recent
from faena.apps.samples.selectors import LoadAnswer, load_of, sample_costs
from faena.apps.samples.usual import marked_everywhere, past_days
from faena.apps.servers import holdings, vitals
from faena.apps.servers.models import Holdings, Server
from faena.core.answers.headline import Headline, headline
from faena.core.answers.trouble import Glance
from faena.core.series.usual import usual
from faena.core.series.window import Window
from faena.core.sessions.frame import EMPTY
from faena.core.units import MS_PER_HOUR, EpochMs

STATE_WORDS = {"away": "cannot be reached", "stale": "no samples lately"}
GLANCE_MS, MINUTE_MS = 15 * 60_000, 60_000
STALE_MS = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Glanced:
    """A server now: load of the last minutes, what is said of the last one, and what its trouble is judged by.

    `window` is that of `lately`; `cost` the median and 95th percentile of what a sample took, ms.
    """

    server: Server
    state: str
    window: Window
    lately: LoadAnswer
    said: Headline
    freshness_ms: int | None
    cost: tuple[float, float] | None
    glance: Glance


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
        mine, frame = held.get(server.id, Holdings(server_id=server.id)), frames.get(server.id, EMPTY)
        lately = load_of(frame, mine, window, at_most=90, period_ms=server.period_ms, now=now)
        last = load_of(frame, mine, minute, at_most=60, period_ms=server.period_ms, now=now)
        said = headline(last.series, last.buckets.starts(), server.cores)
        freshness = None if lately.last_tick is None else max(0, now - lately.last_tick)
        state = _state(server, freshness)
        band = usual(past_days(server, mine), minute, server.period_ms, marks.get(server.id, ()))
        high = band.high_over(minute)
        glance = _glance(server, last, said, state, high, hours.get(server.id, vitals.NO_TOTALS))
        found.append(
            Glanced(
                server=server, state=state, window=window, lately=lately, said=said, freshness_ms=freshness,
                cost=costs.get(server.id), glance=glance,
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


def _glance(
    server: Server,
    minute: LoadAnswer,
    said: Headline,
    state: str,
    high: npt.NDArray[np.float64],
    hour: vitals.VitalTotals,
) -> Glance:
    """`minute` is the load of the last minute by wait kind; `high` what is usual at most, running and waiting."""
    ticks = int(minute.unpicked.ticks.sum())
    totals = dict(zip(minute.unpicked.groups, minute.unpicked.seen.sum(axis=1).tolist(), strict=True))
    return Glance(
        reachable=state in ("watching", "new"),
        state_words=server.state_message or STATE_WORDS.get(server.state, "no samples lately"),
        running=said.running if said.running is not None else np.nan,
        waiting=sum(n for kind, n in totals.items() if kind != "running") / ticks if ticks else np.nan,
        blocked=totals.get("lock", 0) / ticks if ticks else np.nan,
        cores=server.cores,
        usual_waiting_high=float(high[1]),
        usual_running_high=float(high[0]),
        lag_ms=hour.lag_ms,
        deadlocks=hour.deadlocks,
    )
