"""One line of JSON per measured figure; ./faena bench makes a table of them.

A budget in milliseconds or MB a second means a machine at rest. Machines are noisy, so every such figure is measured
beside a yardstick and judged at the reference pace; what the clock said stands beside it.
"""

import json
from collections.abc import Callable
from time import perf_counter
from typing import NamedTuple

import numpy as np

ADDITIONS = 100_000
REFERENCE_MS = 4.5  # for so many additions on the machine the budgets were set on, when nothing else ran there


def report(
    what: str, value: float, unit: str, *, at_most: float | None = None, note: str = "", clock: float | None = None
) -> None:
    """Print a figure; OVER when it exceeds its budget (see docs/architecture.md).

    `clock`: what was measured before `value` was put at the reference pace.
    """
    verdict = "-" if at_most is None else "within" if value <= at_most else "OVER"
    budget = "-" if at_most is None else f"≤ {at_most:g} {unit}"
    said = [note] if note else []
    if clock is not None:
        said.append(f"{clock:.3g} by the clock, {clock / value:.1f}x the reference pace")
    measured = f"{value:.3g} {unit}" + (f" ({'; '.join(said)})" if said else "")
    print(json.dumps({"what": what, "measured": measured, "budget": budget, "verdict": verdict}), flush=True)


def slowness() -> float:
    """How many times as long as on the reference machine a piece of plain work takes here and now."""
    begun, total = perf_counter(), 0
    for i in range(ADDITIONS):
        total += i
    return (perf_counter() - begun) * 1000 / REFERENCE_MS


class Timing(NamedTuple):
    """Milliseconds of a call at the reference pace, and its 95th percentile by the clock."""

    median: float
    p95: float
    clock_p95: float


def timed(call: Callable[[], object], runs: int = 40) -> Timing:
    """Each run between two looks at the yardstick, after three runs to warm up."""
    for _ in range(3):
        call()
    took, paces = [], []
    before = slowness()
    for _ in range(runs):
        begun = perf_counter()
        call()
        took.append((perf_counter() - begun) * 1000)
        after = slowness()
        paces.append((before + after) / 2)
        before = after
    fair = np.array(took) / np.array(paces)
    return Timing(float(np.median(fair)), float(np.quantile(fair, 0.95)), float(np.quantile(took, 0.95)))
