"""What the core expects of the world. Adapters implement these; `faena.testing` ships one double for each."""

from collections.abc import Sequence
from typing import Protocol

from faena.core.logged import CaptureRules, LogPosition, LogReading
from faena.core.readings import CounterReading, SampleReading, ServerFacts, StatementText, Survey
from faena.core.units import NOT_LATE, EpochMs, Millis, QueryId, Seconds


class Clock(Protocol):
    """Time as an argument. `monotonic` is for waiting, `now` for stamping."""

    def now(self) -> EpochMs: ...
    def monotonic(self) -> Seconds: ...
    async def sleep(self, seconds: Seconds) -> None: ...


class Source(Protocol):
    """A watched server, real or simulated. One question at a time; raises SourceError and nothing else."""

    async def connect(self) -> ServerFacts:
        """Open the kept connections. Raises SourceAway, SourceRefused or SourceUnfit."""
        ...

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        """Sessions that are active or hold a transaction, in one cheap question asked so long after `due`."""
        ...

    async def counters(self, at: EpochMs) -> CounterReading | None:
        """Statement counters without texts; None when the server keeps none."""
        ...

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        """Texts of the statements asked for, as far as the server still knows them."""
        ...

    async def survey(self, at: EpochMs) -> Survey:
        """Sizes, tables and what else is worth a look once a minute. Counts are since the survey before."""
        ...

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        """What the server logged since `position`, up to now, which is `at`; None where its log is not to be read."""
        ...

    async def close(self) -> None: ...
