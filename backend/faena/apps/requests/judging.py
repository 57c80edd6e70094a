"""From payloads to requests: spans put to their traces, and each trace judged when it has been quiet for some seconds.

A trace is judged again when more of it comes: what it gave to the sums before is taken back first. Everything a step does
is one transaction, so that a collector that dies in between leaves the traces as they were.
"""

import logging
from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

import zstandard
from django.db import connection, transaction
from django.db.models import F, Q

from faena.apps.requests import arrivals, sources
from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.models import (
    Arrival,
    CallSum,
    Endpoint,
    KeptRequest,
    OpenTrace,
    RequestSum,
    StatementSum,
    Trace,
    TraceSource,
)  # fmt: skip
from faena.apps.requests.writing import add_sums, keep_requests
from faena.apps.samples import sightings
from faena.apps.samples.sightings import Namer, blocked_among
from faena.core.errors import BadInput
from faena.core.requests.choosing import Pace, Why, weight_of, why_kept
from faena.core.requests.keeping import keepable
from faena.core.requests.packing import pack, unpack
from faena.core.requests.request import Request, requests_of
from faena.core.requests.span import Span, SpanKind
from faena.core.requests.sums import Sums, endpoint_value, origin_of
from faena.core.units import MS_PER_DAY
from faena.sources.otlp.batch import BadPayload, Batch
from faena.sources.otlp.checking import read_taken

log = logging.getLogger(__name__)
QUIET_MS = 5_000  # since the last of a trace came in
LONGEST_MS = 60_000  # after which a trace is judged though more of it still comes
ROOTLESS_MS = 5 * 60_000  # for so long a trace without a beginning waits for it: its request has not ended yet
LATE_MS = 10 * 60_000  # for so long spans that come late still join those that were judged
ARRIVALS_AT_ONCE, TRACES_AT_ONCE = 20, 300


@dataclass(slots=True)
class Settled:
    """What a run did."""

    payloads: int = 0
    traces: int = 0
    requests: int = 0
    first_ms: int | None = None  # of the requests
    last_ms: int | None = None

    def count(self, requests: Sequence[Request]) -> None:
        """These requests were found."""
        self.requests += len(requests)
        for at in (one.at for one in requests):
            self.first_ms = at if self.first_ms is None else min(self.first_ms, at)
            self.last_ms = at if self.last_ms is None else max(self.last_ms, at)


@dataclass(slots=True)
class Judge:
    """Keeps between runs what is quicker to remember than to read."""

    pace: Pace = field(default_factory=Pace)
    dictionaries: dict[int, Dictionaries] = field(default_factory=dict)
    namer: Namer = field(default_factory=Namer)

    def settle(self, now_ms: int, *, at_most: int = 40) -> Settled:
        """Take in what waits, then judge what has been quiet; `at_most` steps of each, so that it ends."""
        done = Settled()
        for _ in range(at_most):
            taken = take_in(now_ms)
            done.payloads += taken
            if taken < ARRIVALS_AT_ONCE:
                break
        for _ in range(at_most):
            judged = self._judge_some(now_ms, done)
            if judged < TRACES_AT_ONCE:
                break
        return done

    def settle_all_of(self, source: TraceSource, traces: Collection[bytes], now_ms: int) -> Settled:
        """Judge these traces of a source at once: all of them is there, as in a file."""
        done, names = Settled(), sorted(traces)
        for first in range(0, len(names), TRACES_AT_ONCE):
            with transaction.atomic():
                mine = names[first : first + TRACES_AT_ONCE]
                rows = list(
                    OpenTrace.objects.select_for_update().filter(source=source, trace__in=mine).order_by("trace")
                )
                self._judge_of(source, rows, now_ms, done, whole=True)
                done.traces += len(rows)
        return done

    def _judge_some(self, now_ms: int, done: Settled) -> int:
        try:
            with transaction.atomic():
                return self._judge(now_ms, done)
        except Exception:
            self.dictionaries.clear()  # what was given out and rolled back is not there
            self.namer.forget()
            raise

    def _judge(self, now_ms: int, done: Settled) -> int:
        due = Q(last_ms__lte=now_ms - QUIET_MS) | Q(first_ms__lte=now_ms - LONGEST_MS)
        rows = list(
            OpenTrace.objects.select_for_update(skip_locked=True).filter(due).order_by("last_ms")[:TRACES_AT_ONCE]
        )
        by_source = defaultdict[int, list[OpenTrace]](list)
        for row in rows:
            by_source[row.source_id].append(row)
        sources_of = TraceSource.objects.select_related("server").filter(pk__in=by_source).order_by("server_id", "pk")
        for source in sources_of:  # by server, since each is locked until all are written
            self._judge_of(source, by_source[source.pk], now_ms, done)
        done.traces += len(rows)
        return len(rows)

    def _judge_of(
        self, source: TraceSource, rows: Sequence[OpenTrace], now_ms: int, done: Settled, *, whole: bool = False
    ) -> None:
        """`whole`: no more of them will come, so that none waits for its beginning."""
        dictionaries = self.dictionaries.setdefault(source.server_id, Dictionaries(source.server_id))
        targets = _Targets(source)
        names = [bytes(row.trace) for row in rows]
        before = {bytes(one.trace): one for one in Trace.objects.filter(source=source, trace__in=names)}
        sums, kept, traces, duplicates = Sums(), list[tuple[Request, float, Why]](), list[Trace](), 0
        waiting: list[bytes] = []
        blocked = blocked_among(names)
        endpoints: dict[bytes, dict[bytes, str]] = {}
        for row, name in zip(rows, names, strict=True):
            old = _spans_of(before[name]) if name in before else []
            spans, twice = _joined(old, row, name)
            if not whole and not _begins(spans) and now_ms - row.first_ms < ROOTLESS_MS:
                waiting.append(name)
                continue
            duplicates += twice
            if old and len(spans) == len(old):
                continue  # nothing new came
            for request in requests_of(old) if old else ():
                sums.add(request, targets.of(request), -1)
            requests = requests_of(spans)
            done.count(requests)
            reasons = [
                why_kept(request, targets.of(request), blocked=any((name, one.id) in blocked for one in request.spans))
                for request in requests
            ]
            endpoints[name] = _endpoints(requests)
            pace = [
                self.pace.probability(
                    (source.pk, *origin_of(one)[:3]), one.at // 60_000 * 60_000, notable=why is not Why.CHOSEN
                )
                for one, why in zip(requests, reasons, strict=True)
            ]
            weight = weight_of(name, pace)
            for request, why in zip(requests, reasons, strict=True):
                sums.add(request, targets.of(request))
                if weight:
                    kept.append((request, weight, why))
            traces.append(
                Trace(
                    source=source, trace=name, server_id=source.server_id, judged_ms=now_ms, kept=bool(weight),
                    first_ms=min((one.at for one in requests), default=row.first_ms), spans=len(spans),
                    rejected=row.rejected + (before[name].rejected if name in before else 0),
                    packed=zstandard.compress(pack(spans), 3),
                )
            )  # fmt: skip
        anew = [one.trace for one in traces if one.trace in before]
        KeptRequest.objects.filter(source=source, trace__in=anew).delete()
        Trace.objects.filter(source=source, trace__in=anew).delete()
        Trace.objects.bulk_create(traces)
        add_sums(source.server_id, sums, dictionaries)
        keep_requests(source, kept, dictionaries)
        kept_until = {bytes(one.trace): now_ms + source.retention_days * MS_PER_DAY for one in traces if one.kept}
        self.namer.name(endpoints, kept_until, now_ms)
        OpenTrace.objects.filter(source=source, trace__in=waiting).update(last_ms=now_ms)  # and looked at again later
        OpenTrace.objects.filter(source=source, trace__in=set(names) - set(waiting)).delete()
        TraceSource.objects.filter(pk=source.pk).update(duplicates=F("duplicates") + duplicates)


def _endpoints(requests: Sequence[Request]) -> dict[bytes, str]:
    """The endpoint by span; of a span that is not there that of the trace, if it is the only one."""
    found = {span.id: endpoint_value(one.top.service, one.endpoint) for one in requests for span in one.spans}
    every = set(found.values())
    return {**found, b"": every.pop()} if len(every) == 1 else found


def _begins(spans: Sequence[Span]) -> bool:
    """Whether the trace has a beginning: a span without a parent, or one that served or took up something."""
    return any(not span.parent or span.kind in (SpanKind.SERVER, SpanKind.CONSUMER) for span in spans)


class _Targets:
    """The target of each endpoint of a source's server."""

    def __init__(self, source: TraceSource) -> None:
        self._default = source.target_ms
        own = Endpoint.objects.filter(server_id=source.server_id, target_ms__isnull=False)
        self._own = {(s, k, n): target for s, k, n, target in own.values_list("service", "kind", "name", "target_ms")}

    def of(self, request: Request) -> float:
        return self._own.get((request.top.service, request.kind, request.endpoint)) or self._default


def _spans_of(trace: Trace) -> list[Span]:
    return unpack(zstandard.decompress(bytes(trace.packed)), bytes(trace.trace))


def _joined(old: Sequence[Span], row: OpenTrace, name: bytes) -> tuple[list[Span], int]:
    """Those known and those that came, each once, and how many came twice."""
    spans = {one.id: one for one in old}
    twice = 0
    for chunk in row.chunks:
        for span in unpack(zstandard.decompress(bytes(chunk)), name):
            twice += span.id in spans
            spans.setdefault(span.id, span)
    return list(spans.values()), twice


@transaction.atomic
def take_in(now_ms: int) -> int:
    """Put the payloads that came first to their traces, without literals. Returns how many payloads."""
    waiting = list(Arrival.objects.select_for_update(skip_locked=True).order_by("id")[:ARRIVALS_AT_ONCE])
    if not waiting:
        return 0
    of = {one.pk: one for one in TraceSource.objects.filter(pk__in={arrival.source_id for arrival in waiting})}
    parts: dict[tuple[int, bytes], list[Span]] = defaultdict(list)
    rejected: dict[tuple[int, bytes], int] = defaultdict(int)
    came: dict[tuple[int, bytes], int] = {}
    for arrival in waiting:
        source = of[arrival.source_id]
        try:
            ((_, payload),) = arrivals.opened([arrival])
            batch = read_taken(payload)
        except (BadInput, zstandard.ZstdError, BadPayload) as error:
            log.error("a payload of %s cannot be read any more and is dropped: %s", source.name, error)
            continue
        allowed = sources.allowed_of(source)
        for span in batch.spans:
            key = (source.pk, span.trace)
            parts[key].append(keepable(span, allowed))
            came[key] = arrival.at_ms
        for trace, n in batch.rejected.items():
            if trace:
                rejected[source.pk, trace] += n
        _count(source, len(batch.spans), batch.rejected.total(), batch.why, arrival.at_ms)
    _open(parts, rejected, came, now_ms)
    Arrival.objects.filter(pk__in=[one.pk for one in waiting]).delete()
    return len(waiting)


@transaction.atomic
def put_to_traces(source: TraceSource, batch: Batch, now_ms: int) -> set[bytes]:
    """Put spans that were read to their traces, without literals. Returns the traces."""
    allowed = sources.allowed_of(source)
    parts: dict[tuple[int, bytes], list[Span]] = defaultdict(list)
    for span in batch.spans:
        parts[source.pk, span.trace].append(keepable(span, allowed))
    rejected = {(source.pk, trace): n for trace, n in batch.rejected.items() if trace}
    _count(source, len(batch.spans), batch.rejected.total(), batch.why, now_ms)
    _open(parts, rejected, {}, now_ms)
    return {trace for _, trace in parts}


def _count(source: TraceSource, spans: int, rejected: int, why: str, at_ms: int) -> None:
    news = {"rejected_why": why[:300], "rejected_at_ms": at_ms} if rejected else {}
    TraceSource.objects.filter(pk=source.pk).update(spans=F("spans") + spans, rejected=F("rejected") + rejected, **news)


def _open(
    parts: Mapping[tuple[int, bytes], list[Span]],
    rejected: Mapping[tuple[int, bytes], int],
    came: Mapping[tuple[int, bytes], int],
    now_ms: int,
) -> None:
    squeeze = zstandard.ZstdCompressor(level=1).compress
    rows = [
        (
            source, trace, came.get((source, trace), now_ms), now_ms, len(spans), rejected.get((source, trace), 0),
            [squeeze(pack(spans))],
        )
        for (source, trace), spans in sorted(parts.items())
    ]  # fmt: skip
    with connection.cursor() as cursor:
        cursor.executemany(
            "INSERT INTO requests_opentrace AS o (source_id, trace, first_ms, last_ms, spans, rejected, chunks) "
            "VALUES (%s, %s, %s, %s, %s, %s, %s) ON CONFLICT (source_id, trace) DO UPDATE SET "
            "last_ms = excluded.last_ms, spans = o.spans + excluded.spans, rejected = o.rejected + excluded.rejected, "
            "chunks = o.chunks || excluded.chunks",
            rows,
        )


def forget(now_ms: int) -> None:
    """Traces that nobody chose to keep, once nothing can be late for them; single requests and sightings beyond retention."""
    Trace.objects.filter(kept=False, judged_ms__lt=now_ms - LATE_MS).delete()
    sightings.forget_before(now_ms)
    for source in TraceSource.objects.all():
        before = now_ms - source.retention_days * MS_PER_DAY
        KeptRequest.objects.filter(source=source, at_ms__lt=before).delete()
        Trace.objects.filter(source=source, first_ms__lt=before).delete()


def forget_sums(server_id: int, minutes_before_ms: int, before_ms: int) -> None:
    """Sums by minute and by hour, each older than their retention."""
    for length, limit in ((60_000, minutes_before_ms), (600_000, minutes_before_ms), (3_600_000, before_ms)):
        for model in _SUMS:
            model.objects.filter(server_id=server_id, length_ms=length, at_ms__lt=limit).delete()


_SUMS = (RequestSum, StatementSum, CallSum)
