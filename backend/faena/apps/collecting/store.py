"""The collector's store: PostgreSQL through Django. Every error of the connection becomes StoreAway."""

import logging
import socket
import time
from collections.abc import Callable, Iterator, Sequence
from functools import wraps
from itertools import chain, groupby
from pathlib import Path
from typing import Any, ParamSpec, TypeVar, assert_never

from django.db import IntegrityError, InterfaceError, OperationalError, close_old_connections, connection, transaction

from faena.apps.collecting import schema
from faena.apps.collecting.models import CollectorState
from faena.apps.hosts import actions as hosts
from faena.apps.locks import actions as locks
from faena.apps.locks import deadlocks
from faena.apps.plans import actions as plan_actions
from faena.apps.plans import selectors as plans
from faena.apps.samples.actions import Codebook, store_ticks
from faena.apps.samples.closing import close_hours, forget_before, sum_up_missed
from faena.apps.servers import actions as servers
from faena.apps.servers import vitals
from faena.apps.servers.capture import CLOSE_WATCH_MS
from faena.apps.servers.engines import engine_of
from faena.apps.servers.models import Server
from faena.apps.statements import actions as statements
from faena.apps.statements import hours, logged
from faena.collector.jobs import PartFailed
from faena.collector.records import Counted, HostRead, Learned, Logged, Noted, Record, Sampled, Surveyed, WatchOrder
from faena.core.engines.profile import CANNOT, Capability
from faena.core.errors import BadInput, SourceRefused, StoreAway
from faena.core.logged import CaptureRules, EventKind, Execution, LogEvent, LogPosition, LogReading
from faena.core.ports import Source
from faena.core.readings import CounterReading, SampleReading, ServerFacts, StatementText, Survey
from faena.core.series.schedule import read_schedule
from faena.core.units import NOT_LATE, EpochMs, Millis, QueryId, Seconds

log = logging.getLogger(__name__)
P = ParamSpec("P")
R = TypeVar("R")
MS_PER_DAY = 86_400_000
COLLECTOR_KEPT_MS = 7 * MS_PER_DAY  # a collector that was not seen for so long is not shown any more


def _away_means_away(call: Callable[P, R]) -> Callable[P, R]:
    @wraps(call)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return call(*args, **kwargs)
        except (OperationalError, InterfaceError) as error:
            connection.close()
            raise StoreAway(str(error)) from error
        finally:
            close_old_connections()

    return guarded


class DjangoStore:
    """Implements `collector.records.Store`. Called from one thread at a time per method."""

    def __init__(self, state_dir: Path) -> None:
        # The same installation takes its servers up again at once after a crash; another one waits for the lease.
        self._holder = f"{socket.gethostname()}:{state_dir}"
        self._codebooks: dict[int, Codebook] = {}
        self._kindbooks: dict[int, locks.KindBook] = {}

    @_away_means_away
    def report(self, status: dict[str, Any]) -> None:
        """How this collector does, for every web server to see. Raises StoreAway."""
        try:
            schema.require_known()
            standing_by = False
        except StoreAway:
            standing_by = True
        CollectorState.objects.update_or_create(
            holder=self._holder,
            defaults={"version": schema.tag(), "seen_ms": status["at"], "standing_by": standing_by, "state": status},
        )

    @_away_means_away
    def orders(self) -> list[WatchOrder]:
        """The servers leased to this collector, the lease renewed. Raises StoreAway."""
        schema.require_known()
        now_ms = int(time.time() * 1000)
        return [_order(server, now_ms) for server in servers.lease(self._holder)]

    @_away_means_away
    def log_position(self, server_id: int) -> LogPosition | None:
        """How far the log was read. Raises StoreAway."""
        return logged.position(server_id)

    @_away_means_away
    def deliver(self, records: list[Record]) -> None:
        """Store all records, each once. Raises StoreAway; then repeat with the same records."""
        schema.require_known()
        known = set(Server.objects.values_list("id", flat=True))
        # What waited while the store was away is mixed; a transaction for each server and kind, not for each record.
        together = sorted(records, key=lambda r: (r.server_id, type(r).__name__))
        try:
            for (kind, server_id), group in groupby(together, key=lambda r: (type(r), r.server_id)):
                if (
                    server_id in known or kind is HostRead
                ):  # readings of a server that was removed meanwhile have no home
                    self._store(server_id, kind, list(group))
        except (OperationalError, InterfaceError):
            self._codebooks.clear()
            self._kindbooks.clear()
            raise

    def _store(self, server_id: int, kind: type[Record], records: list[Record]) -> None:
        if kind is Sampled:
            ticks = [(r.reading, r.missed) for r in records if isinstance(r, Sampled)]
            try:
                self._store_ticks(server_id, ticks)
            except IntegrityError:  # another collector had the server meanwhile and gave out codes we do not know
                self._codebooks.pop(server_id, None)
                self._kindbooks.pop(server_id, None)
                self._store_ticks(server_id, ticks)
            return
        if kind is Logged:
            self._store_log(server_id, [r.reading for r in records if isinstance(r, Logged)])
            return
        for record in records:
            match record:
                case Counted(delta=delta):
                    statements.store_work(server_id, delta)
                case Learned(texts=texts):
                    statements.learn_texts(server_id, texts)
                case Noted(at=at, event=event, detail=detail, facts=facts):
                    servers.note(server_id, at, event, detail, facts)
                case Surveyed(survey=survey):
                    servers.store_survey(server_id, survey)
                    hosts.store_survey(server_id, survey)
                case HostRead(machine=machine, figures=figures):
                    hosts.store_host(machine, [figures])
                case Sampled() | Logged():
                    raise AssertionError("groups are of one kind")
                case _:
                    assert_never(record)

    @transaction.atomic
    def _store_ticks(self, server_id: int, ticks: Sequence[tuple[SampleReading, int]]) -> None:
        """Sessions and what they wait for, together or not at all."""
        if server_id not in self._codebooks:
            self._codebooks[server_id] = Codebook(server_id)
        fresh = store_ticks(server_id, ticks, self._codebooks[server_id])
        if any(reading.edges for reading in fresh):
            if server_id not in self._kindbooks:
                self._kindbooks[server_id] = locks.KindBook(server_id)
            locks.store_waits(server_id, fresh, self._kindbooks[server_id])

    def _store_log(self, server_id: int, readings: Sequence[LogReading]) -> None:
        """Several readings of one log as if they had been one."""
        last = readings[-1]
        reading = LogReading(
            position=last.position,
            executions=tuple(chain.from_iterable(one.executions for one in readings)),
            events=tuple(chain.from_iterable(one.events for one in readings)),
            unreadable=sum(one.unreadable for one in readings),
            behind=last.behind,
        )
        shapes = plan_actions.capture(server_id, reading.executions)
        literals = Server.objects.filter(id=server_id, keep_parameters=True).exists()
        logged.store_log(server_id, reading, shapes, literals=literals)
        if any(one.kind is EventKind.DEADLOCK for one in reading.events):
            # In order of time, since what was told before says who the survivors are.
            told: list[Execution | LogEvent] = [*reading.executions, *reading.events]
            told.sort(key=lambda one: one.ended if isinstance(one, Execution) else one.at)
            deadlocks.store(server_id, told, literals=literals)
        if any(one.plan for one in reading.executions):
            deadlocks.judge_again(server_id, reading.executions)


def _order(server: Server, now_ms: int) -> WatchOrder:
    """A close watch is part of what is ordered, so that it ends by itself, and goes on after a restart."""
    close = now_ms < server.close_watch_until_ms
    return WatchOrder(
        server_id=server.id,
        name=server.name,
        revision=server.revision,
        source={"engine": server.engine},
        period_ms=min(CLOSE_WATCH_MS, server.period_ms) if close else server.period_ms,
        schedule=() if close else read_schedule(server.schedule),
        counters_every_ms=server.counters_every_ms,
        rules=CaptureRules(
            slow_ms=0 if close else server.slow_ms,
            fast_share=server.fast_share,
            parameters=close or server.keep_parameters,
        ),
    )


class RefusedSource:
    """Stands in for a server whose stored credentials cannot be read: says so at each try to connect."""

    def __init__(self, error: BadInput) -> None:
        self._error = error

    async def connect(self) -> ServerFacts:
        raise SourceRefused(str(self._error), remedy="change how it is reached in its settings")

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        raise SourceRefused(str(self._error))

    async def counters(self, at: EpochMs) -> CounterReading | None:
        return None

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        return ()

    async def survey(self, at: EpochMs) -> Survey:
        return Survey(at=at)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        return None

    async def close(self) -> None:
        return None


@_away_means_away
def make_source(order: WatchOrder) -> Source:
    """The adapter for a server's engine. Reads the sealed password at this moment and hands it to nobody else."""
    server = Server.objects.get(id=order.server_id)
    make = engine_of(server).source
    try:
        return make(server) if make is not None else RefusedSource(BadInput(CANNOT[Capability.SAMPLE], field="server"))
    except BadInput as error:
        return RefusedSource(error)


@_away_means_away
def keep_house(now_ms: int) -> None:
    """Close hours and drop what is older than each server's retention. Safe to run at any time, by anyone.

    What fails of one server keeps nothing else from being done. Raises PartFailed at the end, which names it.
    """
    schema.require_known()
    CollectorState.objects.filter(seen_ms__lt=now_ms - COLLECTOR_KEPT_MS).delete()
    plans.forget_old()
    failed = []
    for server in Server.objects.all():
        for what, act in _house_of(server, now_ms):
            try:
                act()
            except (OperationalError, InterfaceError):
                raise
            except Exception as error:
                log.exception("housekeeping of server %s: %s", server.pk, what)
                failed.append(f"{what} of {server.name} ({type(error).__name__})")
    if failed:
        more = f" and {len(failed) - 3} more" if len(failed) > 3 else ""
        raise PartFailed("; ".join(failed[:3]) + more)


def _house_of(server: Server, now_ms: int) -> Iterator[tuple[str, Callable[[], object]]]:
    """Named steps of one server's housekeeping, to be run one by one."""
    one = server.pk
    samples, sums, counters, runs, machine = (
        now_ms - days * MS_PER_DAY
        for days in (
            server.sample_retention_days, server.sum_retention_days, server.counter_retention_days,
            server.execution_retention_days, server.machine_retention_days,
        )
    )  # fmt: skip
    yield "closing hours", lambda: close_hours(one, now_ms)
    yield "summing up", lambda: sum_up_missed(one)
    yield "summing up statements", lambda: hours.sum_up(one, now_ms)
    yield "forgetting samples", lambda: forget_before(one, samples, sums)
    yield "forgetting locks", lambda: locks.forget_before(one, samples)
    yield "forgetting statements", lambda: statements.forget_before(one, counters)
    yield "forgetting executions", lambda: logged.forget_before(one, runs)
    yield "forgetting deadlocks", lambda: deadlocks.forget_before(one, runs)
    yield "forgetting plans", lambda: plans.forget_captured(one, runs)
    yield "forgetting vitals", lambda: vitals.forget_before(one, machine)
    yield "forgetting its machine", lambda: hosts.forget_before(one, server.machine, machine)


HOUSEKEEPING_EVERY_S = Seconds(60.0)
