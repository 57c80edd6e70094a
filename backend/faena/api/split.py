"""Cause split: why the time in statements changed against another window."""

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import clock_of
from faena.apps.statements import selectors
from faena.core.answers.cause_split import cause_split, sentence
from faena.core.errors import BadInput, NotFound
from faena.core.privacy import Normalised
from faena.core.series.baseline import window_before
from faena.core.series.calendar import Calendar
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.units import EpochMs

router = Router(tags=["statements"])


class SplitPartOut(Out):
    """Milliseconds a second; `by_calls + by_cost` is the whole change. Costs per call, null without calls."""

    query_id: str
    label: str
    before_calls: float
    after_calls: float
    before_cost: float | None
    after_cost: float | None
    by_calls: float
    by_cost: float
    change: float


class SplitOut(Out):
    """Milliseconds of execution a second: `before + volume + mix + cost = after`; read time likewise."""

    start: int
    end: int
    other_start: int
    other_end: int
    before: float
    after: float
    volume: float
    mix: float
    cost: float
    reads_before: float
    reads_after: float
    by_count: float
    by_latency: float
    sentence: str
    parts: list[SplitPartOut]
    rest: float


_DAYS_BEFORE = {"day": 1, "week": 7}
_WORDS = {
    "previous": "in the window before",
    "day": "a day before",
    "week": "a week before",
    "window": "in the other window",
}


@router.get("/servers/{server_id}/split", response=SplitOut, operation_id="statements_split")
def split_cause(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    against: Literal["previous", "day", "week", "window"] = "previous",
    other_from: int | None = None,
    other_to: int | None = None,
    query_id: Annotated[str | None, Query(pattern=r"^-?\d{1,19}$", description="of one statement only")] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 20,
) -> SplitOut:
    """Why the time in statements changed against another window: more calls, dearer calls, or another mix.

    The trail narrows by statement, user, database and tables; what counters do not tell narrows nothing.
    """
    server, window = servers.server(server_id), window_in.window(now_ms())
    other = _other(window, against, other_from, other_to, clock_of(server).calendar)
    narrowing = selectors.Narrowing(without_user=server.username, trail=trail_in.trail())
    if query_id is not None:
        narrowing["query_id"] = int(query_id)
    sides = [selectors.efforts(server_id, w, **narrowing) for w in (other, window)]
    counted = [selectors.coverage(server_id, w).covered_ms / 1000 for w in (other, window)]
    for w, seconds in zip((other, window), counted, strict=True):
        if not seconds:
            raise NotFound(
                f"no statements were counted {'here' if w is window else _WORDS[against]}, so nothing compares"
            )
    split = cause_split(sides[0], sides[1], counted[0], counted[1])
    shown = split.parts[:limit]
    texts = selectors.texts(server_id, [part.query_id for part in shown])
    labels = {i: gist(text.text, 120) for i, text in texts.items()}
    first = (
        labels.get(split.parts[0].query_id, Normalised("a statement whose text is not known"))
        if split.parts
        else Normalised("nothing")
    )
    names = ("before", "after", "volume", "mix", "cost", "reads_before", "reads_after", "by_count", "by_latency")
    return SplitOut(
        start=window.start,
        end=window.end,
        other_start=other.start,
        other_end=other.end,
        sentence=sentence(split, f"“{gist(first, 60)}”", _WORDS[against])
        if split.parts
        else "Nothing ran in either window.",
        parts=[
            SplitPartOut(
                query_id=str(part.query_id),
                label=labels.get(part.query_id, f"statement {part.query_id}"),
                change=part.change,
                **{n: getattr(part, n) for n in SplitPartOut.model_fields if n not in ("query_id", "label", "change")},
            )
            for part in shown
        ],
        rest=sum(part.change for part in split.parts[limit:]),
        **{name: getattr(split, name) for name in names},
    )


def _other(window: Window, against: str, start: int | None, end: int | None, calendar: Calendar) -> Window:
    if against == "previous":
        return window.previous()
    if against in _DAYS_BEFORE:
        return window_before(window, _DAYS_BEFORE[against], calendar)
    if start is None or end is None:
        raise BadInput("another window is named by `other_from` and `other_to`", field="other_from")
    return Window(start=EpochMs(start), end=EpochMs(end))
