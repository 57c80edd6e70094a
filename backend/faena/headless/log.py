"""`./faena read-log FILE…`: what a server's logs tell, as JSON Lines."""

import argparse
import gc
import sys
from collections import Counter
from collections.abc import Iterable, Sequence
from contextlib import nullcontext
from datetime import tzinfo
from functools import lru_cache
from typing import Any, BinaryIO

import orjson

from faena.core.answers.scanning import deadlock_reader
from faena.core.deadlocks.reading import Deadlock, DeadlockReader
from faena.core.deadlocks.report import BadReport
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.logged import Execution, LogEvent
from faena.core.sql.texts import fingerprint
from faena.sources.logs.entries import zone_named
from faena.sources.logs.reading import Summary, read_stream

FLUSH_AT = 1 << 16
MOST_HELD = 5_000  # deadlocks of a log; far above what anybody reads one by one


def main(arguments: Sequence[str]) -> int:
    """0; or 2 when a file cannot be opened, with one line that says which and why."""
    parser = argparse.ArgumentParser(prog="faena read-log", description=__doc__)
    parser.add_argument("files", nargs="+", metavar="FILE", help="a log, also gzipped; - for standard input")
    parser.add_argument(
        "--log-line-prefix", metavar="PREFIX", help="of logs in stderr form, where it is not recognised"
    )
    parser.add_argument(
        "--time-zone", metavar="ZONE", type=_zone, help="of the log, where its abbreviation means several: Asia/Kolkata"
    )
    parser.add_argument("--only", choices=("trouble",), help="errors and waits, without executions; much faster")
    given = parser.parse_args(arguments)
    gc.disable()  # nothing below makes circles, and looking for them takes a third of the time
    out, kinds, patterns, summaries = sys.stdout.buffer, Counter[str](), Counter[str](), list[Summary]()
    for name in given.files:
        try:
            with nullcontext(sys.stdin.buffer) if name == "-" else open(name, "rb") as stream:
                summary = Summary()
                found = read_stream(
                    stream,
                    summary,
                    prefix=given.log_line_prefix,
                    trouble_only=given.only == "trouble",
                    zone=given.time_zone,
                )
                _print_all(found, kinds, patterns, out)
        except (OSError, EOFError) as error:
            out.flush()
            print(f"faena: {name}: {getattr(error, 'strerror', None) or error}", file=sys.stderr)
            return 2
        summaries.append(summary)
    out.write(orjson.dumps(_conclusion(given.files, summaries, kinds, patterns)) + b"\n")
    return 0


def _zone(name: str) -> tzinfo:
    zone = zone_named(name)
    if zone is None:
        raise argparse.ArgumentTypeError(f"{name!r} is no time zone that is known here; give one like Europe/Berlin")
    return zone


def _print_all(
    found: Iterable[Execution | LogEvent], kinds: Counter[str], patterns: Counter[str], out: BinaryIO
) -> None:
    waiting, size = list[bytes](), 0
    reader, held = deadlock_reader(POSTGRES), list[Deadlock]()
    assert reader is not None
    for happening in found:
        body = _body(happening, reader, patterns, held)
        if body is None:
            continue
        kinds[body["event"]] += 1
        waiting.append(orjson.dumps(body))
        size += len(waiting[-1])
        if size > FLUSH_AT:
            out.write(b"\n".join(waiting) + b"\n")
            waiting, size = [], 0
    for deadlock in held:
        waiting.append(orjson.dumps(as_deadlock(reader.again(deadlock))))
    kinds["deadlock"] += len(held)
    if waiting:
        out.write(b"\n".join(waiting) + b"\n")


def _body(
    happening: Execution | LogEvent, reader: DeadlockReader, patterns: Counter[str], held: list[Deadlock]
) -> dict[str, Any] | None:
    """What to print at once. A deadlock is held back to the end, since plans that come later tell of its cause.

    Those beyond MOST_HELD are not; and an entry that tells of no circle stays as it was logged.
    """
    try:
        found = reader.take(happening)
    except BadReport as error:
        return {**as_event(happening), "unread": str(error)}
    if found is None:
        return as_event(happening)
    patterns[found.pattern] += 1
    if len(held) < MOST_HELD:
        held.append(found)
        return None
    return as_deadlock(found)


def as_deadlock(found: Deadlock) -> dict[str, Any]:
    """One line of output. `mode` is the engine's own name, `object` in words."""
    report = found.report
    return {
        "event": "deadlock",
        "at": report.at,
        "pattern": found.pattern,
        "victim_pid": report.victim.pid,
        "cause": str(found.cause.kind),
        "confidence": str(found.cause.confidence),
        "reason": found.cause.sentence,
        "mends": list(found.cause.steps),
        "sentence": found.sentence,
        "parties": [
            {
                "pid": one.pid,
                "application": one.program or None,
                "user": one.user or None,
                "database": one.database or None,
                "client": one.client or None,
                "statement": one.statement,
                "wants": {"mode": one.wants.mode, "object": one.wants.words, "said": one.wants.said},
                "waits_for_pid": one.waits_for,
                "context": one.context or None,
            }
            for one in report.parties
        ],
    }


def as_event(happening: Execution | LogEvent) -> dict[str, Any]:
    """One line of output. Times are milliseconds since 1970; what the log did not tell is left out."""
    if isinstance(happening, Execution):
        return _execution(happening)
    body: dict[str, Any] = {"event": happening.kind.value, "at": happening.at, "pid": happening.pid}
    for name in ("severity", "sqlstate", "message", "detail", "context", "statement", "query_id"):
        body[name] = getattr(happening, name)
    for name in ("database", "user", "client", "waited_ms"):
        body[name] = getattr(happening, name)
    body["application"] = happening.program
    return {name: value for name, value in body.items() if value not in ("", None)}


@lru_cache(maxsize=10_000)
def _print(statement: str) -> str:
    """The fingerprint in hexadecimal; programs run the same few texts over and over."""
    return f"{fingerprint(statement) & (1 << 64) - 1:016x}"


def _execution(one: Execution) -> dict[str, Any]:
    body: dict[str, Any] = {
        "event": "execution",
        "started": one.started,
        "at": one.ended,
        "took_ms": round(one.took_ms, 3),
        "pid": one.pid,
        "statement": one.statement,
        "fingerprint": _print(one.statement) if one.statement else "",
        "query_id": one.query_id,
        "parameters": one.parameters,
        "application": one.program,
        "database": one.database,
        "user": one.user,
        "client": one.client,
        "parse_ms": one.parse_ms,
        "bind_ms": one.bind_ms,
        "execute_ms": one.execute_ms,
        "temp_bytes": one.temp_bytes or None,
        "plan": one.plan,
    }
    return {name: value for name, value in body.items() if value not in ("", None)}


def _conclusion(
    files: Sequence[str], summaries: Sequence[Summary], kinds: Counter[str], patterns: Counter[str]
) -> dict[str, Any]:
    return {
        "event": "summary",
        "lines": sum(one.lines for one in summaries),
        "bytes": sum(one.bytes for one in summaries),
        "entries": sum(one.entries for one in summaries),
        "events": sum(kinds.values()),
        "unreadable": sum(one.unreadable for one in summaries),
        "recoded": sum(one.recoded for one in summaries),
        "kinds": dict(sorted(kinds.items())),
        "patterns": dict(sorted(patterns.items(), key=lambda one: (-one[1], one[0]))),
        "files": [
            {"file": name, "format": one.form, "log_line_prefix": one.prefix, "notes": one.notes}
            for name, one in zip(files, summaries, strict=True)
        ],
    }
