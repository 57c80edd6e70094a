"""Nothing is known of the server now."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, sign
from faena.core.findings import Finding

WEIGHT = 1000.0  # whatever else: nothing is known of it


def unreachable(evidence: Evidence) -> Iterator[Finding]:
    """Alone: what was seen before says nothing of now."""
    reach = evidence.reach()
    if not reach.known:
        yield sign(evidence, Sign.UNREACHABLE, WEIGHT, reach.words, "settings")
