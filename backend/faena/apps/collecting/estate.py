"""The made-up estate: reads its description, makes its servers, fills in their past."""

from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context
from typing import Any

import django
import numpy as np
from django.db import connections, transaction

from faena.apps.answers.remembering import remember
from faena.apps.hosts.actions import copy_host, copy_tables
from faena.apps.locks import deadlocks
from faena.apps.locks.actions import put_waits
from faena.apps.plans.actions import capture_many
from faena.apps.requests.made import put_made
from faena.apps.samples.closing import Columns, put_hours
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.models import Chunk
from faena.apps.servers import holdings
from faena.apps.servers.engines import SIMULATED
from faena.apps.servers.models import Server
from faena.apps.servers.simulation import description, engine_of
from faena.apps.servers.vitals import copy_vitals
from faena.apps.statements.actions import WorkSpan, copy_work, learn_texts
from faena.apps.statements.hours import sum_up
from faena.apps.statements.logged import copy_executions, put_events
from faena.core.logged import EventKind, Execution
from faena.core.readings import LockEdge, StatementText, TableFigures
from faena.core.sql.texts import conceal
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs
from faena.sources.simulated import Engine, Hour
from faena.sources.simulated.engine import texts_of
from faena.sources.simulated.executions import hour_executions
from faena.sources.simulated.lockwaits import deadlock_events, edges_of, retry_events
from faena.sources.simulated.requests import hour_requests
from faena.sources.simulated.source import session_of
from faena.sources.simulated.vitals import host_minutes, table_figures, vital_minutes
from faena.sources.simulated.work import hour_work

SEED = 7
TOOK_US = 400
TABLES_S = 1800  # figures of tables of the past stand for so many seconds each
COUNTED_S = 600  # statement counters of the past stand for so many seconds each
EXECUTION_S = 120  # one execution of each statement of the past stands for so many seconds
HOURS_AT_A_TIME = 12
REQUEST_DAYS = 7  # before the present have requests, so that the past is made in time


def make_servers(now_ms: int) -> list[Server]:
    """The estate's servers, made once; their incidents count back from the full hour of their making."""
    estate, _ = description()
    made = []
    for one in estate.servers.values():
        simulation = {"server": one.name, "anchor": now_ms - now_ms % MS_PER_HOUR, "seed": SEED}
        server, _ = Server.objects.get_or_create(
            name=one.name,
            defaults={
                "engine": SIMULATED.name,
                "database": one.group or one.name,
                "host": "simulated",
                "cores": one.cores,
                "group": one.group,
                "storage": one.disk,
                "machine": one.name,
                "simulation": simulation,
            },
        )
        made.append(server)
    return made


def fill_past(servers: Sequence[Server], days: int, now_ms: int, workers: int = 2) -> Iterator[float]:
    """Make and store so many days before each server's anchor, and from there on to now; yields the share done.

    Hours stored before are kept, so that a filling broken off goes on where it was.
    """
    tasks = list[tuple[int, int, int]]()
    for server in servers:
        assert server.simulation is not None
        last = server.simulation["anchor"]
        step = HOURS_AT_A_TIME * MS_PER_HOUR
        stored = set(Chunk.objects.filter(server_id=server.id).values_list("hour_ms", flat=True))
        starts = [*range(last - days * MS_PER_DAY, last, step), last]
        tasks += [(server.id, at, now_ms) for at in starts if at not in stored]
        _learn(server)
    connections.close_all()
    with ProcessPoolExecutor(workers, mp_context=get_context("spawn"), initializer=django.setup) as pool:
        waiting = [pool.submit(fill_hours, *task) for task in tasks]
        for done, future in enumerate(as_completed(waiting), start=1):
            future.result()
            yield done / len(tasks)
        # At once, since what is usual of a statement is told from summed hours.
        summed = [pool.submit(sum_up, server.id, now_ms, at_most=days * 24 + 24) for server in servers]
        for summing in as_completed(summed):
            summing.result()
        # What is usual is known by now, and with it what was not.
        for remembering in as_completed([pool.submit(_remember, server.id, now_ms) for server in servers]):
            remembering.result()


def _remember(server_id: int, now_ms: int) -> None:
    remember(Server.objects.get(id=server_id), description()[1], now_ms)


def _learn(server: Server) -> None:
    """All texts and codes that any hour can bring, so that workers side by side need not agree on codes."""
    engine = engine_of(server.simulation or {})
    texts = texts_of(engine.estate, engine.incidents, engine.server.name)
    learn_texts(server.id, [StatementText(query_id=i, text=conceal(text)) for i, text in texts.items()])


def fill_hours(server_id: int, start_ms: int, now_ms: int) -> None:
    """One stretch of HOURS_AT_A_TIME hours, or up to now, in one transaction."""
    server = Server.objects.get(id=server_id)
    engine = engine_of(server.simulation or {})
    starts = range(start_ms, min(start_ms + HOURS_AT_A_TIME * MS_PER_HOUR, now_ms), MS_PER_HOUR)
    hours = [engine.hour(EpochMs(start)) for start in starts]
    if not hours:
        return
    with transaction.atomic():
        holdings.lock(server_id)
        codes = Codebook(server_id).codes(hours[-1].combinations)
        code = np.array([codes[one] for one in hours[-1].combinations], dtype=np.int64)
        end = min(hours[-1].start + MS_PER_HOUR, now_ms)
        put_hours(server_id, {hour.start: _columns(hour, code, (end - hour.start) // 1000) for hour in hours})
        holdings.grew(server_id, first_ms=start_ms, newest_ms=end - 1000, codes=len(codes))
        copy_work(server_id, [span for hour in hours for span in _work_spans(engine, hour, end)])
        runs = [one for hour in hours for one in _executions(engine, hour, end)]
        shapes = capture_many(server_id, runs)
        copy_executions(server_id, zip(runs, shapes, strict=True))
        put_waits(server_id, [wait for hour in hours for wait in _waits(engine, hour, end)])
        events = [one for hour in hours for one in deadlock_events(engine, hour, 0, _seconds(hour, end))]
        events += [one for hour in hours for one in retry_events(engine, hour, 0, _seconds(hour, end))]
        put_events(server_id, events, literals=True)  # made up, so nobody's personal data
        deadlocks.store(server_id, [one for one in events if one.kind is EventKind.DEADLOCK], literals=True)
        copy_vitals(server_id, (one for hour in hours for one in vital_minutes(engine, hour, end)))
        copy_tables(server_id, [span for hour in hours for span in _table_spans(engine, hour, end)])
        copy_host(server.machine, (one for hour in hours for one in host_minutes(engine, hour, end)))
        lately = [hour for hour in hours if hour.start >= engine.anchor - REQUEST_DAYS * MS_PER_DAY]
        put_made(
            server, [one for hour in lately for one in hour_requests(engine, hour, 0, _seconds(hour, end))], now_ms
        )


def _seconds(hour: Hour, end: int) -> int:
    return int(min(3600, (end - hour.start) // 1000))


def _executions(engine: Engine, hour: Hour, end: int) -> Iterator[Execution]:
    return hour_executions(engine, hour, 0, _seconds(hour, end), EXECUTION_S)


def _waits(engine: Engine, hour: Hour, end: int) -> Iterator[tuple[int, LockEdge]]:
    """(moment, edge) of all lock waits of an hour."""
    texts = texts_of(engine.estate, engine.incidents, engine.server.name)
    for i in np.flatnonzero((hour.blocker != 0) & (hour.second < _seconds(hour, end))).tolist():
        at = hour.start + 1000 * int(hour.second[i])
        for edge in edges_of((session_of(hour, i),), texts):
            yield at, edge


def _work_spans(engine: Engine, hour: Hour, end: int) -> Iterator[WorkSpan]:
    seconds = _seconds(hour, end)
    for first in range(0, seconds, COUNTED_S):
        last = min(first + COUNTED_S, seconds)  # what comes after is counted live
        since, until = (EpochMs(hour.start + 1000 * second) for second in (first, last))
        yield since, until, hour_work(engine, hour, first, last)


def _table_spans(engine: Engine, hour: Hour, end: int) -> Iterator[tuple[EpochMs, EpochMs, list[TableFigures]]]:
    seconds = _seconds(hour, end)
    for first in range(0, seconds, TABLES_S):
        length = min(TABLES_S, seconds - first)
        since = EpochMs(hour.start + 1000 * first)
        yield since, EpochMs(since + 1000 * length), list(table_figures(engine, hour, first, length))


def _columns(hour: Hour, code: np.ndarray[Any, np.dtype[np.int64]], seconds: int) -> Columns:
    """The first seconds of an hour as the store keeps them."""
    ticks = min(3600, seconds)
    at = hour.start + 1000 * np.arange(ticks, dtype=np.int64)
    rows = slice(0, int(np.searchsorted(hour.second, ticks)))
    return {
        "tick_ms": at,
        "took_us": np.full(ticks, TOOK_US),
        "missed": np.zeros(ticks, dtype=np.int64),
        "late_ms": np.zeros(ticks, dtype=np.int64),
        "tick": hour.second[rows],
        "code": code[hour.combination[rows]],
        "pid": hour.pid[rows],
        "blocker": hour.blocker[rows],
        "started_s": hour.started_s[rows],
        "transaction_ms": hour.transaction_ms[rows],
        "statement_ms": hour.statement_ms[rows],
    }
