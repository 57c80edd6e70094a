"""Writing samples: each tick once, closed hours into columns, old hours away."""

from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt
from django.db import connection, transaction

from faena.apps.samples import packing
from faena.apps.samples.models import Chunk, Combination, OpenSample, Tick
from faena.apps.samples.rows import OPEN_COLUMNS, copy_in, copy_out
from faena.apps.servers import holdings
from faena.core.readings import SampleReading, labels
from faena.core.sampling import dimensions
from faena.core.sampling.dimensions import combination_of
from faena.core.units import MS_PER_HOUR, QueryId

LATE_MS = 15 * 60_000  # an hour is closed this long after its end; later readings reopen it, which costs a rewrite
MAX_INT = 2**31 - 1


class Codebook:
    """Codes of one server's combinations, kept by the process that writes. One writer per server (see leases)."""

    def __init__(self, server_id: int) -> None:
        self._server_id = server_id
        self._codes: dict[dimensions.Combination, int] = {}
        for row in Combination.objects.filter(server_id=server_id).order_by("code"):
            self._codes[to_core(row)] = row.code

    def codes(self, wanted: Iterable[dimensions.Combination]) -> dict[dimensions.Combination, int]:
        """Codes of all wanted, new ones added. Call inside the transaction that writes the samples."""
        fresh = [one for one in dict.fromkeys(wanted) if one not in self._codes]
        if fresh:
            first = len(self._codes)
            added = {one: first + i for i, one in enumerate(fresh)}
            Combination.objects.bulk_create(
                Combination(server_id=self._server_id, code=code, **_columns(one)) for one, code in added.items()
            )
            # Known only once the transaction holds; else a rolled-back code would be used by later samples.
            transaction.on_commit(lambda: self._codes.update(added))
            return {**self._codes, **added}
        return self._codes


def to_core(row: Combination) -> dimensions.Combination:
    return dimensions.Combination(
        active=row.active, wait_type=row.wait_type, wait_event=row.wait_event, query_id=None if row.query_id is None else QueryId(row.query_id),
        database=row.database, user=row.user, program=row.program, client=row.client, backend=row.backend,
        held_by=row.held_by,
    )  # fmt: skip


def _columns(one: dimensions.Combination) -> dict[str, object]:
    return {name: getattr(one, name) for name in dimensions.Combination.__dataclass_fields__}


@transaction.atomic
def store_ticks(server_id: int, readings: Sequence[tuple[SampleReading, int]], codebook: Codebook) -> int:
    """Store (reading, missed) pairs; a tick already stored is left as it is. Returns how many ticks were new."""
    rows = [(server_id, reading.due, min(MAX_INT, round(reading.took * 1000)), missed) for reading, missed in readings]
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO samples_tick (server_id, at_ms, took_us, missed) "
            "SELECT %s, * FROM unnest(%s::bigint[], %s::int[], %s::int[]) ON CONFLICT DO NOTHING RETURNING at_ms",
            [server_id, [r[1] for r in rows], [r[2] for r in rows], [r[3] for r in rows]],
        )
        new = {row[0] for row in cursor.fetchall()}
    fresh = [reading for reading, _ in readings if reading.due in new]
    present = {reading.due: labels(reading.sessions) for reading in fresh}
    found = [(r.due, s, combination_of(s, present[r.due])) for r in fresh for s in r.sessions]
    codes = codebook.codes(combination for _, _, combination in found)
    copy_in(
        (
            server_id, due, s.pid, codes[combination], s.blocked_by[0] if s.blocked_by else 0,
            s.started_s, min(MAX_INT, s.transaction_ms), min(MAX_INT, s.statement_ms),
        )
        for due, s, combination in found
    )  # fmt: skip
    if new:
        holdings.grew(server_id, first_ms=min(new), newest_ms=max(new), codes=len(codes))
    return len(new)


def close_hours(server_id: int, now_ms: int) -> int:
    """Turn every hour that ended more than LATE_MS ago into a chunk. Safe to repeat. Returns how many were closed."""
    oldest = Tick.objects.filter(server_id=server_id).order_by("at_ms").values_list("at_ms", flat=True).first()
    if oldest is None:
        return 0
    closed = 0
    hour = oldest - oldest % MS_PER_HOUR
    while hour + MS_PER_HOUR + LATE_MS <= now_ms:
        closed += _close_hour(server_id, hour)
        hour += MS_PER_HOUR
    return closed


@transaction.atomic
def _close_hour(server_id: int, hour: int) -> bool:
    """One hour, in one transaction: either the chunk is there and the rows are gone, or nothing has changed."""
    span = {"server_id": server_id, "at_ms__gte": hour, "at_ms__lt": hour + MS_PER_HOUR}
    ticks = Tick.objects.filter(**span).order_by("at_ms").select_for_update()
    tick_rows = np.array(list(ticks.values_list("at_ms", "took_us", "missed")), dtype=np.int64).reshape(-1, 3)
    if not len(tick_rows):
        return False
    samples = copy_out(server_id, hour, hour + MS_PER_HOUR)
    columns = {
        "tick_ms": tick_rows[:, 0],
        "took_us": tick_rows[:, 1],
        "missed": tick_rows[:, 2],
        "tick": np.searchsorted(tick_rows[:, 0], samples["at_ms"].astype(np.int64)),
        **{name: samples[name].astype(np.int64) for name in OPEN_COLUMNS[1:]},
    }
    before = Chunk.objects.filter(server_id=server_id, hour_ms=hour).select_for_update().first()
    if before is not None:
        columns = _merged({name: packing.unpack(getattr(before, name)) for name in columns}, columns)
    Chunk.objects.update_or_create(
        server_id=server_id,
        hour_ms=hour,
        defaults={
            "revision": before.revision + 1 if before else 1,
            "ticks": len(columns["tick_ms"]),
            "samples": len(columns["code"]),
            **{name: packing.pack(values) for name, values in columns.items()},
        },
    )
    OpenSample.objects.filter(**span)._raw_delete(using="default")
    Tick.objects.filter(**span)._raw_delete(using="default")
    holdings.rewrote(server_id)
    return True


Columns = dict[str, npt.NDArray[np.int64]]
_PER_TICK = ("tick_ms", "took_us", "missed")


def _merged(kept: Columns, late: Columns) -> Columns:
    """Late readings added to a closed hour; a tick that is there already stays as it was."""
    fresh = ~np.isin(late["tick_ms"], kept["tick_ms"])
    rows = fresh[late["tick"]]
    at = np.concatenate([kept["tick_ms"], late["tick_ms"][fresh]])
    order = np.argsort(at, kind="stable")
    merged = {name: np.concatenate([kept[name], late[name][fresh]])[order] for name in _PER_TICK}
    sample_at = np.concatenate([kept["tick_ms"][kept["tick"]], late["tick_ms"][late["tick"][rows]]])
    tick = np.searchsorted(merged["tick_ms"], sample_at)
    by_tick = np.argsort(tick, kind="stable")
    merged["tick"] = tick[by_tick]
    for name in kept.keys() - {*_PER_TICK, "tick"}:
        merged[name] = np.concatenate([kept[name], late[name][rows]])[by_tick]
    return merged


@transaction.atomic
def forget_before(server_id: int, before_ms: int) -> int:
    """Retention: drop whole closed hours that end before the moment given. Returns how many."""
    first = before_ms - before_ms % MS_PER_HOUR
    gone = Chunk.objects.filter(server_id=server_id, hour_ms__lt=first)._raw_delete(using="default")
    if gone:
        holdings.rewrote(server_id, first_ms=first)
    return gone
