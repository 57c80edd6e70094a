"""What was seen by watching a server for a while, put together for the rules: no store, and no history."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from faena.core.answers.leads.observed import Horizon, Observed, PlanFacts
from faena.core.engines.profile import Waits
from faena.core.logged import LogEvent
from faena.core.readings import CounterReading, SampleReading, ServerVitals, TableFigures
from faena.core.sampling.dimensions import Combination, Dictionary, combination_of
from faena.core.series.window import Window
from faena.core.sessions.frame import COLUMNS, SessionFrame
from faena.core.sql.names import tables_of
from faena.core.statements.counters import CounterDelta, difference
from faena.core.statements.figures import StatementFigures, figures_of
from faena.core.statements.followers import matches
from faena.core.units import EpochMs, QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class Watched:
    """Readings of a server, in order of time. `counters` are the first and the last; None where the server keeps none."""

    readings: Sequence[SampleReading]
    counters: tuple[CounterReading, CounterReading] | None = None
    texts: Mapping[QueryId, str] = field(default_factory=dict)
    callers: Mapping[QueryId, str] = field(default_factory=dict)
    plans: Mapping[QueryId, PlanFacts] = field(default_factory=dict)
    vitals: ServerVitals | None = None
    tables: Sequence[TableFigures] = ()
    events: Sequence[LogEvent] | None = None
    cores: int | None = None
    max_connections: int | None = None
    serializable: bool | None = None
    horizon: Horizon | None = None
    sessions_begun: float | None = None
    newcomers: Mapping[tuple[str, str], int] = field(default_factory=dict)


def observed(watched: Watched, waits: Waits, end_ms: int) -> Observed:
    """As rules look at it; the last reading holds until `end_ms`. Raises ValueError without any reading."""
    readings = watched.readings
    if not readings:
        raise ValueError("nothing was read")
    frame, dictionary = frame_of(readings, watched.texts, waits)
    delta = _delta(watched.counters)
    return Observed(
        window=Window(start=readings[0].due, end=EpochMs(max(end_ms, readings[-1].due + 1))),
        frame=frame,
        dictionary=dictionary,
        waits=waits,
        cores=watched.cores,
        edges={i: one.edges for i, one in enumerate(readings) if one.edges},
        texts=watched.texts,
        callers=watched.callers,
        work=_work(delta) if delta else {},
        work_s=(delta.until - delta.since) / 1000 if delta else 0.0,
        matches=matches(delta) if delta else (),
        horizon=watched.horizon,
        plans=watched.plans,
        vitals=watched.vitals,
        tables=[one for one in watched.tables if not one.index],
        events=watched.events,
        max_connections=watched.max_connections,
        serializable=watched.serializable,
        sessions_begun=watched.sessions_begun,
        newcomers=watched.newcomers,
    )


def frame_of(
    readings: Sequence[SampleReading], texts: Mapping[QueryId, str], waits: Waits
) -> tuple[SessionFrame, Dictionary]:
    """Samples as arrays, in order of tick and pid, and the dictionary of what they are told apart by."""
    codes: dict[Combination, int] = {}
    rows = []
    for tick, one in enumerate(readings):
        present = {session.pid: session for session in one.sessions}
        for session in sorted(one.sessions, key=lambda s: s.pid):
            code = codes.setdefault(combination_of(session, present), len(codes))
            blocker = session.blocked_by[0] if session.blocked_by else 0
            rows.append(
                (
                    tick, session.pid, blocker, code, session.started_s, session.transaction_ms, session.statement_ms
                )
            )  # fmt: skip
    table = np.array(rows, dtype=np.int64).reshape(-1, len(COLUMNS)).T
    combinations = list(codes)
    dictionary = Dictionary(
        combinations,
        [waits.kind_of(one.wait_type, one.wait_event) for one in combinations],
        [_tables(texts.get(one.query_id, "") if one.query_id is not None else "") for one in combinations],
        [waits.behind_sessions(one.wait_type, one.wait_event) for one in combinations],
    )
    frame = SessionFrame(
        tick_ms=np.array([one.due for one in readings], dtype=np.int64), **dict(zip(COLUMNS, table, strict=True))
    )
    return frame, dictionary


def _tables(text: str) -> str:
    return ", ".join(tables_of(text)) or "none"


def _delta(counters: tuple[CounterReading, CounterReading] | None) -> CounterDelta | None:
    return difference(*counters) if counters is not None and counters[1].at > counters[0].at else None


def _work(delta: CounterDelta) -> dict[QueryId, StatementFigures]:
    """Figures of each statement over all users and databases."""
    sums: dict[QueryId, npt.NDArray[np.float64]] = {}
    for key, values in zip(delta.keys, delta.values, strict=True):
        sums[key.query_id] = sums.get(key.query_id, np.zeros(len(values))) + values
    return {q: figures_of(q, one) for q, one in sums.items()}
