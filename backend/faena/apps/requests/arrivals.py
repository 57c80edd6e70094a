"""Payloads of traces between the one who sent them and their traces: sealed, in the order in which they came."""

from collections.abc import Iterator, Sequence

import zstandard
from django.db.models import Sum

from faena.apps.requests.models import Arrival
from faena.apps.servers.sealing import seal_payload, unseal_payload
from faena.collector.kinds import Traced
from faena.core.errors import Busy

MOST_WAITING = 400_000  # spans; beyond that senders get 429
TRY_AGAIN_S = 5


def require_room() -> None:
    """Raises Busy when more waits than is put to its traces in a few seconds."""
    if (Arrival.objects.aggregate(n=Sum("spans"))["n"] or 0) >= MOST_WAITING:
        raise Busy("more spans wait than can be taken in at the moment; send them again later", after_s=TRY_AGAIN_S)


def store(server_id: int, records: Sequence[Traced]) -> None:
    """Keep payloads until they are put to their traces."""
    del server_id  # each knows its source, and that its server
    squeeze = zstandard.ZstdCompressor(level=1).compress
    Arrival.objects.bulk_create(
        Arrival(source_id=one.source_id, at_ms=one.at, spans=one.spans, sealed=seal_payload(squeeze(one.payload)))
        for one in records
    )


def opened(arrivals: Sequence[Arrival]) -> Iterator[tuple[Arrival, bytes]]:
    """Payloads as they came. Raises BadInput for one that was sealed with another secret."""
    for one in arrivals:
        yield one, zstandard.decompress(unseal_payload(one.sealed))


def seal_anew(fresh: str) -> None:
    """Seal all that waits with a secret that is not in use yet, inside the caller's transaction."""
    for one in Arrival.objects.select_for_update():
        one.sealed = seal_payload(unseal_payload(one.sealed), fresh)
        one.save(update_fields=["sealed"])
