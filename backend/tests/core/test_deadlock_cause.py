"""The class of cause where the log tells little: told from reports as servers write them, three parties included."""

from dataclasses import replace

import pytest
from faena.core.deadlocks.cause import Cause, judge, sentence
from faena.core.deadlocks.pattern import pattern_of, statement_shape
from faena.core.deadlocks.reading import DeadlockReader
from faena.core.deadlocks.report import BadReport, Report
from faena.core.engines.postgres.deadlocks import REPORTS, read_report
from faena.core.findings import Confidence
from faena.core.logged import EventKind, Execution, LogEvent
from faena.core.sql.names import table_changed_by, tables_of
from faena.core.units import EpochMs, Pid

ON_A_ROW = "ShareLock on transaction {n}"


def circle(statements: list[str], *, context: str = "", lock: str = ON_A_ROW) -> Report:
    return read_report(event(statements, context=context, lock=lock))


def event(statements: list[str], *, context: str = "", lock: str = ON_A_ROW) -> LogEvent:
    """Each of so many parties waits for the next; the first is the victim."""
    n = len(statements)
    waits = [
        f"Process {10 + i} waits for {lock.format(n=90 + i)}; blocked by process {10 + (i + 1) % n}." for i in range(n)
    ]
    told = [f"Process {10 + i}: {text}" for i, text in enumerate(statements)]
    return LogEvent(
        at=EpochMs(1), kind=EventKind.DEADLOCK, pid=Pid(10), place=1, severity="ERROR", sqlstate="40P01",
        message="deadlock detected", detail="\n".join([*waits, *told]), context=context, statement=statements[0],
    )  # fmt: skip


def test_three_that_look_rows_up_by_parameters_may_want_any_rows() -> None:
    update = "UPDATE slot SET held = held WHERE sailing = 17 AND slot_no = $1"
    report = circle([update] * 3, context='while updating tuple (0,12) in relation "slot"')
    assert judge(report).kind is Cause.OPPOSITE_ORDER
    assert [one.pid for one in report.parties] == [10, 11, 12]
    assert sentence(report).count("wanted") == 3


@pytest.mark.parametrize("waits", ["", "ShareLock"])
@pytest.mark.parametrize(
    ("condition", "cause"),
    [
        ("id = NEW.fare", Cause.OPPOSITE_ORDER),
        ('route = old."Route" AND day = $1', Cause.OPPOSITE_ORDER),
        ("id >= NEW.fare", Cause.MANY_ROWS),
        ("id = newest.fare", Cause.MANY_ROWS),
    ],
)
def test_a_trigger_that_changes_one_row_changes_one_whether_or_not_the_log_told_of_the_wait(
    condition: str, cause: Cause, waits: str
) -> None:
    inner = (
        f'while updating tuple (2,77) in relation "fare"\nSQL statement "UPDATE fare SET amount = 1 WHERE {condition}"'
    )
    insert = "INSERT INTO receipt (fare) VALUES ({})"
    reader = DeadlockReader(REPORTS, lambda *_: False)
    if waits:
        reader.take(
            LogEvent(
                at=EpochMs(0), kind=EventKind.LOCK_WAIT, pid=Pid(11), place=0, severity="LOG", sqlstate="00000",
                message="process 11 still waiting", context=inner.replace("77", "78"), statement=insert.format(2),
            )
        )  # fmt: skip
    found = reader.take(event([insert.format(1), insert.format(2)], context=inner))
    assert found is not None
    assert found.cause.kind is cause
    assert [one.wants.table for one in found.report.parties] == ["fare", "fare"]


@pytest.mark.parametrize(("parties", "word"), [(2, "Both"), (3, "All 3")])
def test_the_same_row_by_its_key_is_an_upgrade_of_all(parties: int, word: str) -> None:
    update = "UPDATE slot SET held = 1 WHERE id = 7"
    found = judge(circle([update] * parties, context='while updating tuple (0,12) in relation "slot"'))
    assert found.kind is Cause.UPGRADE
    assert found.sentence.startswith(word)


@pytest.mark.parametrize(
    ("statements", "lock", "cause"),
    [
        (["UPDATE a SET x = 1 WHERE id = 1", "ALTER TABLE b ADD c int"], "AccessExclusiveLock on relation {n} of database 5", Cause.DDL),
        (["LOCK TABLE a", "LOCK TABLE b"], "ExclusiveLock on relation {n} of database 5", Cause.TABLE_LOCK),
        (["SELECT pg_advisory_lock(1)", "SELECT pg_advisory_lock(2)"], "ExclusiveLock on advisory lock [5,0,{n},1]", Cause.ADVISORY),
        (["INSERT INTO k VALUES (1)", "INSERT INTO k VALUES (2)"], "ShareLock on transaction {n}", Cause.UNIQUE_INSERT),
        (["UPDATE a SET x = 1 WHERE id = 1", "UPDATE a SET x = 1 WHERE id = 2"], "ShareLock on transaction {n}", Cause.OPPOSITE_ORDER),
    ],
)  # fmt: skip
def test_what_the_statements_do_tells_the_class(statements: list[str], lock: str, cause: Cause) -> None:
    found = judge(circle(statements, lock=lock))
    assert found.kind is cause
    assert found.sentence
    assert len(found.steps) >= 2


@pytest.mark.parametrize(
    ("statements", "context", "cause", "confidence"),
    [
        # The same words may be met by several rows, and then each locks them in its own order.
        (["UPDATE a SET x = 1 WHERE state = 'held'"] * 2, "", Cause.UPGRADE, Confidence.PERHAPS),
        (["UPDATE a SET x = 1 WHERE y > 5"] * 2, "", Cause.MANY_ROWS, Confidence.PERHAPS),
        (["UPDATE a SET x = 1", "UPDATE a SET x = 2"], "", Cause.MANY_ROWS, Confidence.PERHAPS),
        (["INSERT INTO a VALUES (1)", "UPDATE b SET x = 1 WHERE id = 5"], "", Cause.FOREIGN_KEY, Confidence.PERHAPS),
        (["INSERT INTO a VALUES (1)", "UPDATE a SET x = 1 WHERE id = 5"], "", Cause.UNIQUE_INSERT, Confidence.PERHAPS),
        (
            ["INSERT INTO a VALUES (1)", "UPDATE a SET x = 1 WHERE id = 5"],
            'while inserting index tuple (0,5) in relation "a_pkey"', Cause.UNIQUE_INSERT, Confidence.CERTAIN,
        ),
    ],
)  # fmt: skip
def test_what_the_log_does_not_tell_is_not_told_as_if_it_did(
    statements: list[str], context: str, cause: Cause, confidence: Confidence
) -> None:
    found = judge(circle(statements, context=context))
    assert (found.kind, found.confidence) == (cause, confidence)


LONG = "UPDATE sailing SET note = '{}' WHERE id = {}"


def test_a_pattern_does_not_hang_on_where_a_long_text_was_cut_or_on_what_is_learnt_later() -> None:
    short = [LONG.format("x", 5), LONG.format("y", 6)]
    long = [LONG.format("x" * 5000, 5), LONG.format("y" * 3000, 6)]
    cut = [long[0], long[1][:1023]]
    numbers = "UPDATE sailing SET note = 'n' WHERE id IN ({})"
    lists = [numbers.format(", ".join(map(str, range(n)))) for n in (3, 900)]
    assert len({pattern_of(circle(one)) for one in (short, long, cut)}) == 1
    assert statement_shape(lists[0]) == statement_shape(lists[1][:1023])
    assert statement_shape(LONG.format("x", 5)) != statement_shape("UPDATE sailing SET booked = 5 WHERE id = 5")
    known = circle(short)
    learnt = replace(
        known,
        parties=(
            known.parties[0],
            replace(known.parties[1], context='while updating tuple (0,3) in relation "sailing"'),
        ),
    )
    assert pattern_of(known) == pattern_of(learnt)


@pytest.mark.parametrize(
    ("statement", "table"),
    [
        ("INSERT INTO fare VALUES (1) ON CONFLICT (id) DO UPDATE SET amount = 1", "fare"),
        ("SELECT * FROM fare f JOIN port p ON true FOR UPDATE OF f", "fare"),
        ("SELECT * FROM fare FOR UPDATE SKIP LOCKED", "fare"),
    ],
)
def test_words_of_a_lock_clause_are_no_tables(statement: str, table: str) -> None:
    assert table_changed_by(statement) == table
    assert not {"set", "of", "f", "skip"} & set(tables_of(statement))


@pytest.mark.parametrize(
    ("key", "words"),
    [("[16400,0,42,1]", "advisory lock 42"), ("[16400,4294967295,4294967295,1]", "advisory lock -1"),
     ("[16400,7,4294967286,2]", "advisory lock (7, -10)"), ("[16400,1,0,1]", "advisory lock 4294967296")],
)  # fmt: skip
def test_an_advisory_lock_is_called_by_the_key_that_programs_know(key: str, words: str) -> None:
    report = circle(["SELECT pg_advisory_lock(1)"] * 2, lock=f"ExclusiveLock on advisory lock {key}")
    assert report.victim.wants.words == words


def test_a_process_that_is_none_of_the_circle_has_read_it_somewhere() -> None:
    event = LogEvent(
        at=EpochMs(1), kind=EventKind.DEADLOCK, pid=Pid(99), place=1, severity="ERROR", sqlstate="40P01",
        message="deadlock detected", statement="SELECT 1",
        detail="Process 10 waits for ShareLock on transaction 5; blocked by process 11.\n"
        "Process 11 waits for ShareLock on transaction 6; blocked by process 10.",
    )  # fmt: skip
    with pytest.raises(BadReport, match="not part of the circle"):
        read_report(event)


def test_without_codes_it_is_perhaps_a_message_that_somebody_raised() -> None:
    report = replace(circle(["UPDATE a SET x = 1 WHERE id = 1", "UPDATE a SET x = 1 WHERE id = 2"]), coded=False)
    assert "perhaps a message that somebody raised" in judge(report).sentence


def test_a_plan_that_scans_is_the_cause_before_the_order_is() -> None:
    report = circle(["UPDATE a SET x = 1 WHERE y = 1", "UPDATE a SET x = 1 WHERE y = 2"])
    assert judge(report, frozenset({11})).kind is Cause.MISSING_INDEX_SCAN


def test_a_plan_that_comes_after_the_deadlock_is_its_cause_as_well() -> None:
    def scans(statement: str, plan: str) -> bool:
        return plan == "scans" and statement.startswith("UPDATE")

    report = circle(["UPDATE a SET x = 1 WHERE y = 1", "UPDATE b SET x = 1 WHERE y = 2"])
    event = LogEvent(
        at=EpochMs(1), kind=EventKind.DEADLOCK, pid=report.parties[0].pid, place=1, severity="ERROR", sqlstate="40P01",
        message="deadlock detected", statement=report.parties[0].statement,
        detail="\n".join(
            [f"Process {p.pid} waits for ShareLock on transaction {p.pid}; blocked by process {p.waits_for}." for p in report.parties]
            + [f"Process {p.pid}: {p.statement}" for p in report.parties]
        ),
    )  # fmt: skip
    reader = DeadlockReader(REPORTS, scans)
    found = reader.take(event)
    assert found is not None
    assert reader.again(found) is found, "nothing was told since"
    for place, (text, plan) in enumerate([("SELECT 1", "scans"), ("UPDATE a SET x = 5 WHERE y = 9", "scans")]):
        reader.take(Execution(EpochMs(2), 5.0, Pid(40), place, text, plan=plan))
    assert found.cause.kind is not Cause.MISSING_INDEX_SCAN
    later = reader.again(found)
    assert (later.cause.kind, later.pattern) == (Cause.MISSING_INDEX_SCAN, found.pattern)
