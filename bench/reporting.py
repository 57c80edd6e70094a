"""One line of JSON per measured figure; ./faena bench makes a table of them."""

import json
from collections.abc import Callable
from time import perf_counter

import numpy as np


def report(what: str, value: float, unit: str, *, at_most: float | None = None, note: str = "") -> None:
    """Print a figure; OVER when it exceeds its budget (see docs/architecture.md)."""
    verdict = "-" if at_most is None else "within" if value <= at_most else "OVER"
    budget = "-" if at_most is None else f"≤ {at_most:g} {unit}"
    measured = f"{value:.3g} {unit}" + (f" ({note})" if note else "")
    print(json.dumps({"what": what, "measured": measured, "budget": budget, "verdict": verdict}), flush=True)


def timed(call: Callable[[], object], runs: int = 40) -> tuple[float, float]:
    """Median and 95th percentile of a call, in milliseconds, after three runs to warm up."""
    for _ in range(3):
        call()
    took = []
    for _ in range(runs):
        begun = perf_counter()
        call()
        took.append((perf_counter() - begun) * 1000)
    return float(np.median(took)), float(np.quantile(took, 0.95))
