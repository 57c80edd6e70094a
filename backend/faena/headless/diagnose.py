"""`./faena diagnose --dsn DSN --seconds N [--log PATH]`: watches a server, and prints what is at fault as one JSON object."""

import argparse
import asyncio
import os
import sys
import time
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace

import orjson

from faena.core.answers.leads.choosing import Diagnosis, diagnose
from faena.core.answers.leads.observed import PlanFacts
from faena.core.answers.leads.printed import as_object
from faena.core.answers.leads.watched import Watched, observed
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.errors import BadInput, SourceError
from faena.core.logged import CaptureRules, LogEvent, LogPosition
from faena.core.readings import Processes, SampleReading, ServerFacts
from faena.core.units import EpochMs, QueryId
from faena.sources.postgres.looking import Glances, horizon_of, plans_of
from faena.sources.postgres.source import PostgresSource, Target, target_from_dsn

PERIOD_S = 0.5
MOST_S = 3600
GLANCE_EVERY = 5  # samples: what changes slowly
MOST_PLANS = 5  # statements whose plan is asked for, those that are seen at work most
RULES = CaptureRules(slow_ms=float("inf"), fast_share=0.0)  # of the log only what went wrong


def main(arguments: Sequence[str]) -> int:
    """0, quiet or not; or 2 with one line on standard error when the server cannot be watched."""
    parser = argparse.ArgumentParser(prog="faena diagnose", description=__doc__)
    parser.add_argument("--dsn", required=True, help="the server to watch: host=… port=… dbname=… user=…")
    parser.add_argument("--seconds", type=float, default=20.0, help="for how long (20)")
    parser.add_argument("--log", default="", metavar="PATH", help="its log: a file or a folder on this machine")
    given = parser.parse_args(arguments)
    try:
        if not 0 < given.seconds <= MOST_S:
            raise BadInput(f"--seconds is a number above 0 and up to {MOST_S}, not {given.seconds:g}", field="seconds")
        target = replace(target_from_dsn(given.dsn), log=given.log)
        found = asyncio.run(diagnosed(target, given.seconds))
    except SourceError as error:
        print(f"faena: {error}{f'; {error.remedy}' if error.remedy else ''}", file=sys.stderr)
        return 2
    except BadInput as error:
        print(f"faena: {error}", file=sys.stderr)
        return 2
    sys.stdout.buffer.write(orjson.dumps(as_object(found)) + b"\n")
    return 0


async def diagnosed(target: Target, seconds: float) -> Diagnosis:
    """Watch a server for so long and say what is at fault. Raises SourceError."""
    source = PostgresSource(target)
    try:
        facts = await source.connect()
        watched, end = await _watch(source, target, facts, seconds)
    finally:
        await source.close()
    return diagnose(observed(watched, POSTGRES.waits, end))


def _now() -> EpochMs:
    return EpochMs(int(time.time() * 1000))


async def _watch(source: PostgresSource, target: Target, facts: ServerFacts, seconds: float) -> tuple[Watched, int]:
    begun = time.monotonic()
    position = await _position(source)
    await source.survey(_now())
    first = await source.counters(_now()) if facts.has_statement_counters else None
    readings, glances = list[SampleReading](), Glances(target)
    while True:
        readings.append(await source.sample(_now()))
        if len(readings) % GLANCE_EVERY == 1:
            await asyncio.to_thread(glances.take)
        passed = time.monotonic() - begun
        if passed + PERIOD_S >= seconds:
            break
        await asyncio.sleep(PERIOD_S - passed % PERIOD_S)
    await asyncio.sleep(max(0.0, seconds - (time.monotonic() - begun)))
    await asyncio.to_thread(glances.take)
    glances.close()
    end = _now()
    survey = await source.survey(end)
    last = await source.counters(_now()) if first is not None else None
    events = await _events(source, position) if target.log else None
    wanted = {s.query_id for one in readings for s in one.sessions if s.query_id is not None}
    wanted |= {key.query_id for key in last.keys} if last is not None and len(last.keys) <= 5000 else set()
    texts: dict[QueryId, str] = {one.query_id: one.text for one in await source.texts(sorted(wanted))}
    plans = await asyncio.to_thread(_plans, target, readings, texts)
    watched = Watched(
        readings=readings,
        counters=(first, last) if first is not None and last is not None else None,
        texts=texts,
        callers={query_id: programs.most_common(1)[0][0] for query_id, programs in glances.callers.items()},
        plans=plans,
        vitals=survey.vitals,
        tables=survey.tables,
        events=events,
        cores=len(os.sched_getaffinity(0)) if facts.processes is not Processes.ELSEWHERE else None,
        max_connections=facts.max_connections,
        serializable=glances.reads_watched,
        sessions_begun=glances.begun_in(seconds),
        horizon=await asyncio.to_thread(horizon_of, _main_database(target, readings), _last_statements(readings)),
        newcomers=glances.newcomers,
    )
    return watched, end


def _main_database(target: Target, readings: Sequence[SampleReading]) -> Target:
    """The database in which most sessions were at work, since tables are told of one alone."""
    seen = Counter(s.database for one in readings for s in one.sessions if s.is_active and s.database)
    return replace(target, database=seen.most_common(1)[0][0]) if seen else target


def _last_statements(readings: Sequence[SampleReading]) -> dict[int, QueryId]:
    return {s.pid: s.query_id for one in readings for s in one.sessions if s.query_id is not None}


async def _position(source: PostgresSource) -> LogPosition | None:
    reading = await source.log(_now(), None, RULES)
    while reading is not None and reading.behind:
        reading = await source.log(_now(), reading.position, RULES)
    return reading.position if reading is not None else None


async def _events(source: PostgresSource, position: LogPosition | None) -> list[LogEvent]:
    found = list[LogEvent]()
    reading = await source.log(_now(), position, RULES)
    while reading is not None:
        found += reading.events
        if not reading.behind:
            break
        reading = await source.log(_now(), reading.position, RULES)
    return found


def _plans(target: Target, readings: Sequence[SampleReading], texts: Mapping[QueryId, str]) -> dict[QueryId, PlanFacts]:
    """Of the statements that were most at work, in the database in which they were."""
    seen = Counter(
        (s.database, s.query_id)
        for one in readings
        for s in one.sessions
        if s.is_active and s.query_id in texts and s.wait_type in ("", "IO")
    )
    by_database: dict[str, dict[QueryId, str]] = {}
    for (database, query_id), _ in seen.most_common(MOST_PLANS):
        assert query_id is not None
        by_database.setdefault(database, {})[query_id] = texts[query_id]
    found: dict[QueryId, PlanFacts] = {}
    for database, statements in by_database.items():
        found |= plans_of(replace(target, database=database), statements)
    return found
