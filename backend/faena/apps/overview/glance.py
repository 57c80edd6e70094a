"""A server over the last minute, as its trouble is judged."""

import numpy as np

from faena.apps.samples.selectors import LoadAnswer
from faena.apps.samples.usual import marked_for, past_days
from faena.apps.servers import vitals
from faena.apps.servers.models import Server
from faena.core.answers.trouble import Glance
from faena.core.series.usual import usual
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

STATE_WORDS = {"away": "cannot be reached", "stale": "no samples lately"}


def glance_at(server: Server, minute: LoadAnswer, running: float | None, now: int, *, reachable: bool) -> Glance:
    """`minute` is the load of the last minute by wait kind; `running` its mean on CPU."""
    ticks = int(minute.unpicked.ticks.sum())
    totals = dict(zip(minute.unpicked.groups, minute.unpicked.seen.sum(axis=1).tolist(), strict=True))
    window = Window(start=EpochMs(now - 60_000), end=EpochMs(now))
    high = usual(past_days(server), window, server.period_ms, marked_for(server.id)).high_over(window)
    hour = vitals.totals(server.id, now - MS_PER_HOUR, now)
    return Glance(
        reachable=reachable,
        state_words=server.state_message or STATE_WORDS.get(server.state, "no samples lately"),
        running=running if running is not None else np.nan,
        waiting=sum(n for kind, n in totals.items() if kind != "running") / ticks if ticks else np.nan,
        blocked=totals.get("lock", 0) / ticks if ticks else np.nan,
        cores=server.cores,
        usual_waiting_high=float(high[1]),
        usual_running_high=float(high[0]),
        lag_ms=hour.lag_ms,
        deadlocks=hour.deadlocks,
    )
