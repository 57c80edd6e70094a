"""Search over all that a server was seen to have: statements, sessions, endpoints, traces, programs, users, tables, waits."""

import re
from collections.abc import Iterator, Mapping
from itertools import islice
from typing import NamedTuple

from faena.apps.requests import selectors as requests
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_by_id
from faena.apps.statements import selectors as statements
from faena.core.numbers import whole_number
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.units import MS_PER_HOUR, EpochMs

LATELY_MS = 24 * MS_PER_HOUR
MOST_OF_A_KIND = 8
MOST_STATEMENTS = 20
SEARCHED: Mapping[Dimension, str] = {
    Dimension.PROGRAM: "program", Dimension.TABLES: "tables", Dimension.USER: "user", Dimension.CLIENT: "client",
    Dimension.DATABASE: "database", Dimension.WAIT: "wait",
}  # fmt: skip
_TRACE = re.compile(r"[0-9a-fA-F]{32}")
_NOT_NAMES = {"", "running", "no table", "none"}


class Hit(NamedTuple):
    """`kind` is statement, session, endpoint, trace, or a dimension, whose `value` can be picked. `ms`: of a statement lately.

    The value of a statement or an endpoint is its number.
    """

    kind: str
    value: str
    label: str
    ms: float | None = None


class Found(NamedTuple):
    """`more`: there are statements beyond those listed."""

    hits: list[Hit]
    more: bool


def search(server_id: int, words: str, now: int) -> Found:
    """What contains the words: sessions by pid, names, then statements, those that took most lately first.

    Raises NotFound.
    """
    server = servers.server(server_id)
    sessions = [Hit("session", words, f"sessions with pid {words}")] if whole_number(words) else []
    found = list(islice(_statements(server_id, server.username, words, now), MOST_STATEMENTS + 1))
    traces = [Hit("trace", words.lower(), f"the request of trace {words.lower()}")] if _TRACE.fullmatch(words) else []
    named = [*_endpoints(server_id, words.lower()), *_names(server_id, words.lower())]
    return Found([*sessions, *traces, *named, *found[:MOST_STATEMENTS]], len(found) > MOST_STATEMENTS)


def _endpoints(server_id: int, words: str) -> Iterator[Hit]:
    """Those whose name or service has the words, the shortest first."""
    found = [(value, one.id) for value, one in requests.endpoints_by_value(server_id).items() if words in value.lower()]
    for value, number in sorted(found, key=lambda one: (len(one[0]), one[0]))[:MOST_OF_A_KIND]:
        yield Hit("endpoint", str(number), value)


def _names(server_id: int, words: str) -> Iterator[Hit]:
    """Values of dimensions, those first that begin with the words."""
    dictionary, waits = read_dictionary(server_id), profile_by_id(server_id).waits
    for dimension, kind in SEARCHED.items():
        names = [name for name in dictionary.encoded(dimension).names if name not in _NOT_NAMES]
        labels = {name: waits.label(name)[0] if dimension is Dimension.WAIT else name for name in names}
        hits = [name for name in names if words in f"{name} {labels[name]}".lower()]
        hits.sort(key=lambda name: (not name.lower().startswith(words), len(name), name))
        for name in hits[:MOST_OF_A_KIND]:
            yield Hit(kind, name, labels[name])


def _statements(server_id: int, own_user: str, words: str, now: int) -> Iterator[Hit]:
    day = Window(start=EpochMs(now - LATELY_MS), end=EpochMs(now))
    took = statements.times(server_id, day, containing=words, without_user=own_user)
    texts = statements.containing(server_id, words, at_most=200)
    texts.update(statements.texts(server_id, took.keys() - texts.keys()))
    for query_id in sorted(texts, key=lambda i: (-took.get(i, 0.0), texts[i].text)):
        yield Hit("statement", str(query_id), gist(texts[query_id].text, 160), took.get(query_id))
