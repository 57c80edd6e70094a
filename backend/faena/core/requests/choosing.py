"""Which requests are kept singly, and for how many others each of them stands.

All failed and slow ones of an endpoint, and some of the others, as long as they are few; of more, a share that is chosen
by a hash of the trace, so that all parts of a trace are kept or none. What is kept with probability p stands for 1 / p.
"""

import hashlib
from collections.abc import Iterable

from faena.core.labels import Labelled
from faena.core.requests.request import Request
from faena.core.requests.sums import TOLERATED

NOTABLE_A_MINUTE = 30  # failed or slow requests of an endpoint that are all kept
ORDINARY_A_MINUTE = 12


class Why(Labelled):
    """Why a request is kept."""

    FAILED = "failed", "failed"
    SLOW = "slow", "slow"
    BLOCKED = "blocked", "waited for a blocked session"
    CHOSEN = "chosen", "chosen by chance"


class Pace:
    """How many requests of an endpoint there were lately. What one is kept with depends on others only, never on itself."""

    def __init__(self) -> None:
        self._minutes: dict[tuple[object, bool], tuple[int, int, int]] = {}  # minute, requests in it, in the one before

    def probability(self, endpoint: object, minute: int, *, notable: bool) -> float:
        """With which the next request of this endpoint and minute is kept; counts it."""
        at, here, before = self._minutes.get((endpoint, notable), (minute, 0, 0))
        if minute > at:
            here, before = 0, here if minute - at == 60_000 else 0
        self._minutes[endpoint, notable] = (max(at, minute), here + 1, before)
        return min(1.0, (NOTABLE_A_MINUTE if notable else ORDINARY_A_MINUTE) / max(here, before, 1))


def why_kept(request: Request, target_ms: float, *, blocked: bool = False) -> Why:
    """The strongest reason."""
    if request.error:
        return Why.FAILED
    if blocked:
        return Why.BLOCKED
    return Why.SLOW if request.duration_ms > TOLERATED * target_ms else Why.CHOSEN


def chosen(trace: bytes, probability: float) -> bool:
    """The same answer for the same trace, whoever asks; a higher probability chooses all that a lower one chooses."""
    place = int.from_bytes(hashlib.blake2b(trace, digest_size=8).digest()) / 2**64
    return place < probability


def weight_of(trace: bytes, probabilities: Iterable[float]) -> float:
    """For how many traces this one stands, when it is kept if any of its requests would be; 0: it is not kept."""
    highest = max(probabilities, default=0.0)
    return 1.0 / highest if highest and chosen(trace, highest) else 0.0
