"""Transactions were ended because of deadlocks."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, sign
from faena.core.findings import Finding

WEIGHT = 2.0  # of each


def deadlocks_lately(evidence: Evidence) -> Iterator[Finding]:
    """In the last hour."""
    deadlocks = evidence.vitals().deadlocks
    if deadlocks >= 1:
        words = f"{deadlocks:.0f} deadlocks in the last hour"
        yield sign(evidence, Sign.DEADLOCKS, WEIGHT * deadlocks, words, "deadlocks")
