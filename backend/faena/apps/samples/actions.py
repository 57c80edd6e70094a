"""Writing samples of the open hours: each tick once. What becomes of them is in closing.py."""

from collections.abc import Sequence
from itertools import chain

from django.db import connection, transaction

from faena.apps.samples import sightings
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.disk import put_bytes
from faena.apps.samples.rows import copy_in
from faena.apps.servers import holdings
from faena.core.readings import SampleReading, labels
from faena.core.sampling.dimensions import combination_of
from faena.core.sampling.disk import whose

MAX_INT = 2**31 - 1


@transaction.atomic
def store_ticks(
    server_id: int, readings: Sequence[tuple[SampleReading, int]], codebook: Codebook
) -> list[SampleReading]:
    """Store (reading, missed) pairs; a tick already stored is left as it is. Returns the readings that were new."""
    rows = [(r.due, min(MAX_INT, round(r.took * 1000)), missed, min(MAX_INT, round(r.late))) for r, missed in readings]
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO samples_tick (server_id, at_ms, took_us, missed, late_ms) "
            "SELECT %s, * FROM unnest(%s::bigint[], %s::int[], %s::int[], %s::int[]) ON CONFLICT DO NOTHING RETURNING at_ms",
            [server_id, *([row[i] for row in rows] for i in range(4))],
        )
        new = {row[0] for row in cursor.fetchall()}
    fresh = list({reading.due: reading for reading, _ in readings if reading.due in new}.values())
    present = {reading.due: labels(reading.sessions) for reading in fresh}
    found = [(r.due, s, combination_of(s, present[r.due])) for r in fresh for s in r.sessions]
    moved = [(reading, whose(reading.disk, present[reading.due])) for reading in fresh if reading.disk is not None]
    wanted = chain((one for _, _, one in found), (one for _, told in moved for _, one, _, _ in told))
    codes = codebook.codes(wanted)
    copy_in(
        (
            server_id, due, s.pid, codes[combination], s.blocked_by[0] if s.blocked_by else 0,
            s.started_s, min(MAX_INT, s.transaction_ms), min(MAX_INT, s.statement_ms),
        )
        for due, s, combination in found
    )  # fmt: skip
    put_bytes(server_id, moved, codes)
    if new:
        holdings.grew(server_id, first_ms=min(new), newest_ms=max(new), codes=len(codes))
    sightings.put(server_id, fresh)  # after the holdings: who names sightings has locked them in that order
    return fresh
