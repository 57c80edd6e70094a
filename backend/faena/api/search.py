"""Search over all that a server was seen to have: statements, sessions, endpoints, traces, programs, users, tables, waits."""

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.answers.search import search as search_all

router = Router(tags=["search"])
Kind = Literal["statement", "session", "endpoint", "trace", "program", "tables", "user", "client", "database", "wait"]


class HitOut(Out):
    """`kind` is statement, session, endpoint, trace, or a dimension, whose `value` can be picked.

    The value of a statement or an endpoint is its number. `ms` is what a statement took in the last day.
    """

    kind: Kind
    value: str
    label: str
    ms: float | None


class SearchOut(Out):
    """`more`: there are statements beyond those listed."""

    hits: list[HitOut]
    more: bool


@router.get("/servers/{server_id}/search", response=SearchOut, operation_id="search_server")
def search(
    request: HttpRequest,
    server_id: int,
    words: Annotated[str, Query(min_length=2, max_length=200, description="any part of a name or a text")],
) -> SearchOut:
    """What contains the words. Statements that took most in the last day come first, then all others that are known."""
    return SearchOut.model_validate(search_all(server_id, words, now_ms()))
