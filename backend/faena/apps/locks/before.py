"""What the transaction of a session had run by a moment: from its samples and from the log."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Count, Max, Min, Sum

from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.sessions import read_sessions, sessions_of
from faena.apps.statements.models import Execution
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

MOST_BACK_MS = 24 * MS_PER_HOUR  # of a transaction that is older the rest is left to the tape
MOST_RAN = 30
SLACK_MS = 1_500  # the log and the samples go by clocks of their own


@dataclass(frozen=True, slots=True, kw_only=True)
class Ran:
    """A statement of the transaction, in order of when it was first seen. `ticks` at which it was seen at work.

    `logged` executions of it that the log told of and we kept, with the time they took.
    """

    query_id: int
    first: int
    last: int
    ticks: int = 0
    logged: int = 0
    took_ms: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Before:
    """`begun` is when the transaction began, None where no sample tells; `cut` whether it began before what was read."""

    begun: int | None
    ran: Sequence[Ran]
    cut: bool = False


def ran_before(server_id: int, pid: int, started_s: int, at_ms: int) -> Before:
    """Statements of the transaction that the session had open at the last sample of it up to a moment."""
    near = Window(start=EpochMs(at_ms - MS_PER_HOUR), end=EpochMs(at_ms + 1))
    last = sessions_of(read_sessions(server_id, near), [(pid, started_s)])
    if not len(last.pid) or last.transaction_ms[-1] < 0:
        return Before(begun=None, ran=())
    begun = int(last.tick_ms[last.tick[-1]] - last.transaction_ms[-1])
    since = max(begun, at_ms - MOST_BACK_MS)
    window = Window(start=EpochMs(since), end=EpochMs(at_ms + 1))
    found = _sampled(server_id, window, pid, started_s)
    rows = Execution.objects.filter(
        server_id=server_id, pid=pid, ended_ms__gte=since - SLACK_MS, ended_ms__lte=at_ms, query_id__isnull=False
    ).values("query_id")
    told = rows.annotate(n=Count("*"), took=Sum("took_ms"), first=Min("ended_ms"), last=Max("ended_ms")).order_by()
    for logged_id, n, took, first, end in told.values_list("query_id", "n", "took", "first", "last"):
        query_id = int(logged_id or 0)
        known = found.get(query_id, Ran(query_id=query_id, first=first, last=end))
        found[query_id] = Ran(
            query_id=query_id,
            first=min(known.first, first),
            last=max(known.last, end),
            ticks=known.ticks,
            logged=n,
            took_ms=took,
        )
    ran = sorted(found.values(), key=lambda one: (one.first, one.last))
    return Before(begun=begun, ran=ran[-MOST_RAN:], cut=since > begun or len(ran) > MOST_RAN)


def _sampled(server_id: int, window: Window, pid: int, started_s: int) -> dict[int, Ran]:
    """By statement. Idle in its transaction a session still names the last one, which counts as seen, not as at work."""
    frame = sessions_of(read_sessions(server_id, window), [(pid, started_s)])
    combinations = read_dictionary(server_id).combinations
    found: dict[int, Ran] = {}
    for code in np.unique(frame.code).tolist():
        label = combinations[code] if code < len(combinations) else None
        if label is None or label.query_id is None:
            continue
        at, query_id = frame.tick_ms[frame.tick[frame.code == code]], int(label.query_id)
        before = found.get(query_id, Ran(query_id=query_id, first=int(at[0]), last=int(at[-1])))
        found[query_id] = Ran(
            query_id=query_id,
            first=min(before.first, int(at[0])),
            last=max(before.last, int(at[-1])),
            ticks=before.ticks + (len(at) if label.active else 0),
        )
    return found
