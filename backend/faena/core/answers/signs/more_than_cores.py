"""More sessions run than there are cores."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, beyond, sign
from faena.core.findings import Finding

WEIGHT = 1.5


def more_than_cores(evidence: Evidence) -> Iterator[Finding]:
    """They share the cores, and each gets slower."""
    running, cores = evidence.loads().running, evidence.cores
    if cores and running > cores:
        weight = WEIGHT * (running - cores) + beyond(running, evidence.usual_most().running)
        yield sign(
            evidence, Sign.MORE_THAN_CORES, weight, f"{running:.1f} sessions run on {cores} cores", "load", "locks"
        )
