"""Single executions: which are kept, what they stand for, where they are drawn, what a table of them says."""

import json

import numpy as np
import pytest
from faena.core.engines.postgres.logneeds import log_needs
from faena.core.logged import CaptureRules, Execution
from faena.core.series.window import Buckets
from faena.core.statements.density import density, quantiles
from faena.core.statements.executions import LoggedShare, chosen, logged_share
from faena.core.statements.pivot import Aggregate, PivotBy, PivotMeasure, duration_class, pivot
from faena.core.units import EpochMs, Pid
from hypothesis import given
from hypothesis import strategies as st

BUCKETS = Buckets(start=EpochMs(0), width_ms=1000, count=10)


def run(ended: int, took: float, *, weight: float = 1.0, program: str = "web", place: int = 0) -> Execution:
    return Execution(EpochMs(ended), took, Pid(7), place, program=program, weight=weight)


def test_an_execution_stands_over_the_time_it_ran() -> None:
    found = density([run(5500, 3200, weight=4)], BUCKETS)
    row = found.counts[found.counts.any(axis=1)][0]
    assert row.tolist() == [0, 0, 4, 4, 4, 4, 0, 0, 0, 0]


@given(st.lists(st.tuples(st.integers(0, 9999), st.floats(0.001, 900), st.floats(1, 50)), min_size=1, max_size=40))
def test_no_execution_is_lost_between_the_cells(given_runs: list[tuple[int, float, float]]) -> None:
    runs = [run(ended, took, weight=weight) for ended, took, weight in given_runs]
    found = density(runs, BUCKETS)
    buckets_of = [max(0, min(9, r.ended // 1000)) - max(0, r.started // 1000) + 1 for r in runs]
    assert found.counts.sum() == pytest.approx(sum(r.weight * n for r, n in zip(runs, buckets_of, strict=True)))


def test_quantiles_are_weighted_and_need_enough() -> None:
    took, weights = np.array([1.0, 10.0, 100.0]), np.array([98.0, 1.0, 1.0])
    assert quantiles(took, weights, [0.5, 0.99]) == [1.0, None], "the slowest of three is no p99"
    many = np.arange(1.0, 1001.0)
    assert quantiles(many, np.ones(1000), [0.5, 0.95, 0.99]) == [500.0, 950.0, 990.0]


def test_a_share_of_the_fast_ones_stands_for_all() -> None:
    runs = [run(i, 5.0, place=i) for i in range(20_000)] + [run(i, 5000.0, place=i) for i in range(50)]
    kept = chosen(runs, CaptureRules(slow_ms=1000, fast_share=0.1), LoggedShare(all_from_ms=0))
    slow = [one for one in kept if one.took_ms > 1000]
    assert len(slow) == 50
    assert {one.weight for one in slow} == {1.0}
    fast = sum(one.weight for one in kept) - 50
    assert fast == pytest.approx(20_000, rel=0.1)
    assert chosen(runs, CaptureRules(slow_ms=1000, fast_share=0.1), LoggedShare(all_from_ms=0)) == kept


def test_a_phase_alone_is_no_quick_execution() -> None:
    bind = run(1, 0.1)._replace(bind_ms=0.1)
    slow = run(2, 1500.0)._replace(parse_ms=1500.0)
    assert chosen([bind, slow], CaptureRules(fast_share=1.0), LoggedShare(all_from_ms=0)) == [slow]


def test_what_the_server_left_out_is_weighed_in() -> None:
    logged = logged_share(
        {"log_min_duration_statement": "250", "log_min_duration_sample": "0", "log_statement_sample_rate": "0.01"}
    )
    kept = chosen([run(1, 3.0), run(2, 400.0)], CaptureRules(slow_ms=200, fast_share=0.5), logged)
    assert [one.weight for one in kept] == [100.0, 1.0]


def test_sampled_transactions_log_executions_however_quick() -> None:
    logged = logged_share({"log_min_duration_statement": "250", "log_transaction_sample_rate": "0.1"})
    assert (logged.of(3.0), logged.of(400.0)) == (pytest.approx(0.1), 1.0)
    both = logged_share({
        "log_min_duration_statement": "250", "log_min_duration_sample": "10", "log_statement_sample_rate": "0.5",
        "log_transaction_sample_rate": "0.1",
    })  # fmt: skip
    assert both.of(20.0) == pytest.approx(0.55), "by either of the two"
    assert both.of(3.0) == pytest.approx(0.1)
    assert logged_share({"log_min_duration_statement": "-1"}).of(3.0) == 1.0, "nobody knows why it is there"


def test_roles_and_databases_have_thresholds_of_their_own() -> None:
    set_for = [
        ("gate", "", "log_min_duration_statement", "1s"),
        ("gate", "yard", "log_statement_sample_rate", "0.2"),
        ("", "yard", "log_min_duration_sample", "5ms"),
        ("", "yard", "log_statement_sample_rate", "0.5"),
    ]
    logged = logged_share({"log_min_duration_statement": "0", "of_some": json.dumps(set_for)})
    assert logged.of(3.0, "web", "shop") == 1.0
    assert logged.of_some["gate", ""].all_from_ms == 1000.0
    assert logged.of(20.0, "gate", "yard") == pytest.approx(0.2), "what is set for the role there counts first"
    assert logged.of(20.0, "web", "yard") == 1.0, "all from nought on, as everywhere"
    assert [
        one.weight
        for one in chosen([run(1, 20.0)._replace(user="gate", database="yard")], CaptureRules(slow_ms=1), logged)
    ] == [5.0]


def test_a_role_whose_executions_are_not_logged_is_told_with_what_mends_it() -> None:
    settings = {
        "log_min_duration_statement": "100",
        "of_some": json.dumps(
            [('ga"te', "yard", "log_min_duration_statement", "-1"), ("web", "", "log_min_duration_statement", "50ms")]
        ),
    }
    told = [
        one
        for one in log_needs(settings, 150000, CaptureRules(slow_ms=200), None)
        if one.name.startswith("slow executions of")
    ]
    assert [(one.name, one.found, one.remedy) for one in told] == [
        (
            'slow executions of role ga"te in database yard', "log_min_duration_statement = -1 there",
            'ALTER ROLE "ga""te" IN DATABASE "yard" RESET log_min_duration_statement;',
        )
    ]  # fmt: skip


def test_a_table_of_executions() -> None:
    runs = [run(1, 5, weight=10), run(2, 50, program="gate"), run(3, 70, program="gate", weight=3)]
    labels = {PivotBy.PROGRAM: lambda one: one.program, PivotBy.DURATION: lambda one: duration_class(one.took_ms)}
    table = pivot(runs, labels, PivotBy.PROGRAM, PivotBy.DURATION, PivotMeasure.TOOK, Aggregate.SUM)
    assert table.rows == ["gate", "web"]
    assert table.columns == ["< 10 ms", "< 100 ms"]
    assert table.cells == [[None, 260.0], [50.0, None]]
    assert table.total == 310.0
    counted = pivot(runs, labels, PivotBy.PROGRAM, None, PivotMeasure.TOOK, Aggregate.COUNT)
    assert dict(zip(counted.rows, counted.row_totals, strict=True)) == {"web": 10.0, "gate": 4.0}
    mean = pivot(runs, labels, PivotBy.PROGRAM, None, PivotMeasure.TOOK, Aggregate.MEAN)
    assert mean.total == pytest.approx((50 + 50 + 210) / 14)


def test_hours_and_durations_stand_in_their_own_order() -> None:
    took = (30_000.0, 0.5, 700.0, 5.0, 5000.0, 50.0)
    runs = [run(i, ms, program=f"p{i}") for i, ms in enumerate(took)]
    labels = {
        PivotBy.PROGRAM: lambda one: one.program,
        PivotBy.DURATION: lambda one: duration_class(one.took_ms),
        PivotBy.HOUR: lambda one: f"{one.program}:00",
    }
    expected = ["< 1 ms", "< 10 ms", "< 100 ms", "< 1 s", "< 10 s", "10 s and more"]
    across = pivot(runs, labels, PivotBy.PROGRAM, PivotBy.DURATION, PivotMeasure.TOOK, Aggregate.SUM)
    assert across.columns == expected
    assert across.rows[0] == "p0", "other rows stand by size"
    down = pivot(runs, labels, PivotBy.DURATION, PivotBy.HOUR, PivotMeasure.TOOK, Aggregate.SUM)
    assert down.rows == expected
    assert down.columns == sorted(down.columns)


def test_what_the_log_needs_is_said_with_the_statement_that_mends_it() -> None:
    needs = {one.name: one for one in log_needs({"log_destination": "stderr"}, 150000, CaptureRules(), 1000.0)}
    assert all(not one.ok and one.remedy for one in needs.values())
    assert "jsonlog" in needs["a form that names programs and identifiers"].remedy
    assert "10 entries a second" in needs["a share of the fast ones"].cost
    good = {
        "logging_collector": "on", "log_destination": "csvlog", "log_min_duration_statement": "250",
        "log_min_duration_sample": "0", "log_statement_sample_rate": "0.01", "log_lock_waits": "on",
        "log_temp_files": "0", "shared_preload_libraries": "auto_explain", "auto_explain.log_min_duration": "250",
    }  # fmt: skip
    assert all(one.ok for one in log_needs(good, 140000, CaptureRules(), None))
