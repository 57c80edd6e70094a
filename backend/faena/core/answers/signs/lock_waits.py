"""Sessions wait for locks that others hold."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, sign
from faena.core.findings import Finding

LEAST_SESSIONS = 0.5
WEIGHT = 2.0  # each of them is at a stand


def lock_waits(evidence: Evidence) -> Iterator[Finding]:
    """From half a session on."""
    blocked = evidence.loads().blocked
    if blocked >= LEAST_SESSIONS:
        words = f"{blocked:.1f} sessions wait for locks"
        yield sign(evidence, Sign.LOCK_WAITS, WEIGHT * blocked, words, "blocking", "disk", "too few cores")
