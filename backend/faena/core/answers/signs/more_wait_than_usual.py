"""More sessions wait than usual at this time."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, beyond, sign
from faena.core.findings import Finding


def more_wait_than_usual(evidence: Evidence) -> Iterator[Finding]:
    """For whatever; the waterline tells for what."""
    waiting, most = evidence.loads().waiting, evidence.usual_most().waiting
    if weight := beyond(waiting, most):
        words = f"waiting {waiting:.1f}, usually at most {most:.1f}"
        yield sign(evidence, Sign.MORE_WAIT_THAN_USUAL, weight, words, "load", "too few cores")
