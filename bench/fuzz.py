"""A million damaged inputs over all readers of foreign text: no unexpected exception, none slow, memory bounded.

Each input is a true one (a plan in any form, a log, a statement, a deadlock's report, a line of the spool, a row of
samples) that was cut, doubled, spliced with another or strewn with what readers trip over. FAENA_FUZZ_INPUTS says how
many, FAENA_FUZZ_SEED which; what failed is printed so that it can be kept as a test.
"""

import io
import json
import logging
import os
import random
import resource
import sys
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from time import perf_counter, process_time

import numpy as np
from faena.apps.samples.packing import BadColumn, pack
from faena.apps.samples.packing import unpack as unpack_column
from faena.collector.kinds import INTAKE
from faena.core.deadlocks.cause import judge, sentence
from faena.core.deadlocks.pattern import pattern_of
from faena.core.deadlocks.report import BadReport, read_report
from faena.core.discreet import bare_event, without_literals
from faena.core.engines.postgres.plans.guard import explainable, parameter_values
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.errors import BadInput
from faena.core.logged import EventKind, LogEvent
from faena.core.plans.memory import memory_of
from faena.core.plans.shape import shape
from faena.core.sql.names import table_changed_by, tables_of
from faena.core.sql.texts import conceal, fingerprint, gist
from faena.core.units import EpochMs, Pid
from faena.sources.files.neutral import BadRow, read_row
from faena.sources.logs.reading import Summary, read_stream
from reporting import report

GOLDEN = Path(__file__).parents[1] / "backend" / "tests" / "golden"
INPUTS = int(os.environ.get("FAENA_FUZZ_INPUTS", "1000000"))
SEED = int(os.environ.get("FAENA_FUZZ_SEED", "11"))
LONGEST = 3000  # characters of an input; longer ones are for tests/sources/test_growth.py
SLOW_S, MOST_MB = 0.1, 300
STREWN = (
    "'", '"', "\\", "$$", "$a$", "/*", "*/", "--", "(", ")", "[", "]", "{", "}", ",", ":", ";", "\n", "\t", "\r", "\0", " ",
    "\ud800", "é", "²", "9" * 30, "-1", "1e999", "0.0.0", "NaN", "null", "true", "&a", "*a", "<", ">", "<!DOCTYPE", "E'", "U&'",
    "cost=0.0.0", "rows=-1", "loops=0", "LOG:  ", "ERROR:  ", "DETAIL:  ", "duration: nan ms  ", "->  ", "Plan:", "\N{ZERO WIDTH NO-BREAK SPACE}",
)  # fmt: skip
STATEMENTS = (
    "SELECT b.id, count(*) FROM booking b JOIN sailing s ON s.id = b.sailing_id WHERE b.reference = 'R5' GROUP BY 1 ORDER BY 2",
    "WITH r (a) AS MATERIALIZED (SELECT 1) UPDATE t SET a = r.a FROM r WHERE t.b IN (1, 2, 3) RETURNING *",
    "ALTER ROLE a PASSWORD 'x'; COPY t FROM PROGRAM 'y'", "DO $a$ BEGIN PERFORM f('x'); END $a$", "SET app.key = s3cret",
    "INSERT INTO t (a) VALUES ($1, E'it\\'s') ON CONFLICT (a) DO UPDATE SET a = 1 /* /* x */ */ -- y",
)  # fmt: skip
DEADLOCK = (
    "Process 1 waits for ShareLock on transaction 5; blocked by process 2.\nProcess 2 waits for ShareLock on transaction 6; "
    "blocked by process 1.\nProcess 1: UPDATE t SET a = 1 WHERE id = 5\nProcess 2: UPDATE t SET a = 1 WHERE id = 6"
)
ROW = {
    "time": "2026-11-28T09:00:00Z",
    "session": 1,
    "state": "active",
    "statement": "SELECT 1",
    "blocked_by": 3,
    "statement_ms": 5,
}


def plan(text: str) -> None:
    found = read_plan(text)
    examine(found), shape(found), list(memory_of(found)), without_literals(text)


def log(text: str) -> None:
    list(read_stream(io.BytesIO(text.encode("utf-8", "surrogatepass")), Summary()))


def statement(text: str) -> None:
    bare = conceal(text)
    gist(bare), fingerprint(text), tables_of(text), table_changed_by(text)
    bare.encode()


def event(text: str) -> None:
    bare_event(LogEvent(EpochMs(0), EventKind.ERROR, Pid(1), 0, "ERROR", "22P02", text, text, text, text))


def deadlock(text: str) -> None:
    found = read_report(
        LogEvent(EpochMs(0), EventKind.DEADLOCK, Pid(1), 0, "ERROR", "40P01", "deadlock detected", text, text, text)
    )
    pattern_of(found), judge(found, frozenset()), sentence(found)


def spool(text: str) -> None:
    INTAKE.unpack(text.encode("utf-8", "surrogatepass"))


def row(text: str) -> None:
    for name in ROW:
        read_row({**ROW, name: text})


def seeds() -> dict[str, tuple[Callable[[str], object], list[str]]]:
    """Reader and true inputs by name."""
    plans = [path.read_text()[:LONGEST] for path in sorted((GOLDEN / "plans").glob("*.json"))]
    logs: list[str] = []
    for path in sorted((GOLDEN / "versions").glob("*.json")):
        told = json.loads(path.read_text())
        plans += [
            form[:LONGEST] for forms in told["plans"].values() for form in forms.values() if isinstance(form, str)
        ]
        logs += [str(one)[:LONGEST] for one in told["logs"].values()]
    lines = [
        '["sampled",1,1700000000000,0.4,0,[[7,1,"active","","",5,"d","u","p","c","client backend",[],1,2,null]],[]]',
        '["learned",1,[[7,"SELECT 1"]]]', '["noted",1,1700000000000,"away","x",null]',
        '["logged",1,["x",5,""],[],[],0,0,""]', '["counted",1,1,2,[[7,"d","u",true]],[[1,2,3,4,5,6,7,8,9,10,11,12,13,14]],[]]',
    ]  # fmt: skip
    return {
        "plans": (plan, plans),
        "logs": (log, logs),
        "statements": (statement, list(STATEMENTS)),
        "log events": (
            event,
            [*STATEMENTS, "Key (email)=(x) already exists.", 'SQL statement "SELECT 1"\nPL/pgSQL function f()'],
        ),
        "deadlocks": (deadlock, [DEADLOCK]),
        "spool": (spool, lines),
        "rows of samples": (row, ["2026-11-28T09:00:00Z", "1700000000", "active", "SELECT 1", "5.5", "9" * 25]),
        "columns of an hour": (
            lambda text: unpack_column(text.encode("latin-1", "replace")),
            [pack(np.arange(n) * n % 1000).decode("latin-1") for n in (0, 1, 700)],
        ),
        "asked statements": (explainable, list(STATEMENTS)),
        "parameters": (parameter_values, ["$1 = 'it''s', $2 = NULL, $3 = '5'"]),
    }


def damaged(text: str, others: list[str], chance: random.Random) -> str:
    """Cut, doubled, spliced or strewn; a few times over."""
    for _ in range(chance.randint(1, 4)):
        at, to = sorted((chance.randint(0, len(text)), chance.randint(0, len(text))))
        match chance.randint(0, 5):
            case 0:
                text = text[:at]
            case 1:
                text = text[:at] + text[to:]
            case 2:
                text = text[:to] + text[at:to] * chance.randint(1, 3) + text[to:]
            case 3:
                text = text[:at] + chance.choice(others)[to:]
            case _:
                text = text[:at] + chance.choice(STREWN) * chance.choice((1, 1, 1, 2, 40)) + text[at:]
    return text[:LONGEST]


EXPECTED = (BadInput, BadReport, BadRow, BadColumn)


def main() -> None:
    logging.disable()  # the parser repeats what it cannot read; the web process hushes it as well
    chance, failed, slow = random.Random(SEED), Counter[str](), Counter[str]()
    readers, begun, worst = seeds(), perf_counter(), 0.0
    names = list(readers)
    for i in range(INPUTS):
        name = names[i % len(names)]
        read, inputs = readers[name]
        text = damaged(chance.choice(inputs), inputs, chance)
        started = process_time()
        try:
            read(text)
        except EXPECTED:
            pass
        except ValueError as error:
            if name != "spool" or isinstance(error, UnicodeError):
                failed[f"{name}: {type(error).__name__}"] += 1
                print(f"{name}: {error!r:.200} for {text!r:.400}", file=sys.stderr)
        except Exception as error:
            failed[f"{name}: {type(error).__name__}"] += 1
            print(f"{name}: {error!r:.200} for {text!r:.400}", file=sys.stderr)
        took = process_time() - started
        worst = max(worst, took)
        if took > SLOW_S:
            slow[name] += 1
            print(f"{name}: {took:.2f} s for {text!r:.400}", file=sys.stderr)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    took = perf_counter() - begun
    report(f"{INPUTS:,} damaged inputs over {len(names)} readers: unexpected exceptions", failed.total(), "", at_most=0,
           note=f"{took:.0f} s, seed {SEED}")  # fmt: skip
    report(
        "inputs that took more than 100 ms of processor time",
        slow.total(),
        "",
        at_most=0,
        note=f"the slowest {1000 * worst:.0f} ms",
    )
    report("memory at its highest", memory, "MB", at_most=MOST_MB)


if __name__ == "__main__":
    main()
