"""Steady made-up traffic as a function of seed and second: for tests and benchmarks that need samples, not a story."""

from collections.abc import Sequence
from dataclasses import dataclass
from random import Random

import numpy as np

from faena.core.logged import CaptureRules, LogPosition, LogReading
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
from faena.core.sql.texts import conceal, fingerprint
from faena.core.statements.figures import sum_of_squares
from faena.core.units import NOT_LATE, EpochMs, Millis, Pid, QueryId

STATEMENTS: tuple[tuple[str, str, float], ...] = (  # program, text, mean milliseconds
    ("booking-web", "SELECT * FROM sailing WHERE id = $1", 0.4),
    ("booking-web", "UPDATE deck_slot SET held_until = $1 WHERE sailing_id = $2 AND slot_no = $3", 1.2),
    ("gate-scan", "SELECT id FROM booking WHERE reference = $1", 60.0),
    ("fare-engine", "SELECT amount FROM fare WHERE route_id = $1 AND valid_on = $2", 2.0),
    ("nightly-report", "SELECT route_id, count(*) FROM booking GROUP BY route_id ORDER BY count(*) DESC", 900.0),
)
WAITS: tuple[tuple[str, str], ...] = (
    ("", ""),
    ("IO", "DataFileRead"),
    ("LWLock", "WALWrite"),
    ("Client", "ClientRead"),
)
WEIGHTS = (60, 20, 12, 8)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteadySource:
    """`mean_sessions` are active on average; every tenth minute a lock is held for `lock_seconds`."""

    seed: int = 1
    mean_sessions: float = 12.0
    lock_seconds: int = 20
    combinations: int = 400  # how many distinct client hosts there are, which drives the size of the dictionary

    async def connect(self) -> ServerFacts:
        return ServerFacts(version=150000, version_text="15 (simulated)", started=EpochMs(0), max_connections=100)

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        return SampleReading(due=due, took=Millis(0.5), sessions=self.sessions_at(due))

    def sessions_at(self, due: EpochMs) -> tuple[SessionSample, ...]:
        """Same seed and moment, same sessions. Their number is binomial around the mean."""
        second = due // 1000
        chance = Random(self.seed * 1_000_003 + second)
        slots = int(self.mean_sessions * 2)
        locked = second % 600 < self.lock_seconds
        found = [self._session(chance, slot, second) for slot in range(slots) if chance.random() < 0.5]
        return tuple(found) + (self._queue(second) if locked else ())

    def _session(self, chance: Random, slot: int, second: int) -> SessionSample:
        program, text, mean = STATEMENTS[min(int(chance.expovariate(0.9)), len(STATEMENTS) - 1)]
        wait_type, wait_event = chance.choices(WAITS, WEIGHTS)[0]
        host = chance.randrange(max(1, self.combinations // len(STATEMENTS)))
        return SessionSample(
            pid=Pid(1000 + slot),
            started_s=second - second % 3600,
            state="active",
            wait_type=wait_type,
            wait_event=wait_event,
            query_id=fingerprint(text),
            database="ferry",
            user=program.replace("-", "_"),
            program=program,
            client=f"127.0.{host // 200}.{host % 200 + 1}",
            transaction_ms=int(chance.expovariate(1 / mean)),
            statement_ms=int(chance.expovariate(1 / mean)),
        )

    def _queue(self, second: int) -> tuple[SessionSample, ...]:
        since = second % 600
        common = {"started_s": second - second % 3600, "database": "ferry"}
        holder = SessionSample(
            pid=Pid(900),
            state="idle in transaction",
            program="ops-console",
            user="ops",
            **common,  # type: ignore[arg-type]
        )
        waiting = (
            SessionSample(
                pid=Pid(901 + i),
                state="active",
                wait_type="Lock",
                wait_event="transactionid",
                query_id=fingerprint(STATEMENTS[1][1]),
                program="booking-web",
                user="booking_web",
                blocked_by=(Pid(900 + i),),
                statement_ms=1000 * (since - i),
                **common,  # type: ignore[arg-type]
            )
            for i in range(min(since, 12))
        )
        return (holder, *waiting)

    async def counters(self, at: EpochMs) -> CounterReading:
        """Counters that grow steadily with time, each statement at its own rate."""
        seconds = at / 1000
        values = np.zeros((len(STATEMENTS), len(COUNTER_FIELDS)))
        for i, (_, _, mean) in enumerate(STATEMENTS):
            calls = float(int(seconds * self.mean_sessions / mean * 10))
            values[i, :4] = (calls, calls * mean, sum_of_squares(calls, mean, mean / 2), calls)
        keys = tuple(
            CounterKey(query_id=fingerprint(text), database="ferry", user=program.replace("-", "_"))
            for program, text, _ in STATEMENTS
        )
        return CounterReading(at=at, took=Millis(1.0), server_started=EpochMs(0), keys=keys, values=values)

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        known = {fingerprint(text): text for _, text, _ in STATEMENTS}
        return [StatementText(query_id=i, text=conceal(known[i])) for i in wanted if i in known]

    async def survey(self, at: EpochMs) -> Survey:
        return Survey(at=at)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        return None

    async def close(self) -> None:
        return None
