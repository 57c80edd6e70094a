"""Single requests of an endpoint: over time and duration, and what some of them have in common."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from django.db.models import Count, Q, QuerySet, Sum

from faena.apps.requests.models import Callee, KeptRequest, RequestStatement
from faena.apps.requests.selectors import Only
from faena.apps.requests.single import Kept, kept_of
from faena.core.labels import Labelled
from faena.core.requests.choosing import Why
from faena.core.requests.common import Common, Marked, in_common
from faena.core.requests.findings import written
from faena.core.requests.sums import LAYERS
from faena.core.series.window import Window

MOST_PLACED = 50_000  # requests of a window that are drawn, the newest
MOST_COMPARED = 3_000  # on each side; of more, some by the order of their trace, which is drawn by chance


class Placed(NamedTuple):
    """A request as it is drawn; it stands for `weight` requests. Times in milliseconds."""

    started: int
    took_ms: float
    weight: float

    @property
    def ended(self) -> int:
        return round(self.started + self.took_ms)


class MarkKind(Labelled):
    """What a request can be told from others by."""

    ATTRIBUTE = "attribute", "attribute"
    STATEMENT = "statement", "runs the statement"
    CALL = "call", "calls"
    OUTCOME = "outcome", "outcome"


class Mark(NamedTuple):
    """`key` and `value` of an attribute; of others the value is a number, or how it ended."""

    kind: MarkKind
    key: str
    value: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """Requests that began in [start, end) and took [least, most) ms."""

    start: int
    end: int
    least_ms: float
    most_ms: float

    def inside(self) -> Q:
        return Q(
            at_ms__gte=self.start, at_ms__lt=self.end, duration_ms__gte=self.least_ms, duration_ms__lt=self.most_ms
        )


def placed(server_id: int, window: Window, only: Only) -> tuple[list[Placed], int]:
    """The newest requests that are kept, and how many are."""
    rows = only.kept(server_id, window)
    found = rows.order_by("-at_ms").values_list("at_ms", "duration_ms", "weight")[:MOST_PLACED]
    told = [Placed(*row) for row in found]
    return told, len(told) if len(told) < MOST_PLACED else rows.count()


@dataclass(frozen=True, slots=True, kw_only=True)
class Side:
    """Requests on one side: how many are kept, for how many they stand, means of one by layer (ms) and of its statements."""

    kept: int
    requests: float
    mean_ms: float
    layers: Sequence[float]
    statements: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Picked:
    """Requests of a part beside all others of the window. `words` has of each mark what it is called."""

    picked: Side
    others: Side
    common: Sequence[Common[Mark]]
    words: Mapping[Mark, str]
    singles: Sequence[Kept]


def picked(server_id: int, window: Window, only: Only, part: Part, *, at_most: int) -> Picked:
    """What the requests of a part have in common, and the slowest of them."""
    rows = only.kept(server_id, window)
    inside, outside = rows.filter(part.inside()), rows.exclude(part.inside())
    common = in_common(_marked(inside), _marked(outside))
    return Picked(
        picked=_side(inside),
        others=_side(outside),
        common=common,
        words=_words([one.mark for one in common]),
        singles=[kept_of(one) for one in inside.select_related("origin__endpoint").order_by("-duration_ms")[:at_most]],
    )


def _marked(rows: QuerySet[KeptRequest]) -> list[Marked[Mark]]:
    columns = ("attributes", "ran", "called", "error", "why", "weight")
    some = rows.order_by("trace").values_list(*columns)[:MOST_COMPARED]
    return [
        Marked(marks=frozenset(_marks(attributes, ran, called, error, why)), weight=weight)
        for attributes, ran, called, error, why, weight in some
    ]


def _marks(
    attributes: Mapping[str, Any], ran: Sequence[int], called: Sequence[int], error: bool, why: str
) -> Iterator[Mark]:
    for key, value in attributes.items():
        if isinstance(value, str | int | float | bool):
            yield Mark(MarkKind.ATTRIBUTE, key, written(value))
    yield from (Mark(MarkKind.STATEMENT, "", str(one)) for one in ran)
    yield from (Mark(MarkKind.CALL, "", str(one)) for one in called)
    if error:
        yield Mark(MarkKind.OUTCOME, "", Why.FAILED.label)
    if why == Why.BLOCKED:
        yield Mark(MarkKind.OUTCOME, "", Why.BLOCKED.label)


def _side(rows: QuerySet[KeptRequest]) -> Side:
    told = np.array(
        [
            (weight, weight * duration, weight * statements, *(weight * ms for ms in layers))
            for weight, duration, statements, layers in rows.order_by("trace").values_list(
                "weight", "duration_ms", "statements", "layers"
            )[:MOST_COMPARED]
        ]
    ).reshape(-1, 3 + len(LAYERS))
    whole = rows.aggregate(many=Count("weight"), weight=Sum("weight"))
    weight, *sums = told.sum(axis=0).tolist()
    duration, statements, *layers = [one / weight if weight else 0.0 for one in sums]
    return Side(
        kept=whole["many"], requests=whole["weight"] or 0.0, mean_ms=duration, layers=layers, statements=statements
    )


def _words(marks: Collection[Mark]) -> dict[Mark, str]:
    texts = RequestStatement.objects.in_bulk([int(one.value) for one in marks if one.kind is MarkKind.STATEMENT])
    callees = Callee.objects.in_bulk([int(one.value) for one in marks if one.kind is MarkKind.CALL])
    found = {}
    for one in marks:
        match one.kind:
            case MarkKind.STATEMENT:
                found[one] = texts[int(one.value)].text if int(one.value) in texts else "a statement that is forgotten"
            case MarkKind.CALL:
                found[one] = callees[int(one.value)].name if int(one.value) in callees else "somebody who is forgotten"
            case MarkKind.ATTRIBUTE:
                found[one] = f"{one.key}={one.value}"
            case MarkKind.OUTCOME:
                found[one] = one.value
    return found
