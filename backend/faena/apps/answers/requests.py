"""Requests beside the statements, sessions and servers that they meet."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from threading import Lock

from faena.apps.requests.dictionaries import statement_key
from faena.apps.requests.models import RequestStatement
from faena.apps.servers import holdings
from faena.apps.statements.models import Text
from faena.core.units import QueryId


class _Links:
    """Which statement of a server each statement of its traces is. Read on as texts are learned. Safe for threads."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._known: dict[int, tuple[int, dict[int, QueryId], set[int]]] = {}  # revision, by key, identifiers seen

    def of(self, server_id: int) -> Mapping[int, QueryId]:
        """Identifiers of the server by the key of a statement."""
        revision = holdings.read(server_id).texts
        with self._lock:
            known, by_key, seen = self._known.get(server_id, (-1, {}, set()))
            if known != revision:
                by_key, seen = dict(by_key), set(seen)
                for query_id, text in Text.objects.filter(server_id=server_id).values_list("query_id", "text"):
                    if query_id not in seen:
                        seen.add(query_id)
                        by_key.setdefault(statement_key(text), QueryId(query_id))
                self._known[server_id] = (revision, by_key, seen)
            return by_key

    def forget(self) -> None:
        """For tests that empty the store between them."""
        with self._lock:
            self._known.clear()


_links = _Links()
forget_caches = _links.forget


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkedStatement:
    """A statement of a trace, and which one of the server it is; None where the server has counted none like it."""

    id: int
    text: str
    query_id: QueryId | None


def linked(server_id: int, statements: Iterable[RequestStatement]) -> dict[int, LinkedStatement]:
    """By the number of the statement."""
    known = _links.of(server_id)
    return {one.pk: LinkedStatement(id=one.pk, text=one.text, query_id=known.get(one.key)) for one in statements}


def query_id_of(server_id: int, text: str) -> QueryId | None:
    """Which statement of the server a text of a span is."""
    return _links.of(server_id).get(statement_key(text))


def callers(server_id: int, query_id: QueryId) -> list[int]:
    """The statements of traces that are this statement of the server."""
    keys = [key for key, known in _links.of(server_id).items() if known == query_id]
    found = RequestStatement.objects.filter(server_id=server_id, key__in=keys)
    return list(found.values_list("id", flat=True))
