"""A made-up server behind the same interface as a real one: no network, the same readings for the same seed."""

from faena.sources.simulated.source import SimulatedSource

__all__ = ["SimulatedSource"]
