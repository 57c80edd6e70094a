"""Search over all that a server was seen to have: statements, sessions, programs, users, tables, waits."""

from collections.abc import Iterator
from itertools import islice
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_by_id
from faena.apps.statements import selectors as statements
from faena.core.numbers import whole_number
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.units import MS_PER_HOUR, EpochMs

router = Router(tags=["search"])
LATELY_MS = 24 * MS_PER_HOUR
MOST_OF_A_KIND = 8
MOST_STATEMENTS = 20
Kind = Literal["statement", "session", "program", "tables", "user", "client", "database", "wait"]
SEARCHED: dict[Dimension, Kind] = {
    Dimension.PROGRAM: "program", Dimension.TABLES: "tables", Dimension.USER: "user", Dimension.CLIENT: "client",
    Dimension.DATABASE: "database", Dimension.WAIT: "wait",
}  # fmt: skip
_NOT_NAMES = {"", "running", "no table", "none"}


class HitOut(Out):
    """`kind` is statement, session, or a dimension, whose `value` can be picked. `ms` is what a statement took in the last day."""

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
    server = servers.server(server_id)
    number = whole_number(words)
    sessions = [HitOut(kind="session", value=words, label=f"sessions with pid {words}", ms=None)] if number else []
    found = list(islice(_statements(server_id, server.username, words), MOST_STATEMENTS + 1))
    return SearchOut(
        hits=[*sessions, *_names(server_id, words.lower()), *found[:MOST_STATEMENTS]],
        more=len(found) > MOST_STATEMENTS,
    )


def _names(server_id: int, words: str) -> Iterator[HitOut]:
    """Values of dimensions, those first that begin with the words."""
    dictionary, waits = read_dictionary(server_id), profile_by_id(server_id).waits
    for dimension, kind in SEARCHED.items():
        names = [name for name in dictionary.encoded(dimension).names if name not in _NOT_NAMES]
        labels = {name: waits.label(name)[0] if dimension is Dimension.WAIT else name for name in names}
        hits = [name for name in names if words in f"{name} {labels[name]}".lower()]
        hits.sort(key=lambda name: (not name.lower().startswith(words), len(name), name))
        for name in hits[:MOST_OF_A_KIND]:
            yield HitOut(kind=kind, value=name, label=labels[name], ms=None)


def _statements(server_id: int, own_user: str, words: str) -> Iterator[HitOut]:
    now = now_ms()
    day = Window(start=EpochMs(now - LATELY_MS), end=EpochMs(now))
    took = statements.times(server_id, day, containing=words, without_user=own_user)
    texts = statements.containing(server_id, words, at_most=200)
    texts.update(statements.texts(server_id, took.keys() - texts.keys()))
    for query_id in sorted(texts, key=lambda i: (-took.get(i, 0.0), texts[i].text)):
        yield HitOut(
            kind="statement", value=str(query_id), label=gist(texts[query_id].text, 160), ms=took.get(query_id)
        )
