"""What others push: checked, then on the same way into the store as what the collector reads."""

from collections.abc import Sequence

from faena.apps.collecting.destinations import Destinations
from faena.apps.hosts import actions as hosts
from faena.collector.kinds import HostRead
from faena.core.readings import HostFigures


def push_figures(machine: str, token: str, readings: Sequence[HostFigures]) -> None:
    """Figures of a machine, by its agent. Raises NotAllowed, BadInput."""
    hosts.admit(machine, token, readings)
    Destinations().store(HostRead, 0, [HostRead(machine=machine, figures=one) for one in readings])
