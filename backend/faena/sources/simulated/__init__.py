"""Made-up servers behind the same interface as real ones: no network, the same readings for the same seed."""

from faena.sources.simulated.engine import Engine, Hour
from faena.sources.simulated.estate import Estate, read_estate
from faena.sources.simulated.incidents import Incident, read_incidents
from faena.sources.simulated.source import SimulatedSource

__all__ = ["Engine", "Estate", "Hour", "Incident", "SimulatedSource", "read_estate", "read_incidents"]
