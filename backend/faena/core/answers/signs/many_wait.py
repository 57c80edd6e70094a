"""Many sessions wait, while nobody knows yet what is usual."""

from collections.abc import Iterator
from math import isnan

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, sign
from faena.core.findings import Finding

MANY = 5.0  # sessions, or as many as there are cores


def many_wait(evidence: Evidence) -> Iterator[Finding]:
    """Those that wait for locks are a sign of their own."""
    loads = evidence.loads()
    for_no_lock = loads.waiting - loads.blocked
    most = max(MANY, evidence.cores or 0)
    if isnan(evidence.usual_most().waiting) and for_no_lock > most:
        words = f"{for_no_lock:.1f} sessions wait, and what is usual is not known yet"
        yield sign(evidence, Sign.MANY_WAIT, for_no_lock - most, words, "load", "too few cores")
