"""Counter differences, figures of a window, texts."""

from dataclasses import replace

import numpy as np
import pytest
from faena.core.readings import COUNTER_FIELDS
from faena.core.series.window import Buckets, Window
from faena.core.sql.names import tables_of
from faena.core.sql.texts import fingerprint, gist, normalise
from faena.core.statements.counters import Break, difference
from faena.core.statements.figures import Measure, StatementFigures, figures_of, order, spread, sum_of_squares
from faena.core.statements.usualcost import hours_before, usual_times, window_hours_alike
from faena.core.units import EpochMs, QueryId
from faena.testing.builders import counters
from hypothesis import given
from hypothesis import strategies as st

times = st.lists(st.floats(0.001, 1e5), min_size=1, max_size=40)


def accumulated(values: list[float]) -> tuple[int, float, float]:
    """Calls, mean and population standard deviation, as a server keeps them."""
    return len(values), float(np.mean(values)), float(np.std(values))


@given(times, times)
def test_the_spread_of_a_window_is_that_of_its_own_executions(before: list[float], inside: list[float]) -> None:
    n0, mean0, dev0 = accumulated(before)
    n1, mean1, dev1 = accumulated(before + inside)
    squares = sum_of_squares(n1, mean1, dev1) - sum_of_squares(n0, mean0, dev0)
    total = n1 * mean1 - n0 * mean0
    got = spread(n1 - n0, total, squares)
    if len(inside) < 2:
        assert got is None
    else:
        # Differences of squares lose digits to the larger of the two spans; what is left must still be right.
        scale = max(before + inside)
        assert got == pytest.approx(float(np.std(inside)), abs=1e-5 * scale + 1e-9)


def test_a_difference_is_the_work_done_in_between() -> None:
    delta = difference(counters(0, q1=(10, 100.0), q2=(5, 5.0)), counters(15, q1=(14, 180.0), q2=(5, 5.0), q3=(1, 7.0)))
    assert [key.query_id for key in delta.keys] == [1, 3]
    assert delta.values[:, :2].tolist() == [[4.0, 80.0], [1.0, 7.0]]
    assert delta.breaks == frozenset()
    assert delta.until - delta.since == 15_000


def test_a_reset_is_told_and_what_came_after_counts() -> None:
    before = replace(counters(0, q1=(10, 100.0)), reset_at=EpochMs(1))
    after = replace(counters(15, q1=(12, 30.0)), reset_at=EpochMs(2))
    delta = difference(before, after)
    assert delta.breaks == {Break.RESET}
    assert delta.values[0, :2].tolist() == [12.0, 30.0], "twelve calls since the reset, not two"


def test_an_entry_that_was_evicted_and_came_back_counts_from_its_return() -> None:
    before = replace(counters(0, q1=(1000, 100.0)), evictions=3)
    after = replace(counters(15, q1=(2, 1.0)), evictions=4)
    delta = difference(before, after)
    assert delta.breaks == {Break.EVICTION}
    assert delta.values[0, 0] == 2.0


def test_an_entry_that_came_back_and_was_called_more_often_than_before_counts_from_its_return() -> None:
    before = replace(counters(0, q1=(10, 900.0)), evictions=3)
    after = replace(counters(15, q1=(12, 1.0)), evictions=4)
    delta = difference(before, after)
    assert delta.values[0, :2].tolist() == [12.0, 1.0], "its time went down, so it is another count"
    assert delta.breaks == {Break.EVICTION}


def test_where_entries_say_when_they_began_one_that_did_more_than_before_is_told_too() -> None:
    before = replace(counters(0, q1=(10, 9.0), q2=(3, 3.0)), evictions=3, entry_since=np.array([100.0, 50.0]))
    after = replace(counters(15, q1=(12, 11.0), q2=(4, 4.0)), evictions=4, entry_since=np.array([260.0, 50.0]))
    delta = difference(before, after)
    assert delta.values[:, :2].tolist() == [[12.0, 11.0], [1.0, 1.0]]
    assert delta.breaks == {Break.EVICTION}


def test_rounded_squares_alone_are_no_sign_of_a_return() -> None:
    before, after = counters(0, q1=(1000, 500.0)), counters(15, q1=(1001, 500.1))
    after.values[0, COUNTER_FIELDS.index("sumsq_ms2")] = 0.0
    delta = difference(before, after)
    assert delta.values[0, 0] == 1.0
    assert not delta.breaks


def test_a_single_entry_reset_by_hand_is_noticed() -> None:
    assert difference(counters(0, q1=(10, 9.0)), counters(15, q1=(1, 1.0))).breaks == {Break.RESET}


def test_a_restart_is_told() -> None:
    after = replace(counters(15, q1=(11, 9.0)), server_started=EpochMs(99))
    assert difference(counters(0, q1=(10, 8.0)), after).breaks == {Break.RESTART}


@given(st.dictionaries(st.integers(1, 9), st.tuples(st.integers(0, 99), st.integers(0, 9999)), max_size=9), st.data())
def test_no_difference_is_ever_negative(first: dict[int, tuple[int, int]], data: st.DataObject) -> None:
    second = data.draw(
        st.dictionaries(st.integers(1, 9), st.tuples(st.integers(0, 99), st.integers(0, 9999)), max_size=9)
    )
    delta = difference(
        counters(0, **{f"q{i}": (float(a), float(b)) for i, (a, b) in first.items()}),
        counters(15, **{f"q{i}": (float(a), float(b)) for i, (a, b) in second.items()}),
    )
    assert (delta.values >= 0).all()


def test_readings_out_of_order_are_refused() -> None:
    with pytest.raises(ValueError, match="out of order"):
        difference(counters(5), counters(5))


def test_ranking_puts_the_unknown_last() -> None:
    def one(query_id: int, calls: float, total: float) -> StatementFigures:
        sums = np.zeros(len(COUNTER_FIELDS))
        sums[:3] = (calls, total, total * total)
        return figures_of(QueryId(query_id), sums)

    found = [one(1, 1, 50.0), one(2, 4, 10.0), one(3, 2, 30.0)]
    assert [f.query_id for f in order(found, Measure.TOTAL)] == [1, 3, 2]
    assert [f.query_id for f in order(found, Measure.STDDEV)][-1] == 1
    assert [f.query_id for f in order(found, Measure.MEAN)] == [1, 3, 2]


@pytest.mark.parametrize(
    "text",
    [
        "SELECT * FROM booking WHERE reference = 'AB''C1' AND id IN (1, 2,3)",
        "select * from booking\n where reference = $1 and id in ($2, $3)  -- late",
        "SELECT * FROM booking WHERE reference = $q$x$q$ /* why */ AND id IN (-7, 8, 9, 10);",
    ],
)
def test_texts_that_differ_in_literals_only_are_one_statement(text: str) -> None:
    assert normalise(text).lower() == "select * from booking where reference = ? and id in (?)"
    assert fingerprint(text) == fingerprint("SELECT * FROM booking WHERE reference = ? AND id IN (?)")


def test_other_statements_have_other_fingerprints() -> None:
    assert fingerprint("SELECT 1 FROM t2") != fingerprint("SELECT 1 FROM t3"), "a digit in a name is no literal"
    assert -(2**63) <= fingerprint("SELECT 1") < 2**63


@pytest.mark.parametrize(
    ("text", "tables"),
    [
        ("SELECT * FROM booking b JOIN passenger p ON p.booking_id = b.id WHERE b.id = $1", ("booking", "passenger")),
        ("UPDATE deck_slot SET held_until = now() + interval $3 WHERE sailing_id = $1", ("deck_slot",)),
        ("WITH recent AS (SELECT * FROM sailing) SELECT * FROM recent", ("sailing",)),
        ("INSERT INTO gate_scan (ticket_id) SELECT id FROM ticket", ("gate_scan", "ticket")),
        ("COMMIT", ()),
        ("this is no SQL at all (", ()),
        ("", ()),
    ],
)
def test_tables(text: str, tables: tuple[str, ...]) -> None:
    assert tables_of(text) == tables


def test_the_gist_keeps_where_the_rows_come_from() -> None:
    text = "SELECT a, b, c, d, e, f, g, h, i, j, k, l, m, n, o, p, q FROM booking WHERE reference = $1 ORDER BY 1"
    assert gist(text) == "SELECT … FROM booking WHERE reference = $1 ORDER BY 1"
    assert len(gist("x" * 500)) == 80
    short = "SELECT id, sailing_id, state FROM booking WHERE reference = $1"
    assert gist(short) == short
    assert gist(short, 60) == "SELECT … FROM booking WHERE reference = $1"


HOUR = 3_600_000
DAY = 24 * HOUR


def test_usual_time_is_the_median_of_days_alike_by_the_part_of_each_hour() -> None:
    friday = 29 * DAY  # 1970-01-30
    window = Window(start=EpochMs(friday + HOUR // 2), end=EpochMs(friday + 2 * HOUR))
    days = window_hours_alike(window, 5)
    assert days[0] == [(28 * DAY, 0.5), (28 * DAY + HOUR, 1.0)]
    hours = sorted({hour for day in days for hour, _ in day})
    worked = np.full((2, len(hours)), 3_600_000.0)
    worked[0, :2] *= 10
    worked[1, 1:] = 0
    found = usual_times(hours, worked, set(hours), days)
    assert found is not None
    assert found[0] == pytest.approx(1000), "one bad day does not become the rule"
    assert found[1] == 0, "it mostly does not run then"
    assert usual_times(hours, worked, set(hours[-4:]), days) is None, "two days are no rule"


def test_workdays_are_compared_with_workdays_and_weekends_with_weekends() -> None:
    def backs(day: int, hours: int = 1) -> list[int]:
        window = Window(start=EpochMs(day * DAY + 20 * HOUR), end=EpochMs(day * DAY + (20 + hours) * HOUR))
        return [(window.start - alike[0][0]) // DAY for alike in window_hours_alike(window, 5)]

    monday, saturday = 32, 30
    assert backs(monday) == [3, 4, 5, 6, 7], "not the weekend before it"
    assert backs(saturday) == [6, 7, 13, 14, 20]
    assert backs(saturday - 1, hours=8) == [7, 14, 21, 28], "from Friday into Saturday: only such nights"
    for first in (monday, saturday, saturday - 1):
        cells = Buckets(start=EpochMs(first * DAY + 20 * HOUR), width_ms=HOUR, count=8)
        for hour in hours_before(cells, 5):
            assert any((at - hour) % DAY == 0 and at > hour for at in cells.starts())
