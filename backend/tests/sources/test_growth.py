"""All that reads foreign text takes time in proportion to its length, whatever stands in it."""

import io
from collections.abc import Callable

import pytest
from faena.apps.statements.events import shape_of
from faena.core.answers.scanning import scans_what_it_locks
from faena.core.deadlocks.cause import judge, sentence
from faena.core.deadlocks.pattern import pattern_of
from faena.core.deadlocks.report import BadReport
from faena.core.discreet import bare_context, bare_detail, bare_message, without_literals
from faena.core.engines.postgres.deadlocks import read_report
from faena.core.engines.postgres.plans import predicates
from faena.core.engines.postgres.plans.guard import explainable, parameter_values
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.engines.postgres.profile import PLANS
from faena.core.errors import BadInput
from faena.core.logged import EventKind, LogEvent
from faena.core.plans.memory import memory_of
from faena.core.plans.model import BadPlan
from faena.core.plans.shape import gist as plan_gist
from faena.core.plans.shape import shape
from faena.core.privacy import Normalised
from faena.core.requests.texts import is_batch, normalised
from faena.core.sql.names import table_changed_by, tables_of
from faena.core.sql.texts import bare_expression, conceal, fingerprint, gist, normalise
from faena.core.statements.tools import is_tool
from faena.core.units import EpochMs, Pid
from faena.sources.files.neutral import BadRow, read_row
from faena.sources.logs.assemble import text_of_plan
from faena.sources.logs.reading import Summary, read_stream
from growth import HEADS, growing_faster


def log_in(form: str) -> Callable[[str], object]:
    """The text as the message, the statement and the raw line of a log."""

    def read(text: str) -> object:
        quoted = text.replace('"', '""')
        bodies = {
            "stderr": f"2026-11-28 09:00:00.000 UTC [12] ERROR:  {text}\n2026-11-28 09:00:00.000 UTC [12] STATEMENT:  {text}\n{text}\n",
            "csvlog": f'2026-11-28 09:00:00.000 UTC,"u","d",12,"h",1.1,1,"S",,1/1,0,ERROR,42601,"{quoted}",,,,,,"{quoted}",,,"a"\n{text}\n',
            "odd prefix": f"u@d {text} LOG:  x\n{text}\n",
        }
        data = bodies[form].encode("utf-8", "replace")
        prefix = "%u@%d %a %h " if form == "odd prefix" else None
        return list(read_stream(io.BytesIO(data), Summary(), prefix=prefix))

    return read


def deadlock(text: str) -> object:
    detail = (
        "Process 1 waits for ShareLock on transaction 5; blocked by process 2.\n"
        f"Process 2 waits for ShareLock on transaction 6; blocked by process 1.\nProcess 1: {text}\nProcess 2: {text}"
    )
    for told in (detail, text):
        event = LogEvent(
            EpochMs(0), EventKind.DEADLOCK, Pid(1), 0, "ERROR", "40P01", "deadlock detected", told, text, text
        )
        try:
            report = read_report(event)
        except BadReport:
            continue
        pattern_of(report), judge(report, frozenset()), sentence(report)
    return None


def plan(text: str) -> object:
    try:
        found = read_plan(text)
    except BadPlan:
        return None
    return examine(found), shape(found), plan_gist(found), list(memory_of(found)), without_literals(text)


def conditions(text: str) -> object:
    for one in (predicates.predicates, predicates.comparisons, predicates.links, predicates.alternatives,
                predicates.function_on_column, predicates.implicit_cast, predicates.leading_wildcard, predicates.sort_key):  # fmt: skip
        one(text)
    return None


def refused(call: Callable[[str], object]) -> Callable[[str], object]:
    def read(text: str) -> object:
        try:
            return call(text)
        except (BadInput, BadRow):
            return None

    return read


READERS: dict[str, Callable[[str], object]] = {
    "normalise": normalise,
    "conceal": conceal,
    "fingerprint": fingerprint,
    "gist": lambda text: gist(Normalised(text)),
    "bare_expression": bare_expression,
    "tables_of": tables_of,
    "table_changed_by": table_changed_by,
    "is_tool": lambda text: is_tool(text, ()),
    "bare_message": lambda text: (bare_message(text, "22P02"), bare_message('duplicate key value "' + text, "")),
    "bare_detail": lambda text: (bare_detail(text), bare_detail("Key (" + text)),
    "bare_context": lambda text: (bare_context(text), bare_context('SQL statement "' + text)),
    "shape_of": shape_of,
    "deadlock": deadlock,
    "scans": lambda text: scans_what_it_locks("UPDATE t SET a = 1", text, PLANS),
    "plan": plan,
    "conditions": conditions,
    "explainable": refused(explainable),
    "parameter_values": refused(parameter_values),
    "text_of_plan": text_of_plan,
    "statement of a span": lambda text: (normalised(text), is_batch(text)),
    "log, stderr": log_in("stderr"),
    "log, csvlog": log_in("csvlog"),
    "log, odd prefix": log_in("odd prefix"),
    "row of samples": refused(
        lambda text: read_row({"time": "2026-11-28T09:00:00Z", "session": 1, "state": "active", "statement": text})
    ),
}


HEADS_OF = {
    "plan": (
        "", "Query Text: ", '{"Query Text": "', "- Plan:\n    Node Type: ",
        " Seq Scan on t  (cost=0.00..1.00 rows=1 width=4)\n   Filter: ",
        " Seq Scan on t  (cost=0.00..1.00 rows=1 width=4)\n   ->  ",
    ),
    "deadlock": ("UPDATE t SET a = ",),
}  # fmt: skip


@pytest.mark.parametrize("name", READERS)
def test_twice_the_text_takes_at_most_twice_the_time(name: str) -> None:
    assert growing_faster(READERS[name], HEADS_OF.get(name, HEADS)) == []
