"""More sessions run than usual at this time, and the cores suffice."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, beyond, sign
from faena.core.findings import Finding


def more_run_than_usual(evidence: Evidence) -> Iterator[Finding]:
    """Where they do not suffice, that is the sign."""
    running, cores = evidence.loads().running, evidence.cores
    most = evidence.usual_most().running
    if not (cores and running > cores) and (weight := beyond(running, most)):
        words = f"running {running:.1f}, usually at most {most:.1f}"
        yield sign(evidence, Sign.MORE_RUN_THAN_USUAL, weight, words, "load", "too few cores" if cores else "locks")
