"""The class of cause where the log tells little: told from reports as servers write them, three parties included."""

import pytest
from faena.core.deadlocks.cause import Cause, judge, sentence
from faena.core.deadlocks.report import Report, read_report
from faena.core.logged import EventKind, LogEvent
from faena.core.units import EpochMs, Pid


def circle(statements: list[str], *, context: str = "", lock: str = "ShareLock on transaction {n}") -> Report:
    """Each of so many parties waits for the next; the first is the victim."""
    n = len(statements)
    waits = [
        f"Process {10 + i} waits for {lock.format(n=90 + i)}; blocked by process {10 + (i + 1) % n}." for i in range(n)
    ]
    told = [f"Process {10 + i}: {text}" for i, text in enumerate(statements)]
    return read_report(
        LogEvent(
            at=EpochMs(1), kind=EventKind.DEADLOCK, pid=Pid(10), place=1, severity="ERROR", sqlstate="40P01",
            message="deadlock detected", detail="\n".join([*waits, *told]), context=context, statement=statements[0],
        )
    )  # fmt: skip


def test_three_that_look_rows_up_by_parameters_may_want_any_rows() -> None:
    update = "UPDATE slot SET held = held WHERE sailing = 17 AND slot_no = $1"
    report = circle([update] * 3, context='while updating tuple (0,12) in relation "slot"')
    assert judge(report).cause is Cause.OPPOSITE_ORDER
    assert [one.pid for one in report.parties] == [10, 11, 12]
    assert sentence(report).count("wanted") == 3


@pytest.mark.parametrize(("parties", "word"), [(2, "Both"), (3, "All 3")])
def test_the_same_row_by_its_key_is_an_upgrade_of_all(parties: int, word: str) -> None:
    update = "UPDATE slot SET held = 1 WHERE id = 7"
    found = judge(circle([update] * parties, context='while updating tuple (0,12) in relation "slot"'))
    assert found.cause is Cause.UPGRADE
    assert found.reason.startswith(word)


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
    assert found.cause is cause
    assert found.reason
    assert len(found.mends) >= 2


def test_a_plan_that_scans_is_the_cause_before_the_order_is() -> None:
    report = circle(["UPDATE a SET x = 1 WHERE y = 1", "UPDATE a SET x = 1 WHERE y = 2"])
    assert judge(report, frozenset({11})).cause is Cause.MISSING_INDEX_SCAN
