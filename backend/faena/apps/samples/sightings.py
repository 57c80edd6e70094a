"""Sessions and the requests they work for: what a trace context in a statement's comment tells, and the endpoint learned by it.

A sample is there at once, its trace when the request has ended. Then the samples of the open hours get codes that name
the endpoint. A trace that comes after its hour was closed changes nothing there: those samples stay without one.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from django.db import connection, transaction

from faena.apps.samples.closing import LATE_MS
from faena.apps.samples.codebook import Codebook, to_core
from faena.apps.samples.models import Combination, Sighting
from faena.apps.servers import holdings
from faena.core.readings import SampleReading
from faena.core.requests.context import parts_of
from faena.core.requests.sums import certain
from faena.core.sampling import dimensions
from faena.core.units import MS_PER_HOUR

WAITS_MS = MS_PER_HOUR  # for its trace; without one that is kept, a sighting is forgotten then
TOLD_AGAIN_MS = 60_000
_SPARE_MS = 60_000  # before an hour may be closed, so that no two ever change the same samples

_PUT = (
    "INSERT INTO samples_sighting AS s "
    "(server_id, trace, span, pid, started_s, first_ms, last_ms, keep_until_ms, blocked, endpoint) "
    "SELECT %s, u.trace, u.span, u.pid, u.started_s, u.first_ms, u.last_ms, u.last_ms + %s, u.blocked, '' "
    "FROM unnest(%s::bytea[], %s::bytea[], %s::int[], %s::int[], %s::bigint[], %s::bigint[], %s::bool[]) "
    "AS u (trace, span, pid, started_s, first_ms, last_ms, blocked) "
    "ON CONFLICT (server_id, trace, span, pid, started_s) DO UPDATE SET "
    "first_ms = least(s.first_ms, excluded.first_ms), last_ms = greatest(s.last_ms, excluded.last_ms), "
    "keep_until_ms = greatest(s.keep_until_ms, excluded.keep_until_ms), blocked = s.blocked OR excluded.blocked"
)
_KEEP = (
    "UPDATE samples_sighting s SET endpoint = v.endpoint, keep_until_ms = v.keep_until_ms "
    "FROM unnest(%s::bytea[], %s::bytea[], %s::int[], %s::int[], %s::text[], %s::bigint[]) "
    "AS v (trace, span, pid, started_s, endpoint, keep_until_ms) WHERE s.server_id = %s "
    "AND s.trace = v.trace AND s.span = v.span AND s.pid = v.pid AND s.started_s = v.started_s"
)
_SEEN = (
    "FROM unnest(%s::int[], %s::int[], %s::bigint[], %s::bigint[], %s::text[]) "
    "AS v (pid, started_s, first_ms, last_ms, endpoint) "
)
_JOINED = (
    "s.server_id = %s AND s.at_ms BETWEEN v.first_ms AND v.last_ms AND s.pid = v.pid AND s.started_s = v.started_s "
)


def put(server_id: int, readings: Iterable[SampleReading]) -> None:
    """Store which session was seen with which trace context, inside the caller's transaction."""
    found: dict[tuple[bytes, bytes, int, int], tuple[int, int, bool]] = {}
    for reading in readings:
        for one in reading.sessions:
            names = parts_of(one.context) if one.context else None
            if names is None:
                continue
            key = (*names, one.pid, one.started_s)
            first, last, blocked = found.get(key, (reading.due, reading.due, False))
            found[key] = (min(first, reading.due), max(last, reading.due), blocked or bool(one.blocked_by))
    if found:
        rows = [(*key, *seen) for key, seen in sorted(found.items())]
        with connection.cursor() as cursor:
            cursor.execute(_PUT, [server_id, WAITS_MS, *map(list, zip(*rows, strict=True))])


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """A statement that a session was seen with at the ticks from `first` to `last`; `endpoint` is empty until a trace tells it.

    `trace` and `span` in hexadecimal, as in URLs.
    """

    server_id: int
    trace: str
    span: str
    pid: int
    started_s: int
    first: int
    last: int
    blocked: bool
    endpoint: str


def _seen(row: Sighting) -> Seen:
    return Seen(
        server_id=row.server_id, trace=bytes(row.trace).hex(), span=bytes(row.span).hex(), pid=row.pid,
        started_s=row.started_s, first=row.first_ms, last=row.last_ms, blocked=row.blocked, endpoint=row.endpoint,
    )  # fmt: skip


def of_session(server_id: int, pid: int, started_s: int, start: int, end: int) -> list[Seen]:
    """What a session was seen with from `start` up to `end`, in order of time."""
    rows = Sighting.objects.filter(
        server_id=server_id, pid=pid, started_s=started_s, first_ms__lt=end, last_ms__gte=start
    )
    return [_seen(row) for row in rows.order_by("first_ms")]


def at_moment(server_id: int, at: int, pids: Collection[int]) -> dict[tuple[int, int], Seen]:
    """By pid and start of the session, what each of these was seen with at a tick."""
    rows = Sighting.objects.filter(server_id=server_id, pid__in=pids, first_ms__lte=at, last_ms__gte=at)
    return {(row.pid, row.started_s): _seen(row) for row in rows}


def of_traces(traces: Collection[bytes]) -> list[Seen]:
    """Where statements of these traces were seen, on any server, in order of time."""
    return [_seen(row) for row in Sighting.objects.filter(trace__in=traces).order_by("first_ms")]


def blocked_among(traces: Collection[bytes]) -> set[tuple[bytes, bytes]]:
    """Traces and spans whose session was seen waiting for another one."""
    rows = Sighting.objects.filter(trace__in=traces, blocked=True)
    return {(bytes(trace), bytes(span)) for trace, span in rows.values_list("trace", "span")}


@dataclass(slots=True)
class Namer:
    """Gives samples the endpoint of their request. Keeps the dictionaries of the servers it has seen."""

    codebooks: dict[int, Codebook] = field(default_factory=dict)

    def name(self, endpoints: Mapping[bytes, Mapping[bytes, str]], kept_until: Mapping[bytes, int], now_ms: int) -> int:
        """`endpoints` by trace and span, of span b"" that of the whole trace where it is one; `kept_until` by kept trace.

        Inside the caller's transaction. Returns how many samples were given one.
        """
        by_server: dict[int, list[Sighting]] = {}
        for row in Sighting.objects.filter(trace__in=list(endpoints)).order_by("server_id", "trace", "span", "pid"):
            trace = bytes(row.trace)
            of = endpoints[trace]
            before, row.endpoint = row.endpoint, of.get(bytes(row.span)) or of.get(b"") or row.endpoint
            if row.endpoint == before != certain(before):
                # Told again while its statement runs: its earlier samples have the endpoint.
                row.first_ms = max(row.first_ms, row.last_ms - TOLD_AGAIN_MS)
            row.keep_until_ms = max(row.keep_until_ms, kept_until.get(trace, 0))
            by_server.setdefault(row.server_id, []).append(row)
        changed = 0
        for server_id, rows in by_server.items():
            holdings.lock(server_id)  # before its sightings, as whoever writes samples does
            _keep(server_id, rows)
            changed += self._recode(server_id, [row for row in rows if row.endpoint], now_ms)
        return changed

    def _recode(self, server_id: int, rows: Sequence[Sighting], now_ms: int) -> int:
        oldest = (now_ms - LATE_MS + _SPARE_MS) // MS_PER_HOUR * MS_PER_HOUR
        rows = [row for row in rows if row.last_ms >= oldest]
        if not rows:
            return 0
        seen: list[list[Any]] = [
            [row.pid for row in rows],
            [row.started_s for row in rows],
            [max(row.first_ms, oldest) for row in rows],
            [row.last_ms for row in rows],
            [row.endpoint for row in rows],
        ]
        with connection.cursor() as cursor:
            cursor.execute(
                f"SELECT DISTINCT s.code, v.endpoint {_SEEN} JOIN samples_opensample s ON {_JOINED}", [*seen, server_id]
            )
            pairs = cursor.fetchall()
            new, many = self._codes(server_id, pairs)
            moved = [(code, endpoint, to) for (code, endpoint), to in new.items() if code != to]
            if not moved:
                return 0
            cursor.execute(
                "WITH changed AS (UPDATE samples_opensample s SET code = m.code_to "
                f"{_SEEN}, unnest(%s::int[], %s::text[], %s::int[]) AS m (code, endpoint, code_to) "
                f"WHERE {_JOINED} AND m.endpoint = v.endpoint AND m.code = s.code RETURNING s.at_ms) "
                "SELECT count(*), min(at_ms) FROM changed",
                [*seen, *map(list, zip(*moved, strict=True)), server_id],
            )
            changed, first_ms = cursor.fetchone()
        if changed:
            holdings.recoded(server_id, first_ms, codes=many)
        return int(changed)

    def _codes(self, server_id: int, pairs: Sequence[tuple[int, str]]) -> tuple[dict[tuple[int, str], int], int]:
        """The code of each combination with another endpoint, and how many codes there are."""
        book = self.codebooks.get(server_id)
        if book is None:
            book = self.codebooks[server_id] = Codebook(server_id)
        rows = Combination.objects.filter(server_id=server_id, code__in={code for code, _ in pairs})
        of = {row.code: row for row in rows}
        wanted: dict[tuple[int, str], dimensions.Combination] = {
            (code, endpoint): replace(to_core(of[code]), endpoint=endpoint) for code, endpoint in pairs
        }
        codes = book.codes(wanted.values())
        return {pair: codes[combination] for pair, combination in wanted.items()}, len(codes)

    def forget(self) -> None:
        """What was given out in a transaction that was rolled back is not there."""
        self.codebooks.clear()


def _keep(server_id: int, rows: Sequence[Sighting]) -> None:
    told = zip(
        *((bytes(r.trace), bytes(r.span), r.pid, r.started_s, r.endpoint, r.keep_until_ms) for r in rows), strict=True
    )
    with connection.cursor() as cursor:
        cursor.execute(_KEEP, [*map(list, told), server_id])


@transaction.atomic
def forget_before(now_ms: int) -> int:
    """Those whose trace did not come, or is kept no longer."""
    return Sighting.objects.filter(keep_until_ms__lt=now_ms)._raw_delete(using="default")
