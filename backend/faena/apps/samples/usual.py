"""The usual band of a server, and the spans it is not to be learned from."""

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

import numpy as np
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.models import Role
from faena.apps.accounts.policy import require
from faena.apps.samples.models import Rollup, UnusualSpan
from faena.apps.samples.selectors import LoadAnswer
from faena.apps.servers import holdings
from faena.core.errors import BadInput, NotFound
from faena.core.series.usual import HISTORY_MS, Departure, PastHours, UsualBand, departures, usual
from faena.core.series.window import Window

_SHAPE = ("run_low", "run_middle", "run_high", "wait_low", "wait_middle", "wait_high")
MAX_KNOWN = 200  # servers whose hours are kept in memory
_known: OrderedDict[int, tuple[int, PastHours]] = OrderedDict()
_lock = Lock()


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualAnswer:
    band: UsualBand
    departures: list[Departure]


def past_hours(server_id: int) -> PastHours:
    """The shapes of all hours that what is usual can be learned from, kept until another hour is closed."""
    held = holdings.read(server_id)
    with _lock:
        rewrites, past = _known.get(server_id, (-1, None))
        if past is None or rewrites != held.rewrites:
            rows = Rollup.objects.filter(server_id=server_id, hour_ms__gte=held.newest_ms - 3 * HISTORY_MS)
            table = np.array(list(rows.order_by("hour_ms").values_list("hour_ms", "ticks", *_SHAPE)), dtype=np.float64)
            table = table.reshape(-1, 8)
            hours, ticks = table[:, 0].astype(np.int64), table[:, 1].astype(np.int64)
            past = PastHours(hours, ticks, table[:, 2:].reshape(-1, 2, 3))
            _known[server_id] = (held.rewrites, past)
            while len(_known) > MAX_KNOWN:
                _known.popitem(last=False)
        return past


def usual_for(server_id: int, answer: LoadAnswer, period_ms: int) -> UsualAnswer:
    """Band and departures over the buckets of a load answer; judged over all load, whatever is picked."""
    spans = UnusualSpan.objects.filter(server_id=server_id).values_list("start_ms", "end_ms")
    band = usual(past_hours(server_id), answer.buckets, period_ms, list(spans))
    sessions = dict(zip(answer.unpicked.groups, answer.unpicked.sessions(), strict=True))
    nothing = np.where(answer.unpicked.ticks > 0, 0.0, np.nan)
    running = sessions.pop("running", nothing)
    waiting = np.sum(list(sessions.values()), axis=0) if sessions else nothing
    return UsualAnswer(band=band, departures=departures(running, waiting, band, answer.buckets))


def marked_spans(server_id: int, window: Window) -> list[UnusualSpan]:
    """Marked spans that touch the window."""
    spans = UnusualSpan.objects.filter(server_id=server_id, start_ms__lt=window.end, end_ms__gt=window.start)
    return list(spans.order_by("start_ms"))


def mark(server_id: int, window: Window, label: str, *, by: AbstractBaseUser | AnonymousUser) -> UnusualSpan:
    """Leave a span out of what is usual. Raises NotAllowed, BadInput."""
    require(by, Role.OPERATOR, "mark an incident")
    if not label.strip():
        raise BadInput("say in a few words what it was", field="label")
    return UnusualSpan.objects.create(
        server_id=server_id, start_ms=window.start, end_ms=window.end, label=label.strip()[:200], marked_by=str(by)
    )


def unmark(server_id: int, span_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """Learn from the span again. Raises NotAllowed, NotFound."""
    require(by, Role.OPERATOR, "unmark an incident")
    gone, _ = UnusualSpan.objects.filter(server_id=server_id, id=span_id).delete()
    if not gone:
        raise NotFound(f"there is no marked span {span_id} on this server; somebody may have removed it")


def forget_caches() -> None:
    """For tests that empty the store between them."""
    _known.clear()
