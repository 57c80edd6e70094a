"""The kinds of records that come in, each in a file of its own: the record, and how it is written on a line."""

from faena.collector.intake import Intake
from faena.collector.kinds import counted, host, learned, logged, noted, sampled, surveyed, traced
from faena.collector.kinds.counted import Counted
from faena.collector.kinds.host import HostRead
from faena.collector.kinds.learned import Learned
from faena.collector.kinds.logged import Logged
from faena.collector.kinds.noted import Noted
from faena.collector.kinds.sampled import Sampled
from faena.collector.kinds.surveyed import Surveyed
from faena.collector.kinds.traced import Traced

INTAKE = Intake(
    (sampled.KIND, counted.KIND, learned.KIND, noted.KIND, surveyed.KIND, host.KIND, logged.KIND, traced.KIND)
)

__all__ = ["INTAKE", "Counted", "HostRead", "Learned", "Logged", "Noted", "Sampled", "Surveyed", "Traced"]
