"""The likely endpoint of sessions whose request has not ended: of the only one that ran their statement lately.

A trace comes when its request ends, and a request that waits for a lock may not end for long. Until then this is what can
be told, and it says that it is not certain. The trace, once it comes, puts what it knows in its place.
"""

from collections import defaultdict
from collections.abc import Sequence

from django.db import connection, transaction

from faena.apps.answers.requests import callers
from faena.apps.requests.selectors import Only, statements
from faena.apps.samples.sightings import WAITS_MS, Namer
from faena.core.requests.sums import endpoint_value, likely
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId

AFTER_MS = 3_000  # how long a statement must have been seen running; of a quicker one the trace comes soon
LATELY_MS = 10_000  # that it was last seen in
LEARNED_FROM_MS = 24 * MS_PER_HOUR
RUNS_NEEDED = 20  # of a statement, all by one endpoint, before that is taken to be its only one

_UNTOLD = (
    "SELECT s.server_id, s.trace, s.span, c.query_id FROM samples_sighting s "
    "JOIN samples_opensample o ON o.server_id = s.server_id AND o.at_ms = s.last_ms AND o.pid = s.pid "
    "JOIN samples_combination c ON c.server_id = s.server_id AND c.code = o.code "
    "WHERE s.keep_until_ms >= %s AND (s.endpoint = '' OR s.endpoint LIKE %s) AND s.last_ms >= %s AND s.last_ms - s.first_ms >= %s "
    "AND c.query_id IS NOT NULL"
)


@transaction.atomic
def name_likely(namer: Namer, now_ms: int) -> int:
    """Give sessions that work for long the endpoint they likely work for. Returns how many samples got one."""
    with connection.cursor() as cursor:
        cursor.execute(_UNTOLD, [now_ms - LATELY_MS + WAITS_MS, "%" + likely(""), now_ms - LATELY_MS, AFTER_MS])
        rows = cursor.fetchall()
    wanted = defaultdict[int, set[int]](set)
    for server_id, _, _, query_id in rows:
        wanted[server_id].add(query_id)
    known = {
        (server_id, query_id): found
        for server_id, query_ids in wanted.items()
        for query_id, found in only_callers(server_id, sorted(query_ids), now_ms).items()
    }
    endpoints = defaultdict[bytes, dict[bytes, str]](dict)
    for server_id, trace, span, query_id in rows:
        found = known.get((server_id, query_id))
        if found:
            endpoints[bytes(trace)][bytes(span)] = likely(found)
    return namer.name(endpoints, {}, now_ms) if endpoints else 0


def only_callers(server_id: int, query_ids: Sequence[int], now_ms: int) -> dict[int, str]:
    """By statement the endpoint that alone ran it in the last day, of those that were run often enough to say so."""
    window = Window(start=EpochMs(now_ms - LEARNED_FROM_MS), end=EpochMs(now_ms))
    found = {}
    for query_id in query_ids:
        among = callers(server_id, QueryId(query_id))
        uses = statements(server_id, window, Only(), among) if among else []
        ends = {endpoint_value(one.endpoint.service, one.endpoint.name) for one in uses}
        if len(ends) == 1 and sum(one.figures["runs"] for one in uses) >= RUNS_NEEDED:
            found[query_id] = ends.pop()
    return found
