"""How often answers are right: simulations whose truth is known, against the figures that Faena would tell.

Indexes are tried by the tests (tests/sources/test_index_battery.py), which make each one on a server; here their cases
are counted: how many right ones are found, and how many are proposed that cannot serve.
"""

import os
import sys
from bisect import insort
from collections.abc import Callable
from pathlib import Path
from random import Random

import numpy as np
import psycopg
from faena.core.answers.dearer import dearer_since
from faena.core.engines.postgres.indexes.fromplan import facts_of
from faena.core.engines.postgres.indexes.proposals import propose
from faena.core.hosts.whatif import in_system, what_if
from faena.core.series.certainty import sessions_margin, share_margin, spread
from faena.core.series.usual import departures, usual
from faena.core.series.window import Window
from faena.core.units import MS_PER_DAY, EpochMs
from faena.sources.postgres import Target
from faena.sources.postgres.schema import read_schema
from faena.testing.nights import day_of_load, days_alike
from reporting import report

TESTS = Path(__file__).parents[1] / "backend" / "tests"
ROUNDS = 600


def margins() -> None:
    """Coverage of 95% intervals: each wait begins at a moment by chance, lasts so long, and is sampled once a second."""
    for name, lasting, together in (
        ("waits of 50 ms", 0.05, 1),
        ("waits of 3 s", 3.0, 1),
        ("waits of 50 ms in bursts of ten", 0.05, 10),
    ):
        report(f"margin of a mean, {name}: truth outside of 95%", 100 * missed(lasting, together), "%", at_most=7.0)
    chance, outside = Random(3), 0
    for _ in range(ROUNDS):
        truth = chance.choice([0.02, 0.1, 0.3, 0.7])
        seen = sum(chance.random() < truth for _ in range(60))
        outside += abs(seen / 60 - truth) > share_margin(seen, 60)
    report("margin of a share of 60 sightings: truth outside of 95%", 100 * outside / ROUNDS, "%", at_most=7.0)


def missed(lasting: float, together: int) -> float:
    """Share of windows of two minutes whose true mean load lies outside of the margin of what was seen.

    Of those in which anything was seen: how large bursts are that were never seen, nobody can tell.
    """
    chance, seconds, outside, windows = Random(7), 120, 0, 0
    for _ in range(ROUNDS):
        begun = [
            chance.uniform(-lasting, seconds)
            for _ in range(max(1, round(chance.uniform(20, 400) * 0.2 / lasting / together)))
        ]
        truth = together * sum(min(seconds, at + lasting) - max(0.0, at) for at in begun) / seconds
        phase = chance.random()
        counts = np.zeros(seconds)
        for at in begun:
            for tick in range(max(0, int(at) - 1), min(seconds, int(at + lasting) + 2)):
                counts[tick] += together * (at <= tick + phase < at + lasting)
        seen = int(counts.sum())
        if not seen:
            continue
        windows += 1
        outside += abs(seen / seconds - truth) > sessions_margin(seen, seconds, float(spread(counts)))
    return outside / windows


def dearer() -> None:
    """A statement of heavy-tailed cost (log-normal, sigma 1.2) in 60 buckets: unchanged, or three times as dear from the middle on."""
    for calls in (3, 30, 300):
        for name, factor in (("unchanged", 1.0), ("three times as dear from the middle on", 3.0)):
            told = sum(was_told(Random(seed), calls, factor) for seed in range(300)) / 300
            if factor == 1.0:
                report(f"dearer, {calls} calls a bucket, {name}: told all the same", 100 * told, "%", at_most=5.0)
            else:
                report(f"dearer, {calls} calls a bucket, {name}: not told", 100 * (1 - told), "%")


def was_told(chance: Random, calls: int, factor: float) -> bool:
    buckets = 60
    mean = float(np.exp(1.2**2 / 2))
    cost = [
        sum(chance.lognormvariate(0, 1.2) for _ in range(calls)) / calls * (factor if i >= buckets // 2 else 1.0)
        for i in range(buckets)
    ]
    return dearer_since(range(buckets), 1, cost, [mean] * buckets, [float(calls)] * buckets) is not None


def closed_pool() -> None:
    """A pool of 24 sessions that think for a second between statements of 0.4 s: what half and twice the cores would show."""
    seen = played(24, 1.0, 0.4, 8)
    for cores in (4, 16):
        (told,) = what_if(np.full(20, seen), seen, 8, [cores], np.full(20, 24.0))
        truth = played(24, 1.0, 0.4, cores)
        found = told.running + (told.queueing or 0.0)
        report(
            f"what-if of a closed pool, {cores} cores instead of 8: off by",
            100 * abs(found - truth) / truth,
            "%",
            at_most=15.0,
        )
    offered = 5.0
    (told,) = what_if(np.full(20, in_system(8, offered)), 6.0, 8, [6])
    truth = in_system(6, offered)
    report(
        "what-if of work that comes at random, 6 cores instead of 8: off by",
        100 * abs(told.running + (told.queueing or 0) - truth) / truth,
        "%",
        at_most=15.0,
    )


def played(sessions: int, think: float, service: float, cores: int) -> float:
    """Mean sessions that run or wait for a core, of a closed pool played event by event."""
    chance, now, area, busy, queue = Random(5), 0.0, 0.0, 0, 0
    events = sorted((chance.expovariate(1 / think), "asks") for _ in range(sessions))
    for _ in range(60_000):
        at, what = events.pop(0)
        area += (busy + queue) * (at - now)
        now = at
        if what == "asks":
            queue += 1
        else:
            busy -= 1
            insort(events, (now + chance.expovariate(1 / think), "asks"))
        if queue and busy < cores:
            queue, busy = queue - 1, busy + 1
            insort(events, (now + chance.expovariate(1 / service), "done"))
    return area / now


def usual_cells() -> None:
    """False alarms of what is usual, by how many days alike stand behind it and by how much days differ; and what is found."""
    monday = 1_763_337_600_000  # 2025-11-17
    today = Window(start=EpochMs(monday), end=EpochMs(monday + MS_PER_DAY))
    for differs, most in ((0.0, 1.0), (0.2, 2.0)):
        for days in (3, 5, 10, 20, 27):
            chance, false, found, rounds = np.random.default_rng(days), 0.0, 0, 30
            for _ in range(rounds):
                band = usual(days_alike(chance, days, monday, differs=differs, late_s=60), today, 1000)
                quiet, busy = (
                    day_of_load(chance, differs=differs, late_s=60, busy=one) for one in (None, (43_200, 900, 2.0))
                )
                false += sum(d.end - d.start for d in departures(quiet.T, band, today)) / 2 / MS_PER_DAY / rounds
                found += any(
                    d.size > 0 and d.start < monday + 44_100_000 and d.end > monday + 43_200_000
                    for d in departures(busy.T, band, today)
                )
            said = f"usual from {days} days alike, " + ("identical" if not differs else "that differ by 20%")
            report(f"{said}: cells told as unusual all the same", 100 * false, "%", at_most=most)
            report(f"{said}: twice the work for a quarter of an hour, not told", 100 * (1 - found / rounds), "%")


def indexes() -> None:
    """The cases of the tests on the bench's own server, judged by statistics and by the plan alone."""
    sys.path[:0] = [str(TESTS / "sources"), str(TESTS)]
    os.environ["FAENA_TEST_FERRIES"] = f"24751:{os.environ['FAENA_BENCH_FERRY_PASSWORD']}"
    import test_index_battery as battery
    from watched import PASSWORD, PORT, owner

    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS harbour WITH (FORCE)")
        keeper.execute("CREATE DATABASE harbour")
    with owner("harbour") as session:
        session.execute(battery.SETUP.encode())
        session.execute("VACUUM ANALYZE")
        schema = read_schema(
            Target(
                host="127.0.0.1",
                port=PORT,
                database="harbour",
                user="keeper",
                password=PASSWORD,
            )
        )
        for name, judge in (
            ("a server's statistics", lambda plan: propose(plan, schema)),
            ("the plan alone", lambda plan: propose(plan, facts_of(plan))),
        ):
            found = counted(session, battery.FOUND, battery.explained, judge, want=True)
            wrong = counted(session, battery.NOT_FOUND, battery.explained, judge, want=False)
            total = len(battery.FOUND)
            report(f"indexes by {name}: right ones not found, of {total}", total - found, "", note=f"{found} found")
            report(
                f"indexes by {name}: proposed though they cannot serve, of {len(battery.NOT_FOUND)}",
                wrong,
                "",
                at_most=0 if name[0] == "a" else None,
            )
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE harbour WITH (FORCE)")


def counted(session: psycopg.Connection, cases: dict, explained: Callable, judge: Callable, *, want: bool) -> int:  # type: ignore[type-arg]
    """Cases of which one proposal for the table says what is wanted; or of which any is made, where none may be."""
    count = 0
    for case in cases.values():
        mine = [one.ddl for one in judge(explained(session, case))[0] if one.table == case.table]
        count += any(case.wanted in ddl for ddl in mine) if want else bool(mine)
    return count


if __name__ == "__main__":
    margins()
    dearer()
    closed_pool()
    usual_cells()
    indexes()
