"""Search over all servers or one: statements, names, sessions, requests, leads, changes, cases, alerts, the log."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.answers.search import search as search_all
from faena.core.searching import LEAST_LETTERS, MOST_LETTERS, Kind

router = Router(tags=["search"])


class HitOut(Out):
    """One thing that was found. `value` is a number, a name that can be picked, or an identity, by `kind`. `server` null: of all servers.

    `at` is when it was last seen, in ms since 1970; `ms` what a statement took in the last day, or the time that was asked for.
    """

    kind: Kind
    kind_label: str
    value: str
    label: str
    server: int | None
    server_name: str
    at: int | None
    ms: float | None


class SearchOut(Out):
    """What was found. `more`: there are statements beyond those listed. `since` and `until`: the time that was asked for, or null."""

    hits: list[HitOut]
    more: bool
    since: int | None
    until: int | None


@router.get("/search", response=SearchOut, operation_id="search")
def search(
    request: HttpRequest,
    words: Annotated[
        str,
        Query(
            min_length=LEAST_LETTERS,
            max_length=MOST_LETTERS,
            description='parts of a name or a text, all of which it must have; kind:lead, server:name, since:3d and until:2026-11-20T09:20 (of UTC) narrow, "…" holds together',
        ),
    ],
    server: Annotated[int | None, Query(description="on this server alone")] = None,
) -> SearchOut:
    """What contains the words, best first within its kind. Statements that took most in the last day come first."""
    found = search_all(words, server, now_ms(), seen_by(request))
    hits = [
        HitOut(
            kind=one.kind, kind_label=one.kind.label, value=one.value, label=one.label, server=one.server,
            server_name=found.names.get(one.server or 0, ""), at=one.at, ms=one.ms,
        )
        for one in found.hits
    ]  # fmt: skip
    return SearchOut(hits=hits, more=found.more, since=found.since, until=found.until)
