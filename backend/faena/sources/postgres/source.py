"""Asks a PostgreSQL server, over two kept connections: one for the samples, one for everything slower."""

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from time import perf_counter
from typing import LiteralString

import numpy as np
import psycopg
from psycopg.rows import TupleRow

from faena.core.engines.postgres.telling import quoted
from faena.core.errors import BadInput, SourceAway, SourceError, SourceRefused, SourceUnfit
from faena.core.logged import CaptureRules, LogPosition, LogReading
from faena.core.privacy import Normalised
from faena.core.readings import (
    COUNTER_FIELDS,
    ENDED,
    PREPARED,
    CounterKey,
    CounterReading,
    Processes,
    SampleReading,
    ServerFacts,
    SessionSample,
    StatementText,
    Survey,
)
from faena.core.sql.texts import conceal, fingerprint
from faena.core.statements.figures import sum_of_squares
from faena.core.units import NOT_LATE, EpochMs, Millis, Pid, QueryId
from faena.sources.machine import NotReadable, ServerProcesses
from faena.sources.postgres import queries
from faena.sources.postgres.catalogue import CatalogueReader
from faena.sources.postgres.locks import LockReader, in_order_of_blame
from faena.sources.postgres.log import ServerLog, log_grant
from faena.sources.postgres.queries import SessionRow
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.surveys import Counts, survey_between

SAMPLE_TIMEOUT_MS = 900  # a sample that takes longer would run into the next one
SLOW_TIMEOUT_MS = 10_000
_GIVEN_UP = ("55P03", "57014")  # waited for a lock, took too long
MAX_SEEN_TEXTS = 20_000  # bounds memory on a server whose statements never repeat


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """How to reach a server. The password never appears in repr, logs or errors."""

    host: str
    port: int = 5432
    database: str = "postgres"
    user: str = "faena"
    password: str = field(default="", repr=False)
    address: str = (
        ""  # to connect to instead of asking for the host's address again; the name stays for its certificate
    )
    sslmode: str = "prefer"
    passfile: str = ""  # on the machine of web server and collector
    service: str = ""  # a name of pg_service.conf there; what stands here beside it wins over what stands there
    connect_timeout_s: int = 4
    log: str = ""  # a path the collector can read, "server" for reading it through the server, empty for not at all

    @property
    def where(self) -> str:
        """For messages: the address, or the service that knows it."""
        return f"{self.host}:{self.port}" if self.host else f"service {self.service}"

    def conninfo(self) -> str:
        return psycopg.conninfo.make_conninfo(
            host=self.host or None,
            hostaddr=self.address or None,
            port=self.port if self.host else None,
            dbname=self.database or None,
            user=self.user or None,
            password=self.password or None,
            passfile=self.passfile or None,
            service=self.service or None,
            sslmode=self.sslmode,
            connect_timeout=self.connect_timeout_s,
            application_name=queries.OWN_NAME,
            # One round trip less per sample: no transaction is opened around it, and nothing may ever linger.
            # A server whose machine is gone answers nothing at all, not even that; libpq finds that out by itself.
            keepalives_idle=5,
            keepalives_interval=2,
            keepalives_count=2,
            tcp_user_timeout=6000,
            options="-c lock_timeout=1000 -c idle_in_transaction_session_timeout=10000 -c jit=off",
        )


def target_from_dsn(dsn: str) -> Target:
    """From a connection string of libpq. Raises BadInput."""
    try:
        given = psycopg.conninfo.conninfo_to_dict(dsn)
    except psycopg.ProgrammingError as error:
        raise BadInput(f"the connection string cannot be read: {error}".strip(), field="dsn") from error
    names = {"host": "host", "dbname": "database", "user": "user", "password": "password", "service": "service"}
    told = {ours: str(given[theirs]) for theirs, ours in (*names.items(), ("sslmode", "sslmode")) if given.get(theirs)}
    return Target(**{"host": "127.0.0.1", **told}, port=int(given.get("port") or 5432))  # type: ignore[arg-type]


class PostgresSource:
    """One watched server. Not safe for concurrent calls of the same method; the collector never makes them."""

    def __init__(self, target: Target, looked_up: Callable[[Target], Target] = lambda target: target) -> None:
        """`looked_up` finds the address of the target at each connecting, and may refuse it by BadInput."""
        self._target, self._looked_up = target, looked_up
        self._where, self._reached = target.where, target
        self._quick: psycopg.AsyncConnection[TupleRow] | None = None
        self._slow: psycopg.AsyncConnection[TupleRow] | None = None
        self._version = 0
        self._databases: dict[int, str] = {}
        self._roles: dict[int, str] = {}
        self._seen_texts: dict[QueryId, Normalised] = {}  # of sampled statements without an quoted, by our fingerprint
        self._locks = LockReader(self._ask_quickly, self._ask_slowly)
        self._surveyed: Counts | None = None
        self._catalogue = CatalogueReader(self._ask_slowly)
        self._processes: ServerProcesses | None = None
        self._log: ServerLog | None = None
        self._known_as: dict[QueryId, QueryId] = {}  # our fingerprint of a text to the server's quoted

    async def connect(self) -> ServerFacts:
        """Both connections and what the server says of itself. Raises SourceAway, SourceRefused or SourceUnfit."""
        await self.close()
        self._databases, self._roles, self._processes = {}, {}, None
        try:
            self._reached = await asyncio.to_thread(self._looked_up, self._target)
        except BadInput as error:
            raise SourceRefused(str(error), remedy="change where the server is in its settings") from None
        try:
            self._quick = await self._open(SAMPLE_TIMEOUT_MS)
            self._slow = await self._open(SLOW_TIMEOUT_MS)
            row = await (await self._slow.execute(queries.FACTS)).fetchone()
            assert row is not None
            version, text, started, max_connections, standby, has_counters, reads_all = row
            settings: dict[str, str] = dict(await (await self._slow.execute(queries.SETTINGS)).fetchall())
            own = await (await self._quick.execute(queries.OWN_PROCESS)).fetchone()
            assert own is not None
        except psycopg.Error as error:
            await self.close()
            raise as_source_error(error, self._where) from error
        if version < queries.OLDEST:
            await self.close()
            raise SourceUnfit(f"{self._where} is PostgreSQL {text}; Faena needs 12 or newer", remedy="upgrade it")
        if not reads_all:
            await self.close()
            raise SourceUnfit(
                f"{self._where}: user {self._target.user!r} may not see what other sessions do",
                remedy=f"GRANT pg_read_all_stats TO {quoted(self._target.user)};",
            )
        self._version = version
        self._locks.begin(version)
        if self._target.log:
            self._log = ServerLog(self._target.log, settings, self._ask_slowly, self._identify)
        return ServerFacts(
            version=version,
            version_text=text,
            started=EpochMs(started),
            max_connections=max_connections,
            settings=settings,
            in_recovery=standby,
            has_statement_counters=has_counters,
            processes=self._find_processes(*own),
        )

    def _find_processes(self, pid: int, started_s: float, cluster: str) -> Processes:
        """Whether the server runs on this machine; our own session's process tells."""
        try:
            self._processes = ServerProcesses.around(pid, started_s, cluster)
        except NotReadable:
            return Processes.REFUSED
        return Processes.ELSEWHERE if self._processes is None else Processes.SEEN

    def _rights_lost(self) -> SourceRefused:
        return SourceRefused(
            f"{self._where}: user {self._target.user!r} may not see what other sessions do any more",
            remedy=f"GRANT pg_read_all_stats TO {quoted(self._target.user)};",
        )

    async def _open(self, timeout_ms: int) -> psycopg.AsyncConnection[TupleRow]:
        connection = await psycopg.AsyncConnection.connect(self._reached.conninfo(), autocommit=True)
        await connection.execute(f"SET statement_timeout = {int(timeout_ms)}")
        return connection

    async def _ask(
        self,
        connection: psycopg.AsyncConnection[TupleRow] | None,
        query: LiteralString,
        args: Sequence[object] | None = None,
        *,
        binary: bool = True,
    ) -> list[TupleRow]:
        if connection is None or connection.closed:
            raise SourceAway(f"{self._where} is not connected")
        try:
            async with connection.cursor(binary=binary) as cursor:
                # Prepared at first use: the plan is kept, which halves the cost of a sample.
                await cursor.execute(query, args or None, prepare=True)
                return await cursor.fetchall()
        except psycopg.Error as error:
            raise as_source_error(error, self._where) from error

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        """All sessions that are active or hold a transaction, their ages at `due`. Raises SourceError."""
        begun = perf_counter()
        rows = await self._sessions(queries.sample(self._version))
        if rows and not rows[0].allowed:
            raise self._rights_lost()
        took = Millis((perf_counter() - begun) * 1000)
        disk = self._processes.read() if self._processes else None
        seen = {row.pid for row in rows}
        away = {pid for row in rows for pid in row.blocked_by or () if pid > 0} - seen
        rested = {one.pid for one in disk.processes if one.pid != ENDED} - seen - away if disk else set()
        beside = (
            await self._sessions(queries.sample(self._version, only=True), [sorted(away | rested)])
            if away or rested
            else []
        )
        rows += [row for row in beside if row.pid in away]
        resting = [row for row in beside if row.pid in rested]
        edges = await self._locks.edges(rows) if any(row.blocked_by for row in rows) else []
        if any(row.database not in self._databases or row.user not in self._roles for row in rows + resting):
            await self._learn_names(rows + resting)
        sessions = [self._session(row, late) for row in rows]
        in_order = tuple(in_order_of_blame(sessions, edges))
        if disk and resting:
            disk = replace(disk, resting=tuple(self._session(row, late) for row in resting))
        return SampleReading(due=due, took=took, sessions=in_order, edges=tuple(edges), late=late, disk=disk)

    async def _sessions(self, query: LiteralString, args: Sequence[object] | None = None) -> list[SessionRow]:
        return list(map(SessionRow._make, await self._ask(self._quick, query, args)))

    async def _learn_names(self, rows: Sequence[SessionRow]) -> None:
        """What databases and roles are called; a number without a name (dropped meanwhile, none) is called nothing."""
        self._databases = dict.fromkeys((row.database for row in rows), "") | dict(
            await self._ask(self._slow, queries.DATABASES)
        )
        self._roles = dict.fromkeys((row.user for row in rows), "") | dict(await self._ask(self._slow, queries.ROLES))

    def _session(self, row: SessionRow, late: Millis) -> SessionSample:
        query_id = self._identify(row.text) if row.text and row.query_id is None else row.query_id
        backend = row.backend or "unknown process"
        return SessionSample(
            pid=Pid(row.pid),
            started_s=row.started_s or 0,
            # Background processes report no state; one that does something is as active as a client.
            state=row.state or "active",
            wait_type=row.wait_type or "",
            wait_event=row.wait_event or "",
            query_id=QueryId(query_id) if query_id else None,
            database=self._databases[row.database],
            user=self._roles[row.user],
            program=row.program or ("unnamed" if backend == "client backend" else backend),
            client=row.client or "",
            backend=backend,
            blocked_by=tuple(Pid(blocker) if blocker else PREPARED for blocker in dict.fromkeys(row.blocked_by or ())),
            leader=None if row.leader is None else Pid(row.leader),
            transaction_ms=row.age_ms(row.transaction_at, late),
            statement_ms=row.age_ms(row.statement_at, late),
            context=row.context or "",
        )

    def _identify(self, text: str) -> QueryId:
        """The server's quoted of a statement it counted before under the same text, else our own fingerprint."""
        mine = fingerprint(text)
        if mine not in self._known_as and len(self._seen_texts) < MAX_SEEN_TEXTS:
            self._seen_texts.setdefault(mine, conceal(text))
        return self._known_as.get(mine, mine)

    async def counters(self, at: EpochMs) -> CounterReading | None:
        """Cumulative statement counters; None where the extension is not there. Raises SourceError."""
        begun = perf_counter()
        try:
            rows = await self._ask(self._slow, queries.counters(self._version))
            # After the counters: had the right been lost before them, it would be lost now.
            state = await self._ask(self._slow, queries.counters_state(self._version))
        except SourceError as error:
            if isinstance(error.__cause__, psycopg.errors.UndefinedFunction | psycopg.errors.UndefinedTable):
                return None
            raise
        started, reset_at, evictions, allowed = state[0]
        if not allowed:
            raise self._rights_lost()
        # Entries of dropped databases stay, and all of them have no name any more: they count as one.
        at_row: dict[CounterKey, int] = {}
        values, since = np.zeros((len(rows), len(COUNTER_FIELDS))), np.zeros(len(rows))
        for row in rows:
            key = CounterKey(query_id=QueryId(row[0]), database=row[1] or "", user=row[2] or "", toplevel=row[3])
            calls, total, mean, stddev = row[4:8]
            squares = sum_of_squares(calls, mean, stddev)
            i = at_row.setdefault(key, len(at_row))
            values[i] += (calls, total, squares, row[8], row[9], *row[11:19], float(row[10]))
            since[i] = max(since[i], row[19] or 0.0)
        return CounterReading(
            at=at,
            took=Millis((perf_counter() - begun) * 1000),
            server_started=EpochMs(started),
            keys=tuple(at_row),
            values=values[: len(at_row)],
            reset_at=None if reset_at is None else EpochMs(reset_at),
            evictions=evictions,
            entry_since=since[: len(at_row)] if since.any() else None,
        )

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        """Texts with placeholders; of a statement that never ended yet, its running text without literals."""
        found = {i: self._seen_texts[i] for i in wanted if i in self._seen_texts}
        try:
            rows = await self._ask(self._slow, queries.TEXTS, [list(wanted)])
            found.update((QueryId(i), conceal(text)) for i, text in rows)
            self._known_as.update((fingerprint(text), QueryId(i)) for i, text in rows)
        except SourceError as error:
            if not isinstance(error.__cause__, psycopg.errors.UndefinedFunction):
                raise
        missing = [i for i in wanted if i not in found]
        if missing and self._version >= 140000:
            rows = await self._ask(self._slow, queries.TEXTS_RUNNING, [missing])
            found.update((QueryId(i), conceal(text)) for i, text in rows)
        return [StatementText(query_id=i, text=text) for i, text in found.items()]

    async def survey(self, at: EpochMs) -> Survey:
        """Vitals of the server and figures of its tables since the survey before. Raises SourceError.

        One that took too long, or would have had to wait for a lock, is left out: the next one counts for both.
        """
        try:
            (counts,) = await self._ask(self._slow, queries.VITALS)
            tables = await self._ask(self._slow, queries.TABLES)
        except SourceAway as error:
            if getattr(error.__cause__, "sqlstate", None) in _GIVEN_UP:
                return Survey(at=at)
            raise
        before, self._surveyed = self._surveyed, Counts(at=at, vitals=counts, tables=tables)
        return replace(survey_between(before, self._surveyed), catalogue=await self._catalogue.read(at))

    async def _ask_quickly(self, query: LiteralString, args: Sequence[object] | None) -> list[TupleRow]:
        return await self._ask(self._quick, query, args)

    async def _ask_slowly(self, query: LiteralString, args: Sequence[object] | None) -> list[TupleRow]:
        return await self._ask(self._slow, query, args)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        """What was logged since `position`. Raises SourceError, also where the log is not ours to read."""
        if self._log is None:
            return None
        try:
            found = await self._log.read(position, rules)
            return replace(found, events=tuple([await self._locks.with_names(one) for one in found.events]))
        except SourceError as error:
            if isinstance(error.__cause__, psycopg.errors.InsufficientPrivilege):
                raise SourceRefused(
                    f"{self._where}: its log is not ours to read", remedy=log_grant(self._target.user)
                ) from error
            state = getattr(error.__cause__, "sqlstate", None) or ""
            if state and state[:2] not in ("08", "57"):  # the server answers, so it costs the log and not the watch
                raise SourceRefused(
                    f"{self._where}: its log cannot be read (SQLSTATE {state})",
                    remedy="see that its log_directory exists and that it may read there",
                ) from error
            raise

    async def close(self) -> None:
        for connection in (self._quick, self._slow):
            if connection is not None:
                await connection.close()
        self._quick = self._slow = None
