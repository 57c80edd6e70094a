"""What the signs share: their kinds, and how one is told."""

from enum import StrEnum
from math import isnan

from faena.core.answers.evidence import Evidence
from faena.core.findings import Finding, Reference, Severity

SLACK_SESSIONS = 0.5  # beyond the usual band, before it is worth a word
URGENT_SESSIONS = 2.0  # that have it worse, from which somebody should look now


class Sign(StrEnum):
    """The value is the word in the API."""

    UNREACHABLE = "unreachable"
    LOCK_WAITS = "lock_waits"
    MORE_THAN_CORES = "more_than_cores"
    MORE_RUN_THAN_USUAL = "more_run_than_usual"
    MORE_WAIT_THAN_USUAL = "more_wait_than_usual"
    MANY_WAIT = "many_wait"
    REPLAY_LAG = "replay_lag"
    DEADLOCKS = "deadlocks"


def sign(evidence: Evidence, kind: Sign, weight: float, sentence: str, view: str, *rules_out: str) -> Finding:
    """A sign that is seen in a view of the server, over the window of the evidence."""
    window = {"from": str(evidence.window.start), "to": str(evidence.window.end)}
    return Finding(
        kind=kind,
        severity=Severity.NOW if weight >= URGENT_SESSIONS else Severity.SOON,
        sentence=sentence,
        weight=weight,
        at_stake_ms=weight * evidence.window.length_ms,
        evidence=(Reference(f"/servers/{evidence.server_id}/{view}", window),),
        rules_out=rules_out,
    )


def beyond(load: float, most: float) -> float:
    """Sessions on top of the usual; 0 within it, or where either is not known."""
    return 0.0 if isnan(load) or isnan(most) or load <= most + SLACK_SESSIONS else load - most
