"""A source that plays answers back, or breaks where told to."""

from collections import deque
from collections.abc import Sequence

from faena.core.errors import SourceAway, SourceError
from faena.core.logged import CaptureRules, LogPosition, LogReading
from faena.core.readings import CounterReading, SampleReading, ServerFacts, SessionSample, StatementText, Survey
from faena.core.sql.texts import conceal
from faena.core.units import NOT_LATE, EpochMs, Millis, QueryId

FACTS = ServerFacts(version=150000, version_text="15.0", started=EpochMs(0), max_connections=100)


class ScriptedSource:
    """Each sample takes the next answer of the script; after the last one the server is away for good."""

    def __init__(
        self, *samples: Sequence[SessionSample] | SourceError, texts: dict[QueryId, str] | None = None
    ) -> None:
        self._samples = deque(samples)
        self._texts = texts or {}
        self.connects = 0
        self.asked_texts: list[QueryId] = []

    async def connect(self) -> ServerFacts:
        self.connects += 1
        if not self._samples:
            raise SourceAway("the script is over")
        return FACTS

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        if not self._samples:
            raise SourceAway("the script is over")
        answer = self._samples.popleft()
        if isinstance(answer, SourceError):
            raise answer
        return SampleReading(due=due, took=Millis(1.0), sessions=tuple(answer))

    async def counters(self, at: EpochMs) -> CounterReading | None:
        return None

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        self.asked_texts.extend(wanted)
        return [StatementText(query_id=i, text=conceal(self._texts[i])) for i in wanted if i in self._texts]

    async def survey(self, at: EpochMs) -> Survey:
        return Survey(at=at)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        return None

    async def close(self) -> None:
        return None
