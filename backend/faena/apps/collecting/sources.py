"""The adapter that the collector samples a server with."""

from collections.abc import Sequence

from faena.apps.collecting.away import away_means_away
from faena.apps.servers.engines import engine_of
from faena.apps.servers.models import Server
from faena.collector.orders import WatchOrder
from faena.core.engines.profile import CANNOT, Capability
from faena.core.errors import BadInput, SourceRefused
from faena.core.logged import CaptureRules, LogPosition, LogReading
from faena.core.ports import Source
from faena.core.readings import CounterReading, SampleReading, ServerFacts, StatementText, Survey
from faena.core.units import NOT_LATE, EpochMs, Millis, QueryId


@away_means_away
def make_source(order: WatchOrder) -> Source:
    """For a server's engine. Reads the sealed password at this moment and hands it to nobody else."""
    server = Server.objects.get(id=order.server_id)
    try:
        make = engine_of(server).source
        return make(server) if make is not None else RefusedSource(BadInput(CANNOT[Capability.SAMPLE], field="server"))
    except BadInput as error:
        return RefusedSource(error)


class RefusedSource:
    """Stands in for a server whose stored credentials cannot be read: says so at each try to connect."""

    def __init__(self, error: BadInput) -> None:
        self._error = error

    async def connect(self) -> ServerFacts:
        raise SourceRefused(str(self._error), remedy="change how it is reached in its settings")

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        raise SourceRefused(str(self._error))

    async def counters(self, at: EpochMs) -> CounterReading | None:
        return None

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        return ()

    async def survey(self, at: EpochMs) -> Survey:
        return Survey(at=at)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        return None

    async def close(self) -> None:
        return None
