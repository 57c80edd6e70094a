"""What all statements of a server did between two readings of its counters."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from faena.collector.intake import Kind
from faena.core.readings import CounterKey
from faena.core.statements.counters import Break, CounterDelta
from faena.core.units import EpochMs, QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """Work of all statements between two readings of the counters."""

    server_id: int
    delta: CounterDelta


def _pack(record: Counted) -> list[Any]:
    d = record.delta
    keys = [[k.query_id, k.database, k.user, k.toplevel] for k in d.keys]
    return [d.since, d.until, keys, d.values.tolist(), sorted(d.breaks)]


def _unpack(server_id: int, since: int, until: int, keys: list[Any], values: list[Any], breaks: list[str]) -> Counted:
    delta = CounterDelta(
        since=EpochMs(since),
        until=EpochMs(until),
        keys=tuple(CounterKey(query_id=QueryId(k[0]), database=k[1], user=k[2], toplevel=k[3]) for k in keys),
        values=np.array(values, dtype=np.float64),
        breaks=frozenset(Break(b) for b in breaks),
    )
    return Counted(server_id=server_id, delta=delta)


KIND = Kind("counted", Counted, _pack, _unpack)
