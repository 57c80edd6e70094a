"""Requests that nobody sent: those of the made-up estate's past, put where traces put theirs."""

from collections.abc import Sequence

import zstandard
from django.db import transaction

from faena.apps.requests import sources
from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.models import Trace, TraceSource
from faena.apps.requests.writing import add_sums, keep_requests
from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.core.requests.choosing import Why, why_kept
from faena.core.requests.packing import pack
from faena.core.requests.request import Request, requests_of
from faena.core.requests.sums import Sums
from faena.sources.simulated.requests import Made

KEPT_DAYS = 400


def put_made(server: Server, made: Sequence[Made], now_ms: int) -> None:
    """Sums and single requests, inside the caller's transaction; each stands for as many as it says."""
    if not made:
        return
    source = _source(server)
    sums, kept, traces = Sums(), list[tuple[Request, float, Why]](), list[Trace]()
    for one in made:
        for request in requests_of(one.spans):
            sums.add(request, source.target_ms, one.weight)
            kept.append((request, one.weight, why_kept(request, source.target_ms)))
        first = one.spans[0]
        traces.append(
            Trace(
                source=source, trace=first.trace, server_id=server.pk, judged_ms=now_ms, kept=True, spans=len(one.spans),
                first_ms=first.start // 1_000_000, packed=zstandard.compress(pack(one.spans), 3),
            )
        )  # fmt: skip
    dictionaries = Dictionaries(server.pk)
    Trace.objects.bulk_create(traces)
    add_sums(server.pk, sums, dictionaries)
    keep_requests(source, kept, dictionaries)


def _source(server: Server) -> TraceSource:
    name = f"estate of {server.name}"
    found = TraceSource.objects.filter(name=name).first()
    if found is None:
        try:
            with transaction.atomic():
                found, _ = sources.make(server, name)
                TraceSource.objects.filter(pk=found.pk).update(retention_days=KEPT_DAYS)
        except BadInput:  # another worker made it
            found = TraceSource.objects.get(name=name)
    return found
