"""Writing lock waits: each tick once."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

from django.db import transaction

from faena.apps.bulk import copy_rows
from faena.apps.locks.models import LockKind, LockWait
from faena.core.locks.chains import to_blame
from faena.core.readings import LockEdge, LockFact, SampleReading, Via, labels

MAX_INT = 2**31 - 1
_FIELDS = ("server", "at_ms", "waiter", "place", "blocker", "code", "which", "gid", "waited_ms")
_TOLD = ("lock_type", "object", "table", "mode_wanted", "mode_held", "via")


def _bare(fact: LockFact) -> LockFact:
    """As the dictionary knows it: the names of prepared transactions are without end."""
    return replace(fact, gid="") if fact.gid else fact


class KindBook:
    """Codes of one server's kinds of lock waits, kept by the process that writes."""

    def __init__(self, server_id: int) -> None:
        self._server_id = server_id
        self._codes = {to_core(row): row.code for row in LockKind.objects.filter(server_id=server_id)}

    def codes(self, wanted: Iterable[LockFact]) -> dict[LockFact, int]:
        """Codes of all wanted, new ones added. Call inside the transaction that writes the waits."""
        fresh = [fact for fact in dict.fromkeys(wanted) if fact not in self._codes]
        if not fresh:
            return self._codes
        added = {fact: len(self._codes) + i for i, fact in enumerate(fresh)}
        LockKind.objects.bulk_create(
            LockKind(server_id=self._server_id, code=code, **{name: getattr(fact, name) for name in _TOLD})
            for fact, code in added.items()
        )
        # Known only once the transaction holds; else a rolled-back code would be used by later ticks.
        transaction.on_commit(lambda: self._codes.update(added))
        return {**self._codes, **added}


def to_core(row: LockKind) -> LockFact:
    """A row of the dictionary as a record."""
    told = {name: getattr(row, name) for name in _TOLD if name != "via"}
    return LockFact(via=Via(row.via), **told)


def store_waits(server_id: int, readings: Sequence[SampleReading], book: KindBook) -> int:
    """Store the edges of ticks that are known to be new, inside the caller's transaction. Returns how many there were."""
    found: list[tuple[int, int, LockEdge]] = []
    for reading in readings:
        if not reading.edges:
            continue
        blame = to_blame(reading.edges, labels(reading.sessions))
        places: dict[int, int] = {}
        for edge in sorted(reading.edges, key=lambda one: (one.waiter, blame[one.waiter] is not one, one.blocker)):
            place = places[edge.waiter] = places.get(edge.waiter, -1) + 1
            found.append((reading.due, place, edge))
    if found:
        _copy(server_id, found, book)
    return len(found)


def put_waits(server_id: int, waits: Sequence[tuple[int, LockEdge]]) -> None:
    """Waits of a past that is being filled in, one in each waiter's way, inside the caller's transaction."""
    if waits:
        _copy(server_id, [(at, 0, edge) for at, edge in waits], KindBook(server_id))


def _copy(server_id: int, found: Sequence[tuple[int, int, LockEdge]], book: KindBook) -> None:
    codes = book.codes(_bare(edge.fact) for _, _, edge in found)
    rows = (
        (
            server_id, due, edge.waiter, place, edge.blocker, codes[_bare(edge.fact)], edge.which, edge.fact.gid,
            min(MAX_INT, edge.waited_ms),
        )
        for due, place, edge in found
    )  # fmt: skip
    copy_rows(LockWait, _FIELDS, rows)


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention of lock waits; they go with the samples they belong to."""
    LockWait.objects.filter(server_id=server_id, at_ms__lt=before_ms)._raw_delete(using="default")
