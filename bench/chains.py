"""Building chains for 1,000 sessions of which 500 wait, and time lost over an hour of them."""

import random

import numpy as np
from faena.core.engines.postgres.locks.table import LockedThing, LockRow, Names, edges_of
from faena.core.locks.chains import chains_at
from faena.core.locks.history import episodes, roots_of
from faena.core.readings import SessionSample
from faena.core.sessions.frame import SessionFrame
from faena.core.units import Pid
from reporting import report, timed

SESSIONS, WAITERS, ROOTS = 1000, 500, 12
PERIOD_MS = 1000


def moment() -> tuple[list[SessionSample], list[LockRow], dict[Pid, list[int]]]:
    """Queues behind a dozen roots, each waiter behind the root and all that came before it in its queue, as a server tells."""
    chance = random.Random(5)
    queues: dict[int, list[int]] = {}
    sessions, rows, blocked = [], [], {}
    for pid in range(1, SESSIONS + 1):
        ahead: list[int] = []
        if pid > SESSIONS - WAITERS:
            root = chance.randint(1, ROOTS)
            queue = queues.setdefault(root, [])
            ahead = [root, *queue]
            thing = LockedThing("relation", 1, 1000 + root)
            rows.append(LockRow(pid, thing, "3/1", "AccessExclusiveLock", False, 10 * len(queue)))
            queue.append(pid)
            blocked[Pid(pid)] = ahead
        elif pid <= ROOTS:
            rows.append(LockRow(pid, LockedThing("relation", 1, 1000 + pid), "3/1", "AccessExclusiveLock", True))
        rows += [LockRow(pid, LockedThing("relation", 1, 2000 + i), "3/1", "AccessShareLock", True) for i in range(4)]
        sessions.append(
            SessionSample(
                pid=Pid(pid), started_s=1, state="active", wait_type="Lock" if ahead else "", blocked_by=tuple(map(Pid, ahead[:1])),
                transaction_ms=chance.randint(0, 9000),
            )
        )  # fmt: skip
    return sessions, rows, blocked


def main() -> None:
    sessions, rows, blocked = moment()
    names = Names(relations={1000 + i: (f"t{i}", "") for i in range(1, ROOTS + 1)}, database=1)
    edges = edges_of(rows, blocked, {}, names)
    _, both, clock = timed(lambda: chains_at(sessions, edges_of(rows, blocked, {}, names)))
    note = f"{len(edges)} edges from {len(rows)} entries of the lock table"
    report(
        "edges and chains of 1,000 sessions, 500 waiting, p95",
        both,
        "ms",
        at_most=PERIOD_MS / 5,
        note=note,
        clock=clock,
    )
    alone = timed(lambda: chains_at(sessions, edges)).p95
    report("chains alone, p95", alone, "ms", note="from edges that are there")
    ticks = 3600
    pid = np.array([one.pid for one in sessions], dtype=np.int64)
    blocker = np.array([one.blocked_by[0] if one.blocked_by else 0 for one in sessions], dtype=np.int64)
    zeros = np.zeros(ticks * SESSIONS, dtype=np.int64)
    frame = SessionFrame(
        tick_ms=np.arange(ticks, dtype=np.int64) * 1000,
        tick=np.repeat(np.arange(ticks, dtype=np.int64), SESSIONS),
        pid=np.tile(pid, ticks),
        blocker=np.tile(blocker, ticks),
        **dict.fromkeys(("code", "started_s", "transaction_ms", "statement_ms"), zeros),
    )
    hour = timed(lambda: episodes(frame, roots_of(frame), frame.blocker != 0), runs=3).p95
    report("time lost over an hour of them (3.6 million samples)", hour, "ms")


if __name__ == "__main__":
    main()
