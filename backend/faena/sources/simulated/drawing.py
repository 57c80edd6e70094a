"""Incidents drawn by chance: of any kind that the simulator can play, of any size and time, with decoys beside them.

A drawing is a function of its seed. Seeds below MEASURING are for tuning rules; those from it on are for measuring, and no
rule is looked at by them.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from faena.sources.simulated.incidents import (
    MS_PER_MINUTE,
    Activity,
    Calls,
    Cost,
    Deadlock,
    Effect,
    Hold,
    Incident,
    ReplayStops,
    Retries,
    Turns,
)

MEASURING = 10_000
TWO_AT_ONCE = 0.6  # tried; of some servers no other cause can be played beside the first, so that about a third are two
DECOY = 0.6  # of the incidents have something beside them that looks like trouble and is none
Random = np.random.Generator
MAIN, REPLICA_A, REPLICA_B, WAREHOUSE, CREW = (
    "bookings-main", "bookings-replica-a", "bookings-replica-b", "warehouse", "crew",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """What is at fault, as it must be named: its kind, or one of kinds that say the same, and its program and table where
    there is one to name; "" any."""

    kinds: tuple[str, ...]
    server: str
    effects: Sequence[Effect]
    program: str = ""
    table: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """Minutes are after midnight. `causes` are one or two, all at once on the same server."""

    seed: int
    server: str
    minute: int
    minutes: int
    causes: Sequence[Cause]
    decoys: Sequence[Effect]

    def incidents(self, days_ago: float) -> list[Incident]:
        """As the engine plays them."""
        effects = [one for cause in self.causes for one in cause.effects]
        return [
            Incident(
                name=f"drawn-{self.seed}", server=self.server, days_ago=days_ago, at_ms=self.minute * MS_PER_MINUTE,
                length_ms=self.minutes * MS_PER_MINUTE, cause="drawn", effects=[*effects, *self.decoys],
            )
        ]  # fmt: skip


def _between(random: Random, low: float, high: float) -> float:
    """Evenly on a logarithmic scale, since sizes are."""
    return float(np.exp(random.uniform(np.log(low), np.log(high))))


def _one(random: Random, of: Sequence[str]) -> str:
    return of[int(random.integers(len(of)))]


def _whole(random: Random, low: int, high: int) -> int:
    return int(random.integers(low, high + 1))


def _idle(random: Random) -> Cause:
    who = _one(random, ("ops-console", "nightly-report", "maintenance"))
    return Cause(
        kinds=("idle_transaction",), server=MAIN, program=who,
        effects=[
            Hold(
                hold="popular sailing", holder=who, statement="console-look", state="idle",
                share=_between(random, 0.1, 0.6),
            )
        ],
    )  # fmt: skip


def _working(random: Random) -> Cause:
    who = _one(random, ("manifest-export", "nightly-report", "ops-console"))
    text = _one(
        random,
        (
            "UPDATE deck_slot SET held_for = NULL WHERE sailing_id IN (SELECT id FROM sailing WHERE state = $1)",
            "DELETE FROM deck_slot WHERE held_until < $1",
        ),
    )
    return Cause(
        kinds=("lock_chain",), server=MAIN, program=who,
        effects=[
            Hold(
                hold="popular sailing", holder=who, text=text, state="working", share=_between(random, 0.1, 0.6)
            )
        ],
    )  # fmt: skip


def _advisory(random: Random) -> Cause:
    who = _one(random, ("ops-console", "manifest-export"))
    return Cause(
        kinds=("advisory_lock",), server=MAIN, program=who,
        effects=[
            Hold(
                hold="popular sailing", holder=who, text="SELECT pg_advisory_lock($1)", state=_one(random, ("idle", "working")),
                share=_between(random, 0.1, 0.6), wait="Lock:advisory",
            )
        ],
    )  # fmt: skip


def _index_build(random: Random) -> Cause:
    return Cause(
        kinds=("maintenance",), server=CREW, program="maintenance", table="duty",
        effects=[
            Hold(
                hold="duty roster", holder="maintenance", text=_one(random, ("CREATE INDEX duty_week ON duty (week)", "ALTER TABLE duty ADD COLUMN note text DEFAULT $1", "VACUUM FULL duty")),
                state="reading", share=_between(random, 0.5, 1.0), wait="Lock:relation", least=2.0,
            )
        ],
    )  # fmt: skip


def _hot_row(random: Random) -> Cause:
    return Cause(
        kinds=("hot_row",), server=MAIN, program="booking-web", table="deck_slot",
        effects=[Turns(turns="hold-slot", sessions=_whole(random, 6, 24), held_ms=_between(random, 60, 400))],
    )  # fmt: skip


def _deadlocks(random: Random) -> Cause:
    return Cause(
        kinds=("deadlock_pattern",), server=MAIN,
        effects=[Deadlock(deadlock=("hold-slot", "reprice-sailing"), pairs=_whole(random, 3, 20))],
    )  # fmt: skip


def _retries(random: Random) -> Cause:
    return Cause(
        kinds=("conflict_retries",), server=MAIN, program="booking-web",
        effects=[Retries(retries="insert-booking", per_s=_between(random, 1.0, 12.0))],
    )  # fmt: skip


def _plan(random: Random) -> Cause:
    return Cause(
        kinds=("plan_change",), server=MAIN, program="booking-web", table="booking",
        effects=[
            Cost(
                cost="bookings-of-customer", cpu=_between(random, 25, 80), reads=_between(random, 4, 25),
                plan="Limit  (cost=0.43..38.90 rows=20 width=26)\n  ->  Index Scan Backward using booking_pkey on booking b  "
                "(cost=0.43..61544.20 rows=32000 width=26)\n        Filter: (customer_id = $1)\n",
            )
        ],
    )  # fmt: skip


def _missing_index(random: Random) -> Cause:
    column, table = _one(random, ("note", "phone", "voucher")), "booking"
    return Cause(
        kinds=("missing_index",), server=MAIN, program="booking-web", table=table,
        effects=[
            Calls(
                calls="bookings-of-customer", to=_between(random, 4, 12),
                text=f"SELECT id, reference, state FROM {table} WHERE {column} = $1", cpu_ms=_between(random, 150, 350),
                reads=_between(random, 20, 200), host="127.0.1.11",
                plan=f"Seq Scan on {table}  (cost=0.00..61544.20 rows=3 width=26)\n  Filter: ({column} = $1)\n",
            )
        ],
    )  # fmt: skip


def _deep_paging(random: Random) -> Cause:
    return Cause(
        kinds=("deep_paging",), server=MAIN, program="booking-web", table="booking",
        effects=[
            Calls(
                calls="bookings-of-customer", to=_between(random, 4, 12), host="127.0.1.12", cpu_ms=_between(random, 150, 350),
                text="SELECT id, reference, state FROM booking ORDER BY id OFFSET $1 LIMIT $2", reads=_between(random, 20, 200),
                plan="Limit  (cost=51544.20..51546.10 rows=50 width=26)\n  ->  Index Scan using booking_pkey on booking  "
                "(cost=0.43..61544.20 rows=1600000 width=26)\n",
            )
        ],
    )  # fmt: skip


def _grown(random: Random) -> Cause:
    where, key, program = (
        (REPLICA_A, "customer-history", "booking-web"),
        (CREW, "duties-of-week", "crew-planner"),
        (WAREHOUSE, "revenue-by-route", "ops-console"),
    )[_whole(random, 0, 2)]
    times = _between(random, 8, 20)
    return Cause(
        kinds=("volume_growth",), server=where, program=program,  # which of the joined tables grew is not told by reads
        effects=[Cost(cost=key, cpu=times, reads=times)],
    )  # fmt: skip


def _sale(random: Random) -> Cause:
    where, key, program, rate = (
        (MAIN, "sailing-search", "booking-web", _between(random, 750, 1100)),
        (CREW, "duties-of-week", "crew-planner", _between(random, 300, 500)),
        (REPLICA_B, "timetable", "booking-web", _between(random, 1350, 2000)),
    )[_whole(random, 0, 2)]
    return Cause(kinds=("cpu_saturation",), server=where, program=program, effects=[Calls(calls=key, to=rate)])


def _reader(random: Random) -> Cause:
    return Cause(
        kinds=("disk_saturation",), server=MAIN, program="nightly-report", table="gate_scan",
        effects=[
            Activity(
                activity="nightly-report", text="SELECT gate, count(*) FROM gate_scan GROUP BY gate ORDER BY 2 DESC",
                sessions=_whole(random, 2, 4), io=0.95, reads_per_s=_between(random, 17_000, 24_000),
            )
        ],
    )  # fmt: skip


def _reindex(random: Random) -> Cause:
    text = _one(
        random,
        (
            "REINDEX TABLE CONCURRENTLY gate_scan",
            "VACUUM FULL gate_scan",
            "CREATE INDEX CONCURRENTLY gate_scan_at ON gate_scan (scanned_at)",
        ),
    )
    return Cause(
        kinds=("maintenance",), server=MAIN, program="maintenance", table="gate_scan",
        effects=[
            Activity(
                activity="maintenance", text=text, sessions=_whole(random, 1, 3), io=0.95,
                reads_per_s=_between(random, 17_000, 24_000),
            )
        ],
    )  # fmt: skip


def _neighbour(random: Random) -> Cause:
    return Cause(
        kinds=("neighbour",), server=CREW,
        effects=[
            Activity(
                activity="stock-feed", text="COPY fact_stock FROM STDIN", sessions=_whole(random, 2, 6), io=0.9,
                reads_per_s=_between(random, 10_500, 14_000), on=WAREHOUSE,
            )
        ],
    )  # fmt: skip


def _commits(random: Random) -> Cause:
    return Cause(
        kinds=("commit_rate",), server=MAIN, program="gate-scan", table="gate_scan",
        effects=[Calls(calls="insert-scan", to=_between(random, 2000, 3500))],
    )  # fmt: skip


def _spill(random: Random) -> Cause:
    return Cause(
        kinds=("spill",), server=WAREHOUSE, program="nightly-report",
        effects=[
            Activity(
                activity="nightly-report",
                text="SELECT c.name, f.day_id, sum(f.revenue) OVER (PARTITION BY c.id ORDER BY f.day_id) FROM fact_sailing f "
                "JOIN dim_customer c ON c.id = f.customer_id ORDER BY 3 DESC",
                sessions=_whole(random, 3, 8), io=0.7, reads_per_s=_between(random, 800, 3000), wait="IO:BufFileWrite",
                temp_mb=_between(random, 1500, 8000),
            )
        ],
    )  # fmt: skip


def _runaway(random: Random) -> Cause:
    return Cause(
        kinds=("runaway_statement",), server=CREW, program="ops-console",
        effects=[
            Activity(
                activity="ops-console", sessions=_whole(random, 2, 4), io=0.0, reads_per_s=2.0, wait="",
                text=_one(random, ("SELECT count(*) FROM duty d, crew_member m WHERE d.week > $1", "SELECT * FROM duty a, duty b WHERE a.week < b.week")),
            )
        ],
    )  # fmt: skip


def _slow_client(random: Random) -> Cause:
    who = _one(random, ("manifest-export", "stock-feed", "nightly-report"))
    return Cause(
        kinds=("slow_client",), server=_one(random, (MAIN, WAREHOUSE)), program=who,
        effects=[
            Activity(
                activity=who, text="SELECT * FROM passenger WHERE sailing_id > $1", sessions=_whole(random, 2, 6), io=0.95,
                reads_per_s=5.0, wait="Client:ClientWrite",
            )
        ],
    )  # fmt: skip


def _inside(random: Random) -> Cause:
    wait = _one(random, ("LWLock:BufferMapping", "LWLock:LockManager", "LWLock:ProcArray", "LWLock:SubtransSLRU"))
    return Cause(
        kinds=("internal_contention",), server=_one(random, (MAIN, REPLICA_B)),
        effects=[
            Activity(
                activity="gate-scan", text="SELECT t.id, t.state FROM ticket t WHERE t.code = $1", sessions=_whole(random, 8, 20),
                io=0.9, reads_per_s=1.0, wait=wait,
            )
        ],
    )  # fmt: skip


def _replay(random: Random) -> Cause:
    return Cause(
        kinds=("replica_conflict",), server=REPLICA_B, program="nightly-report",
        effects=[
            ReplayStops(replay_stops=True, conflicts_per_minute=_between(random, 1, 8)),
            Activity(
                activity="nightly-report", sessions=_whole(random, 1, 3), io=0.5, reads_per_s=_between(random, 200, 1500),
                text="SELECT r.origin, r.destination, count(*) FROM booking b JOIN sailing s ON s.id = b.sailing_id JOIN route r ON r.id = s.route_id GROUP BY 1, 2",
            ),
        ],
    )  # fmt: skip


def _old_host(random: Random) -> Cause:
    host = _one(random, ("127.0.1.11", "127.0.1.12", "127.0.1.13"))
    return Cause(
        kinds=("host_version",), server=REPLICA_A, program="booking-web",
        effects=[
            Calls(
                calls="customer-history", to=_between(random, 8, 16), host=host, cpu_ms=_between(random, 120, 260),
                text="SELECT b.*, s.* FROM booking b, sailing s WHERE s.id = b.sailing_id AND b.customer_id IN (SELECT id FROM customer WHERE household_id = $1)",
                reads=_between(random, 60, 200),
            )
        ],
    )  # fmt: skip


CAUSES: Mapping[str, Callable[[Random], Cause]] = {
    "idle_transaction": _idle, "lock_chain": _working, "advisory_lock": _advisory, "maintenance (lock)": _index_build,
    "hot_row": _hot_row, "deadlock_pattern": _deadlocks, "conflict_retries": _retries, "plan_change": _plan,
    "missing_index": _missing_index, "deep_paging": _deep_paging, "volume_growth": _grown, "cpu_saturation": _sale,
    "disk_saturation": _reader, "maintenance (disk)": _reindex, "neighbour": _neighbour, "commit_rate": _commits,
    "spill": _spill, "runaway_statement": _runaway, "slow_client": _slow_client, "internal_contention": _inside,
    "replica_conflict": _replay, "host_version": _old_host,
}  # fmt: skip

# What looks like trouble and harms nobody: a report, a transaction left open that blocks nobody, a sleeper, more calls.
DECOYS: Sequence[Callable[[Random, str], Effect]] = (
    lambda random, _: Activity(
        activity="nightly-report", text="SELECT day_id, sum(revenue) FROM month_end GROUP BY day_id", sessions=1,
        io=_between(random, 0.1, 0.6), reads_per_s=_between(random, 50, 500),
    ),
    lambda _, __: Hold(
        hold="nothing", holder="ops-console", text="SELECT name FROM vessel WHERE id = $1", state="idle", share=0.0
    ),
    lambda _, __: Activity(
        activity="ops-console", text="SELECT pg_sleep($1)", sessions=1, io=1.0, reads_per_s=0.0, wait="Timeout:PgSleep"
    ),
    lambda random, _: Activity(
        activity="maintenance", text="VACUUM vessel", sessions=1, io=0.6, reads_per_s=_between(random, 50, 400)
    ),
)  # fmt: skip


def draw(seed: int) -> Drawn:
    """One incident, or two at once, with its time, size and decoys."""
    random = np.random.default_rng([seed, 15])
    names = list(CAUSES)
    first = CAUSES[names[seed % len(names)]](random)  # each kind as often as another
    causes = [first]
    if random.random() < TWO_AT_ONCE:
        others = [make(random) for make in CAUSES.values()]
        fitting = [one for one in others if one.server == first.server and _beside(first, one)]
        causes += [fitting[int(random.integers(len(fitting)))]] if fitting else []
    decoys = [DECOYS[int(random.integers(len(DECOYS)))](random, first.server)] if random.random() < DECOY else []
    taken = {getattr(one, "activity", "") or getattr(one, "holder", "") for cause in causes for one in cause.effects}
    decoys = [one for one in decoys if (getattr(one, "activity", "") or getattr(one, "holder", "")) not in taken]
    return Drawn(
        seed=seed, server=first.server, minute=_whole(random, 8 * 60, 18 * 60), minutes=_whole(random, 12, 40),
        causes=causes, decoys=decoys,
    )  # fmt: skip


def _beside(one: Cause, other: Cause) -> bool:
    """Two that the simulator can play at once: neither the same thing held, nor the same statement changed."""
    if one.kinds == other.kinds:
        return False
    holds = [sum(isinstance(e, Hold) for e in cause.effects) for cause in (one, other)]
    changed = [
        {getattr(e, "calls", "") or getattr(e, "cost", "") for e in cause.effects} - {""} for cause in (one, other)
    ]
    return not all(holds) and not (changed[0] & changed[1])
