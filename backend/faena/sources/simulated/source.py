"""The simulated server behind the same interface as a real one."""

from collections.abc import Sequence

import numpy as np

from faena.core.logged import CaptureRules, Execution, LogEvent, LogPosition, LogReading
from faena.core.readings import (
    COUNTER_FIELDS,
    CounterKey,
    CounterReading,
    SampleReading,
    ServerFacts,
    SessionSample,
    StatementText,
    Survey,
)
from faena.core.sql.texts import conceal
from faena.core.units import MS_PER_HOUR, NOT_LATE, EpochMs, Millis, Pid, QueryId
from faena.sources.simulated.engine import Engine, Hour, texts_of
from faena.sources.simulated.executions import hour_executions
from faena.sources.simulated.lockwaits import deadlock_events, edges_of, retry_events
from faena.sources.simulated.vitals import host_minutes, table_figures, vital_minutes
from faena.sources.simulated.work import work_between

TOOK = Millis(0.4)
EVERY_S = 10  # one execution of each statement in so many seconds is logged


class SimulatedSource:
    """Plays an engine's hours as they come due; what is asked for has no side effect and may be asked again."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._hours: dict[EpochMs, Hour] = {}
        self._counted: tuple[EpochMs, dict[CounterKey, np.ndarray[tuple[int, ...], np.dtype[np.float64]]]] | None = None

    async def connect(self) -> ServerFacts:
        server = self._engine.server
        return ServerFacts(
            version=150000,
            version_text="15 (simulated)",
            started=EpochMs(0),
            max_connections=200,
            in_recovery=server.role == "replica",
            cores=server.cores,
        )

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        """What was made up for the moment itself, whenever it is asked for."""
        sessions = self.sessions_at(due)
        return SampleReading(due=due, took=TOOK, sessions=sessions, edges=edges_of(sessions, self._texts()))

    def _texts(self) -> dict[QueryId, str]:
        return texts_of(self._engine.estate, self._engine.incidents, self._engine.server.name)

    def hour(self, start: EpochMs) -> Hour:
        """The hour, kept while it lasts."""
        if start not in self._hours:
            self._hours = {start: self._engine.hour(start)}
        return self._hours[start]

    def sessions_at(self, due: EpochMs) -> tuple[SessionSample, ...]:
        """The sessions of the second in which `due` lies."""
        hour = self.hour(EpochMs(due - due % MS_PER_HOUR))
        first, last = np.searchsorted(hour.second, (due - hour.start) // 1000 + np.arange(2))
        return tuple(session_of(hour, i) for i in range(first, last))

    async def counters(self, at: EpochMs) -> CounterReading:
        """Cumulative since the first reading of this source: what lay before is nobody's to count."""
        if self._counted is None:
            self._counted = (at, {})
        since, sums = self._counted
        if at > since:
            for key, values in work_between(self._engine, self.hour, since, at).items():
                sums[key] = sums[key] + values if key in sums else values
            self._counted = (at, sums)
        keys = tuple(sums)
        values = np.array([sums[key] for key in keys]).reshape(-1, len(COUNTER_FIELDS))
        return CounterReading(at=at, took=Millis(1.0), server_started=EpochMs(0), keys=keys, values=values)

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        known = self._texts()
        return [StatementText(query_id=i, text=conceal(known[i])) for i in wanted if i in known]

    async def survey(self, at: EpochMs) -> Survey:
        """The last whole minute."""
        end = EpochMs(at - at % 60_000)
        hour = self.hour(EpochMs((end - 1) - (end - 1) % MS_PER_HOUR))
        vitals = [one for one in vital_minutes(self._engine, hour, end) if one.at == end]
        host = [one for one in host_minutes(self._engine, hour, end) if one.at == end]
        tables = tuple(table_figures(self._engine, hour, int(end - 60_000 - hour.start) // 1000))
        return Survey(at=end, since=EpochMs(end - 60_000), vitals=vitals[0], host=host[0], tables=tables)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading:
        """The whole seconds since `position`, whose offset is a moment; the first reading begins a minute before."""
        end = at - at % 1000
        since = position.offset if position is not None else end - 60_000
        since = max(since, end - MS_PER_HOUR)
        found: list[Execution] = []
        events: list[LogEvent] = []
        start = EpochMs(since - since % MS_PER_HOUR)
        while start < end:
            first, last = max(0, (since - start) // 1000), min(3600, (end - start) // 1000)
            found += hour_executions(self._engine, self.hour(start), first, last, EVERY_S)
            events += deadlock_events(self._engine, self.hour(start), first, last)
            events += retry_events(self._engine, self.hour(start), first, last)
            start = EpochMs(start + MS_PER_HOUR)
        return LogReading(position=LogPosition("simulated", end), executions=tuple(found), events=tuple(events))

    async def close(self) -> None:
        return None


def session_of(hour: Hour, i: int) -> SessionSample:
    one = hour.combinations[int(hour.combination[i])]
    blocker = int(hour.blocker[i])
    return SessionSample(
        pid=Pid(int(hour.pid[i])),
        started_s=int(hour.started_s[i]),
        state="active" if one.active else "idle in transaction",
        wait_type=one.wait_type,
        wait_event=one.wait_event,
        query_id=one.query_id,
        database=one.database,
        user=one.user,
        program=one.program,
        client=one.client,
        backend=one.backend,
        blocked_by=(Pid(blocker),) if blocker else (),
        transaction_ms=int(hour.transaction_ms[i]),
        statement_ms=int(hour.statement_ms[i]),
        endpoint=one.endpoint,
    )
