"""Payloads of traces between the one who sent them and their traces: sealed, in the order in which they came."""

import time
from collections.abc import Iterator, Sequence
from threading import Lock

import zstandard
from django.db import connection, transaction
from django.db.models import Sum

from faena.apps.requests.models import Arrival
from faena.apps.servers.sealing import seal_payload, unseal_payload
from faena.collector.kinds import Traced
from faena.core.errors import Busy

MOST_WAITING = 400_000  # spans; beyond that senders get 429
TRY_AGAIN_S = 5


# Written past the ORM: a payload is one row, and making its statement took as long as running it.
_INSERT = "INSERT INTO requests_arrival (source_id, at_ms, spans, sealed) VALUES (%s, %s, %s, %s)"
COUNTED_FOR_S = 0.25  # for so long what this process adds is counted by itself, and the store is not asked


class _Waiting:
    """How many spans wait, about: whoever sends much would else wait for that question each time."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._spans, self._asked = 0, 0.0

    def spans(self) -> int:
        with self._lock:
            if time.monotonic() - self._asked > COUNTED_FOR_S:
                self._spans = Arrival.objects.aggregate(n=Sum("spans"))["n"] or 0
                self._asked = time.monotonic()
            return self._spans

    def add(self, spans: int) -> None:
        with self._lock:
            self._spans += spans

    def forget(self) -> None:
        """For tests that empty the store between them."""
        self._asked = 0.0


_waiting = _Waiting()
forget_caches = _waiting.forget


def require_room() -> None:
    """Raises Busy when more waits than is put to its traces in a few seconds."""
    if _waiting.spans() >= MOST_WAITING:
        raise Busy("more spans wait than can be taken in at the moment; send them again later", after_s=TRY_AGAIN_S)


@transaction.atomic
def store(server_id: int, records: Sequence[Traced]) -> None:
    """Keep payloads until they are put to their traces."""
    del server_id  # each knows its source, and that its server
    squeeze = zstandard.ZstdCompressor(level=1).compress
    rows = [(one.source_id, one.at, one.spans, seal_payload(squeeze(one.payload))) for one in records]
    with connection.cursor() as cursor:
        for row in rows:
            cursor.execute(_INSERT, row)
    _waiting.add(sum(one.spans for one in records))


def opened(arrivals: Sequence[Arrival]) -> Iterator[tuple[Arrival, bytes]]:
    """Payloads as they came. Raises BadInput for one that was sealed with another secret."""
    for one in arrivals:
        yield one, zstandard.decompress(unseal_payload(one.sealed))


def seal_anew(fresh: str) -> None:
    """Seal all that waits with a secret that is not in use yet, inside the caller's transaction."""
    for one in Arrival.objects.select_for_update():
        one.sealed = seal_payload(unseal_payload(one.sealed), fresh)
        one.save(update_fields=["sealed"])
