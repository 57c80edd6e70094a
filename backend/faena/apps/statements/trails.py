"""Narrows rows by the trail: counters, executions, entries of the log. Each has some of the dimensions."""

from collections.abc import Collection, Iterable
from typing import Any, Final

from django.db.models import Q, QuerySet

from faena.apps.statements.models import Text
from faena.core.numbers import whole_number
from faena.core.sampling.dimensions import NO_STATEMENT, Dimension
from faena.core.sampling.trail import Pick

BY_COUNTERS: Final = (Dimension.STATEMENT, Dimension.USER, Dimension.DATABASE, Dimension.TABLES)
BY_EXECUTIONS: Final = (*BY_COUNTERS, Dimension.PROGRAM, Dimension.CLIENT)
BY_LOG: Final = BY_EXECUTIONS


def narrowed(
    rows: QuerySet[Any, Any], server_id: int, trail: Iterable[Pick], known: Collection[Dimension]
) -> QuerySet[Any, Any]:
    """The rows inside the trail, as far as its dimensions are among those known of them; others narrow nothing.

    As of samples: values of one dimension add up, dimensions narrow each other, excluded values always go.
    """
    picks = [pick for pick in trail if pick.dimension in known]
    for dimension in dict.fromkeys(pick.dimension for pick in picks):
        mine = [pick for pick in picks if pick.dimension is dimension]
        if wanted := [pick.value for pick in mine if not pick.exclude]:
            rows = rows.filter(_has(server_id, dimension, wanted))
        if unwanted := [pick.value for pick in mine if pick.exclude]:
            rows = rows.exclude(_has(server_id, dimension, unwanted))
    return rows


def _has(server_id: int, dimension: Dimension, values: list[str]) -> Q:
    if dimension is Dimension.TABLES:
        texts = Text.objects.filter(server_id=server_id)
        named = Q(query_id__in=texts.filter(tables__in=values).values("query_id"))
        nothing = ~Q(query_id__in=texts.exclude(tables="").values("query_id")) | Q(query_id=None)
        return named | nothing if "no table" in values else named
    if dimension is not Dimension.STATEMENT:
        return Q(**{f"{dimension}__in": values})
    ids = [number for value in values if (number := whole_number(value)) is not None]
    found = Q(query_id__in=ids)
    return found | Q(query_id=None) if NO_STATEMENT in values else found
