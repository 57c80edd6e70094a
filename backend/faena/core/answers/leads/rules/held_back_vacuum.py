"""An old snapshot keeps dead rows from being removed, and statements read through them."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import capital, quoted, sessions, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

LEAST_AGE_MS = 5_000
LEAST_LOAD, LEAST_SHARE = 0.25, 0.2
MANY_BLOCKS = 100.0  # that a call touches for each row it returns or changes


def held_back_vacuum(seen: Observed) -> Iterator[Claim]:
    """Dead rows alone harm nobody: a statement must be seen at work on a table full of them, touching far more than it returns."""
    horizon = seen.horizon
    if horizon is None or (horizon.what != "replication slot" and horizon.age_ms < LEAST_AGE_MS):
        return
    dead = {name: (live, many) for name, live, many in horizon.tables}
    working = seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO)
    for query_id, _ in seen.statements(working)[:5]:
        text, work = seen.text(query_id), seen.work.get(query_id)
        table = next((name for name in tables_of(text) if name in dead), "")
        mask = seen.of_statement(query_id) & working
        if not table or work is None or not work.calls or seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE:
            continue
        touched = (work.blocks_hit + work.blocks_read) / max(work.rows, work.calls)
        if touched < MANY_BLOCKS:
            continue
        live, many = dead[table]
        who = f"pid {horizon.pid} of {horizon.program}" if horizon.pid else f"the {horizon.what} {horizon.program}"
        programs = seen.ranked(Dimension.PROGRAM, mask)
        age = f" for {took(horizon.age_ms)}" if horizon.age_ms else ""
        yield Claim(
            kind=LeadKind.HELD_BACK_VACUUM,
            title=f"{capital(who)} keeps {count(many)} dead rows of {table} from being removed",
            mask=mask,
            root=Root(
                statement=seen.text(horizon.query_id), program=horizon.program, table=table, pid=horizon.pid,
                object="" if horizon.pid else horizon.what,
            ),
            chain=(
                Step(f"{sessions(seen.mean(mask))} of {programs[0][0]} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}.", Reference("load")),
                Step(f"A call takes {took(work.mean_ms or 0)} and touches {count(touched)} blocks for each row: {table} has {count(many)} dead rows beside {count(live)} live ones.", Reference("statement", {"query": str(query_id)})),
                Step(f"They cannot be removed, since {who} ({horizon.what}) has had the oldest snapshot{age}.", Reference("sessions")),
            ),
            ruled_out=(not_locks(seen),),
            next_step=_end(horizon.pid, horizon.what, horizon.program, table),
            certainty=0.96,
            about=frozenset((int(query_id),)),
        )  # fmt: skip
        return


def _end(pid: int | None, what: str, name: str, table: str) -> str:
    then = f"VACUUM {table};"
    if pid:
        return f"SELECT pg_terminate_backend({pid});  -- then {then}"
    if what == "prepared transaction":
        return f"ROLLBACK PREPARED '{name}';  -- or COMMIT PREPARED; then {then}"
    return f"See whether anybody still reads from {what} {name}; if not, drop it, then {then}"
