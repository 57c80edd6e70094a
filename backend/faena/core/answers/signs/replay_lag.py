"""A replica is behind its primary."""

from collections.abc import Iterator

from faena.core.answers.evidence import Evidence
from faena.core.answers.signs.sign import Sign, sign
from faena.core.findings import Finding

TROUBLES_MS = 10_000.0


def replay_lag(evidence: Evidence) -> Iterator[Finding]:
    """From ten seconds on."""
    lag = evidence.vitals().lag_ms
    if lag is not None and lag > TROUBLES_MS:
        yield sign(evidence, Sign.REPLAY_LAG, lag / TROUBLES_MS, f"replay lags by {lag / 1000:.0f} s", "machine")
