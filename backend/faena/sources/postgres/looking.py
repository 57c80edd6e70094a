"""What is asked once, when a server is looked at for a cause: plans of its heavy statements, its tables, who watches reads."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import LiteralString

import psycopg
from psycopg.rows import TupleRow

from faena.core.answers.leads.observed import Horizon, PlanFacts
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.errors import BadInput, SourceError
from faena.core.plans.schema import SchemaFacts
from faena.core.sql.names import tables_of
from faena.core.units import QueryId
from faena.sources.postgres.explain import estimate
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.schema import read_schema
from faena.sources.postgres.source import Target

# Whether SERIALIZABLE is in use, how many sessions were begun since the statistics were (from 14 on), and those that are fresh.
_WATCHED_READS: LiteralString = "SELECT EXISTS (SELECT FROM pg_locks WHERE mode = 'SIReadLock')"
_BEGUN: LiteralString = "SELECT coalesce(sum(sessions), 0)::bigint FROM pg_stat_database"
_FRESH: LiteralString = """
    SELECT application_name, coalesce(host(client_addr), 'local'), count(*) FROM pg_stat_activity
     WHERE backend_type = 'client backend' AND backend_start > clock_timestamp() - interval '1 s' AND application_name <> 'faena'
     GROUP BY 1, 2"""
# Who ran which statement last, idle or not, by the server's identifier of statements (from 14 on).
_LAST: LiteralString = """
    SELECT query_id, application_name, count(*) FROM pg_stat_activity
     WHERE backend_type = 'client backend' AND query_id IS NOT NULL AND application_name <> 'faena' GROUP BY 1, 2"""
# The oldest snapshot of all, ours left out; and tables in which many rows are dead.
_OLDEST: LiteralString = """
    SELECT pid, coalesce(nullif(application_name, ''), backend_type), coalesce(state, backend_type), extract(epoch FROM clock_timestamp() - coalesce(xact_start, backend_start)) * 1000,
           age(backend_xmin)
      FROM pg_stat_activity WHERE backend_xmin IS NOT NULL AND pid <> pg_backend_pid() AND application_name <> 'faena'
       AND backend_type <> 'autovacuum worker'
    UNION ALL SELECT NULL, gid, 'prepared transaction', extract(epoch FROM clock_timestamp() - prepared) * 1000, age(transaction)
      FROM pg_prepared_xacts
    UNION ALL SELECT NULL, slot_name, 'replication slot', 0, greatest(age(xmin), age(catalog_xmin))
      FROM pg_replication_slots WHERE xmin IS NOT NULL OR catalog_xmin IS NOT NULL
     ORDER BY 5 DESC NULLS LAST LIMIT 1"""
_DEAD: LiteralString = """
    SELECT relname, n_live_tup::float8, n_dead_tup::float8 FROM pg_stat_user_tables
     WHERE n_dead_tup >= 10000 AND n_dead_tup >= n_live_tup ORDER BY n_dead_tup DESC LIMIT 10"""
TIMEOUT_MS = 2_000
FIRST_WITH_SESSIONS = 140000  # and with the identifier of what a session runs


@dataclass(slots=True)
class Glances:
    """What is asked now and then beside the samples, over a connection of its own. Not safe for concurrent calls.

    `begun` are sessions that the server began between the first glance and the last; None where it does not count them.
    """

    target: Target
    reads_watched: bool = False
    newcomers: Counter[tuple[str, str]] = field(default_factory=Counter)
    begun: int | None = None
    callers: dict[QueryId, Counter[str]] = field(
        default_factory=dict
    )  # programs whose session ran it last, when looked at
    looks: int = 0
    _first: int | None = None
    _connection: psycopg.Connection[TupleRow] | None = None

    def take(self) -> None:
        """Raises SourceError."""
        try:
            if self._connection is None:
                self._connection = psycopg.connect(self.target.conninfo(), autocommit=True)
                self._connection.execute(f"SET statement_timeout = {TIMEOUT_MS}")
            ask = self._connection.execute
            (watched,) = ask(_WATCHED_READS).fetchall()
            self.reads_watched = self.reads_watched or bool(watched[0])
            self.looks += 1
            for program, client, many in ask(_FRESH).fetchall():
                self.newcomers[program or "unnamed", client] += many
            if self._connection.info.server_version >= FIRST_WITH_SESSIONS:
                ((many,),) = ask(_BEGUN).fetchall()
                self._first = many if self._first is None else self._first
                self.begun = many - self._first
                for query_id, program, sessions in ask(_LAST).fetchall():
                    self.callers.setdefault(QueryId(query_id), Counter())[program] += sessions
        except psycopg.Error as error:
            raise as_source_error(error, self.target.where) from error

    def begun_in(self, seconds: float) -> float | None:
        """Sessions that the server began in so many seconds: as it counts them, or by those that were a second old at most."""
        if self.begun is not None:
            return float(self.begun)
        return sum(self.newcomers.values()) / self.looks * seconds if self.looks else None

    def close(self) -> None:
        if self._connection is not None:
            self._connection.close()


def horizon_of(target: Target, queries: Mapping[int, QueryId]) -> Horizon | None:
    """Who holds back the removal of dead rows, where there are many; `queries` are the last statements by pid.

    Raises SourceError.
    """
    try:
        with psycopg.connect(target.conninfo(), autocommit=True) as connection:
            connection.execute(f"SET statement_timeout = {TIMEOUT_MS}")
            tables = connection.execute(_DEAD).fetchall()
            oldest = connection.execute(_OLDEST).fetchone() if tables else None
    except psycopg.Error as error:
        raise as_source_error(error, target.where) from error
    if oldest is None:
        return None
    pid, program, what, age_ms, _ = oldest
    return Horizon(
        pid=pid, program=program, what=what, query_id=queries.get(pid or 0), age_ms=float(age_ms),
        tables=[(name, live, dead) for name, live, dead in tables],
    )  # fmt: skip


def plans_of(target: Target, statements: Mapping[QueryId, str]) -> dict[QueryId, PlanFacts]:
    """Estimated plans of statements of the database that the target names, with what is found in them and the indexes
    they would gain from. One of which the server tells no plan is left out."""
    names = sorted({table for text in statements.values() for table in tables_of(text)})
    if not names:
        return {}
    try:
        schema = read_schema(target, names)
    except SourceError:
        return {}
    found = {}
    for query_id, text in statements.items():
        facts = _plan_of(target, text, schema)
        if facts is not None:
            found[query_id] = facts
    return found


def _plan_of(target: Target, text: str, schema: SchemaFacts) -> PlanFacts | None:
    assert POSTGRES.plans is not None
    assert POSTGRES.indexes is not None
    try:
        plan = POSTGRES.plans.read(estimate(target, text, None))
    except (BadInput, SourceError):  # what cannot be asked about, for instance a command of maintenance
        return None
    proposals, _ = POSTGRES.indexes.propose(plan, schema)
    return PlanFacts(
        cost=plan.root.cost_total or 0.0, findings=POSTGRES.plans.ledger(plan).findings, proposals=proposals,
        whole="$" not in text, indexes={one.full_name: one.indexes for one in schema.tables},
    )  # fmt: skip
