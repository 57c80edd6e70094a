"""Who stood in whose way over a window, tick by tick."""

from collections import defaultdict
from dataclasses import replace

from django.db import connection

from faena.apps.locks.actions import to_core
from faena.apps.locks.models import LockKind
from faena.core.readings import LockEdge
from faena.core.series.window import Window
from faena.core.sessions.frame import Ints
from faena.core.units import Pid

MOST_READ = 100_000  # the oldest of a window; by then each object was told often enough


def edges_by_tick(server_id: int, window: Window, tick_ms: Ints) -> dict[int, list[LockEdge]]:
    """By the place of the tick in `tick_ms`; only the one to blame of each waiter. Names of prepared transactions included."""
    kinds = {row.code: to_core(row) for row in LockKind.objects.filter(server_id=server_id)}
    found = defaultdict[int, list[LockEdge]](list)
    places = {at: place for place, at in enumerate(tick_ms.tolist())}
    query = (
        "SELECT at_ms, waiter, blocker, code, which, gid, waited_ms FROM locks_lockwait "
        "WHERE server_id = %s AND at_ms >= %s AND at_ms < %s AND place = 0 ORDER BY at_ms, waiter LIMIT %s"
    )
    with connection.cursor() as cursor:  # a window of a long queue has tens of thousands
        cursor.execute(query, [server_id, window.start, window.end, MOST_READ])
        for at, waiter, blocker, code, which, gid, waited in cursor.fetchall():
            tick, fact = places.get(at), kinds.get(code)
            if tick is None or fact is None:
                continue
            if gid:
                fact = replace(fact, gid=gid)
            found[tick].append(
                LockEdge(waiter=Pid(waiter), blocker=Pid(blocker), fact=fact, which=which, waited_ms=waited)
            )
    return dict(found)
