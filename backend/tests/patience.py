"""How long tests wait for what comes by itself. It costs time only where something is wrong, so that a loaded machine,
which takes ten times as long, need not be told from a fault."""

import time
from collections.abc import Callable

PATIENCE_S = 60.0


def wait_for(condition: Callable[[], object], what: str, *, seconds: float = PATIENCE_S) -> None:
    """Returns soon after the condition holds. Raises AssertionError with what was waited for."""
    end, pause_s = time.monotonic() + seconds, 0.02
    while not condition():
        assert time.monotonic() < end, f"not within {seconds:.0f} s: {what}"
        time.sleep(pause_s)
        pause_s = min(0.3, 1.2 * pause_s)  # looking costs something, too
