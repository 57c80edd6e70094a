"""Records with everything filled in but what a test cares about."""

from collections.abc import Sequence

import numpy as np

from faena.core.readings import COUNTER_FIELDS, CounterKey, CounterReading, SampleReading, SessionSample
from faena.core.sampling.dimensions import Combination, Dictionary, combination_of
from faena.core.sampling.frame import SampleFrame
from faena.core.units import EpochMs, Millis, Pid, QueryId
from faena.core.waits.catalogue import kind_of

START = EpochMs(1_700_000_000_000 - 1_700_000_000_000 % 3_600_000)  # a full hour


def session(pid: int = 1, **values: object) -> SessionSample:
    """An active client session, running, unless said otherwise."""
    defaults: dict[str, object] = {"started_s": 0, "state": "active", "program": "booking-web", "user": "web"}
    return SessionSample(pid=Pid(pid), **{**defaults, **values})  # type: ignore[arg-type]


def reading(second: int, *sessions: SessionSample) -> SampleReading:
    """A sample `second` seconds after START."""
    return SampleReading(due=EpochMs(START + 1000 * second), took=Millis(0.5), sessions=sessions)


def frame_of(readings: Sequence[SampleReading]) -> tuple[SampleFrame, Dictionary]:
    """Frame and dictionary as the store would hold them."""
    codes: dict[Combination, int] = {}
    tick, code = [], []
    for index, one in enumerate(readings):
        present = {s.pid: s for s in one.sessions}
        for s in one.sessions:
            tick.append(index)
            code.append(codes.setdefault(combination_of(s, present), len(codes)))
    combinations = list(codes)
    kinds = [kind_of(c.wait_type, c.wait_event) for c in combinations]
    ticks = np.array([r.due for r in readings], dtype=np.int64)
    frame = SampleFrame(ticks, np.array(tick, dtype=np.int32), np.array(code, dtype=np.int32))
    return frame, Dictionary(combinations, kinds, ["none"] * len(combinations))


def counters(second: int, **calls_and_ms: tuple[float, float]) -> CounterReading:
    """Counters `second` seconds after START: q1=(calls, total_ms) for statement 1, and so on."""
    values = np.zeros((len(calls_and_ms), len(COUNTER_FIELDS)))
    for row, (calls, total) in enumerate(calls_and_ms.values()):
        values[row, :3] = (calls, total, total * total / calls if calls else 0.0)
    keys = tuple(CounterKey(query_id=QueryId(int(name[1:])), database="d", user="u") for name in calls_and_ms)
    return CounterReading(
        at=EpochMs(START + 1000 * second), took=Millis(1.0), server_started=EpochMs(0), keys=keys, values=values
    )
