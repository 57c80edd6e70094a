"""Who stood in whose way over a window, tick by tick."""

from collections import defaultdict
from dataclasses import replace

import numpy as np

from faena.apps.locks.actions import to_core
from faena.apps.locks.models import LockKind, LockWait
from faena.core.readings import LockEdge
from faena.core.series.window import Window
from faena.core.sessions.frame import Ints
from faena.core.units import Pid

MOST_READ = 100_000  # the oldest of a window; by then each object was told often enough


def edges_by_tick(server_id: int, window: Window, tick_ms: Ints) -> dict[int, list[LockEdge]]:
    """By the place of the tick in `tick_ms`; only the one to blame of each waiter. Names of prepared transactions included."""
    kinds = {row.code: to_core(row) for row in LockKind.objects.filter(server_id=server_id)}
    rows = LockWait.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, place=0)
    found = defaultdict[int, list[LockEdge]](list)
    columns = rows.order_by("at_ms", "waiter").values_list(
        "at_ms", "waiter", "blocker", "code", "which", "gid", "waited_ms"
    )
    for at, waiter, blocker, code, which, gid, waited in columns[:MOST_READ]:
        tick = int(np.searchsorted(tick_ms, at))
        fact = kinds.get(code)
        if fact is None or tick >= len(tick_ms) or tick_ms[tick] != at:
            continue
        if gid:
            fact = replace(fact, gid=gid)
        found[tick].append(LockEdge(waiter=Pid(waiter), blocker=Pid(blocker), fact=fact, which=which, waited_ms=waited))
    return dict(found)
