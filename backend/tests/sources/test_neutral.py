"""The open layout of session samples: what is read, what is refused and why."""

from datetime import UTC, datetime

import pytest
from faena.core.readings import UNKNOWN_AGE
from faena.core.sql.texts import fingerprint
from faena.sources.files.neutral import MAX_TOLD, BadRow, Faults, by_tick, read_row, read_rows, read_time
from hypothesis import given
from hypothesis import strategies as st

MOMENT = 1_795_425_600_000
ROW = {"time": "2026-11-23T09:20:00Z", "session": "17", "state": "active"}


def test_the_least_that_a_row_needs() -> None:
    row = read_row(ROW)
    assert row.at == int(datetime(2026, 11, 23, 9, 20, tzinfo=UTC).timestamp() * 1000)
    assert row.session is not None
    assert (row.session.pid, row.session.is_active, row.session.statement_ms) == (17, True, UNKNOWN_AGE)
    assert (row.session.query_id, row.session.backend) == (None, "client backend")
    assert read_row({"time": MOMENT, "session": "", "state": "none"}).session is None


def test_all_that_a_row_can_say() -> None:
    text = "UPDATE deck_slot SET held = 5 WHERE id = 'x'"
    row = read_row(
        ROW | {"wait_type": "Lock", "wait_event": "row", "program": "booking-web", "user": "web", "client": "10.0.0.1",
               "database": "ferry", "statement": text, "blocked_by": "console", "statement_ms": "12.7",
               "transaction_ms": 99, "session_started": 1_795_425_000, "state": "idle_in_transaction"}
    )  # fmt: skip
    assert row.session is not None
    assert row.text == "UPDATE deck_slot SET held = $1 WHERE id = $2"
    assert "'x'" not in (row.text or ""), "literals are not kept"
    assert row.session.query_id == fingerprint(text)
    assert (row.session.state, row.session.statement_ms, row.session.transaction_ms) == ("idle in transaction", 12, 99)
    assert row.session.blocked_by == (read_row(ROW | {"session": "console"}).session.pid,)  # type: ignore[union-attr]
    assert row.session.started_s == 1_795_425_000


@given(st.integers(946_684_800, 4_102_444_799))
def test_a_moment_is_the_same_however_it_is_written(second: int) -> None:
    written = datetime.fromtimestamp(second, UTC)
    forms = [second, second * 1000, str(second), written.isoformat(), written.isoformat().replace("+00:00", "Z")]
    if second >= 1_000_000_000:
        assert {read_time(form, "time") for form in forms} == {second * 1000}
    else:
        assert read_time(written.isoformat(), "time") == second * 1000


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"time": ""}, "time is missing"),
        ({"time": "yesterday"}, "'yesterday' is no time"),
        ({"time": "2026-11-23T09:20:00"}, "has no offset"),
        ({"time": "1999-01-01T00:00:00Z"}, "outside 2000 to 2100"),
        ({"time": "nan"}, "outside 2000 to 2100"),
        ({"time": 1e300}, "outside 2000 to 2100"),
        ({"session": None}, "session is missing"),
        ({"state": " "}, "state is missing"),
        ({"statement_ms": "soon"}, "statement_ms 'soon' is no number"),
        ({"transaction_ms": -1}, "must be zero or more"),
        ({"program": "x" * 501}, "program has 501 characters"),
    ],
)
def test_a_bad_row_says_which_column_and_why(change: dict[str, object], words: str) -> None:
    with pytest.raises(BadRow, match=words):
        read_row(ROW | change)


def test_bad_rows_are_counted_and_do_not_stop_the_rest() -> None:
    faults = Faults()
    rows = [(i, ROW | {"session": i} if i % 3 else {"time": "x"}) for i in range(1, 1000)]
    good = list(read_rows([*rows, (1000, "5 cells, but 4 columns")], faults))
    assert len(good) == 666
    assert faults.count == 334
    assert len(faults.told) == MAX_TOLD
    assert (faults.told[0].line, faults.told[0].reason) == (
        3,
        "time 'x' is no time; write 2026-11-23T09:20:00Z, or seconds since 1970",
    )


def test_rows_become_ticks_in_order_of_time() -> None:
    faults = Faults()
    times = [(0, 1), (0, 2), (0, 1), (1, None), (3, 5), (2, 9), (3, 6)]
    raw = [
        (i, {"time": MOMENT + 1000 * second, "session": pid, "state": "active" if pid else "none"})
        for i, (second, pid) in enumerate(times)
    ]
    readings = [reading for reading, _ in by_tick(read_rows(raw, faults), faults)]
    assert [(r.due - MOMENT, [s.pid for s in r.sessions]) for r in readings] == [
        (0, [1, 2]),
        (1000, []),
        (3000, [5, 6]),
    ]
    assert faults.count == 1
    assert "sort the file by time" in faults.told[0].reason


@given(st.dictionaries(st.sampled_from(["time", "session", "state", "statement", "blocked_by", "statement_ms", "user"]),
                       st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=20)))  # fmt: skip
def test_no_row_breaks_the_reader(raw: dict[str, object]) -> None:
    faults = Faults()
    list(read_rows([(1, raw)], faults))
    assert faults.count <= 1
