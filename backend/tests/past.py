"""Spans of the made-up past that browser tests look at, and what each of them takes for granted about it.

The past is made relative to the moment of its making, so a browser test proves one day only. `sources/test_pasts.py`
holds every assumption named here against pasts of many other starts, without a browser.
"""

import os
import time
from dataclasses import dataclass, field

DAY_MS = 86_400_000
HOUR_MS = 3_600_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """`days` before the midnight (UTC) of the past's making, from `at` (HH:MM) on.

    `first` names what must rank first in a dimension among the active sessions of the span, narrowed to `picks`.
    """

    server: str
    days: int
    at: str
    minutes: int
    first: dict[str, str] = field(default_factory=dict)
    picks: dict[str, str] = field(default_factory=dict)

    def within(self, anchor_ms: int) -> tuple[int, int]:
        """(start, end) in milliseconds since 1970, for a past made at `anchor_ms`."""
        hours, minutes = map(int, self.at.split(":"))
        start = anchor_ms - anchor_ms % DAY_MS - self.days * DAY_MS + hours * HOUR_MS + minutes * 60_000
        return start, start + self.minutes * 60_000

    def query(self) -> str:
        """For the address of a screen or of the API: `from=…&to=…` in the past of the running trial."""
        start, end = self.within(trial_anchor())
        return f"from={start}&to={end}"


def trial_anchor() -> int:
    """When the past of the running trial was made: told by the set-up, since a run may go over midnight."""
    return int(os.environ.get("FAENA_TRIAL_ANCHOR") or time.time() * 1000)


IDLE_CONSOLE_HOUR = Span(
    server="bookings-main", days=1, at="09:00", minutes=60, first={"kind": "lock", "held_by": "ops-console"}
)
IDLE_CONSOLE_QUEUE = Span(
    server="bookings-main", days=1, at="09:22", minutes=15, picks={"held_by": "ops-console"},
    first={"program": "booking-web"},
)  # fmt: skip
THREE_LAYERS = Span(
    server="bookings-main", days=3, at="14:05", minutes=25, picks={"kind": "lock"}, first={"held_by": "manifest-export"}
)
PLAN_FLIP = Span(
    server="bookings-main",
    days=6,
    at="10:00",
    minutes=300,
    first={"statement": "bookings-of-customer", "kind": "running"},
)
BEFORE_PLAN_FLIP = Span(server="bookings-main", days=6, at="09:00", minutes=60)
CHATTY_DEPLOY = Span(server="bookings-main", days=4, at="10:00", minutes=40)
SPILL = Span(server="warehouse", days=9, at="03:00", minutes=60, first={"program": "nightly-report", "kind": "data_io"})
SINGLE_ROW_COMMITS = Span(
    server="bookings-main", days=8, at="08:00", minutes=50, picks={"statement": "insert-scan"}, first={"kind": "commit"}
)
SPANS = {
    name: span
    for name, span in {
        "idle console, the hour": IDLE_CONSOLE_HOUR,
        "idle console, its queue": IDLE_CONSOLE_QUEUE,
        "three layers": THREE_LAYERS,
        "plan flip": PLAN_FLIP,
        "spill": SPILL,
        "single-row commits": SINGLE_ROW_COMMITS,
    }.items()
    if span.first
}
