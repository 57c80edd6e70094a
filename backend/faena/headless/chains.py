"""`./faena chains --dsn DSN --seconds N`: watches a server, and prints who stood in whose way as one JSON object."""

import argparse
import asyncio
import sys
import time
from collections.abc import Mapping, Sequence
from typing import Any

import orjson

from faena.core.engines.postgres.waits.catalogue import behind_sessions
from faena.core.errors import BadInput, SourceError
from faena.core.locks.chains import RootState
from faena.core.locks.watching import ChainWatch, SeenChain, SeenEdge
from faena.core.readings import PREPARED, SessionSample
from faena.core.units import EpochMs, QueryId
from faena.sources.postgres.source import PostgresSource, target_from_dsn

PERIOD_S = 0.25
MOST_S = 86_400
_AT_WORK = (RootState.DISK, RootState.WAITING)  # at work for whoever waits behind it; `waits_for` says on what


def main(arguments: Sequence[str]) -> int:
    """0; or 2 with one line on standard error when the server cannot be watched."""
    parser = argparse.ArgumentParser(prog="faena chains", description=__doc__)
    parser.add_argument("--dsn", required=True, help="the server to watch: host=… port=… dbname=… user=…")
    parser.add_argument("--seconds", type=float, default=10.0, help="for how long (10)")
    given = parser.parse_args(arguments)
    try:
        if not 0 < given.seconds <= MOST_S:
            raise BadInput(f"--seconds is a number above 0 and up to {MOST_S}, not {given.seconds:g}", field="seconds")
        found = asyncio.run(_watch(given.dsn, given.seconds))
    except SourceError as error:
        print(f"faena: {error}{f'; {error.remedy}' if error.remedy else ''}", file=sys.stderr)
        return 2
    except BadInput as error:
        print(f"faena: {error}", file=sys.stderr)
        return 2
    sys.stdout.buffer.write(orjson.dumps(found) + b"\n")
    return 0


async def _watch(dsn: str, seconds: float) -> dict[str, Any]:
    source = PostgresSource(target_from_dsn(dsn))
    watch = ChainWatch(behind_sessions)
    try:
        await source.connect()
        end = time.monotonic() + seconds
        at = time.monotonic()
        reading = await source.sample(EpochMs(int(time.time() * 1000)))
        while at + PERIOD_S < end:
            await asyncio.sleep(PERIOD_S)
            # What was seen holds until it is looked at again.
            before, seen_at, at = reading, at, time.monotonic()
            reading = await source.sample(EpochMs(int(time.time() * 1000)))
            watch.take(before, at - seen_at)
        await asyncio.sleep(max(0.0, end - time.monotonic()))
        watch.take(reading, max(0.0, end - at))
        chains = watch.worst_first()
        statements = {one.root.session.query_id for one in chains if one.root.session and one.root.session.query_id}
        texts = {one.query_id: one.text for one in await source.texts(sorted(statements))}
    finally:
        await source.close()
    return {
        "chains": [_chain(one, texts) for one in chains],
        "total_lock_wait_seconds": round(watch.total_s, 3),
    }


def _name(session: SessionSample | None, gid: str = "") -> str | None:
    """What the session calls itself; a server process its kind; a prepared transaction its own name."""
    if session is None:
        return gid or None
    return session.program


def _chain(chain: SeenChain, texts: Mapping[QueryId, str]) -> dict[str, Any]:
    root = chain.root.session
    direct = [one.edge for one in chain.edges.values() if one.edge.blocker == chain.root.pid] or [
        one.edge for one in chain.edges.values()
    ]
    first = direct[0] if direct else None
    return {
        "root": {
            "application": _name(root, chain.gid),
            "pid": None if chain.root.pid == PREPARED else chain.root.pid,
            "state": str(RootState.RUNNING if chain.state in _AT_WORK else chain.state),
            "waits_for": f"{root.wait_type}:{root.wait_event}" if root and root.wait_type else None,
            "statement": texts.get(root.query_id) if root and root.query_id else None,
        },
        "object": None if first is None else _object(first.fact.object, first.which),
        "lock_type": None if first is None else first.fact.lock_type,
        "lost_seconds": round(chain.lost_s, 3),
        "edges": [_edge(one) for one in chain.edges.values()],
    }


def _object(words: str, which: str) -> str:
    return f"{words} {which}".strip()


def _edge(seen: SeenEdge) -> dict[str, Any]:
    edge = seen.edge
    return {
        "waiter": _name(seen.waiter),
        "waiter_pid": edge.waiter,
        "blocker": _name(seen.blocker, edge.fact.gid),
        "blocker_pid": None if edge.blocker == PREPARED else edge.blocker,
        "mode_wanted": edge.fact.mode_wanted,
        "mode_held": edge.fact.mode_held or None,
        "object": _object(edge.fact.object, edge.which),
        "via": str(edge.fact.via),
    }
