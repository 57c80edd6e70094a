"""Before and after: what is told of windows in which the truth is known."""

from collections import Counter
from dataclasses import replace
from math import exp, log

import numpy as np
import pytest
from faena.core.answers.proof.chances import beyond, corrected, reach
from faena.core.answers.proof.comparing import Comparison, compare
from faena.core.answers.proof.costs import Work, cost_of_calls, cost_of_the_same_work
from faena.core.answers.proof.loads import block_length, bootstrap_variance, load_difference
from faena.core.answers.proof.rates import conditional, episodes, none_by_chance, rate_change, told_after_s
from faena.core.answers.proof.sides import Aim, EarlierDay, Group, Question, Series, Side
from faena.core.answers.proof.verdicts import Verdict, by_how_much
from faena.core.series.window import Window
from faena.core.statements.figures import Effort
from faena.core.units import EpochMs, QueryId
from hypothesis import given
from hypothesis import strategies as st

START, HALF_HOUR_S = 1_800_000_000_000, 1800
LOOKUP, REPORT = QueryId(1), QueryId(2)


def work(cost: float = 5.0, calls: float = 600.0, blocks: int = 24, seed: int = 1, varies: float = 0.05) -> Work:
    """Calls whose blocks differ by chance."""
    random = np.random.default_rng(seed)
    many = random.poisson(calls, blocks).astype(np.float64)
    ms = many * cost * random.normal(1, varies, blocks)
    return Work(calls=many, ms=ms, sumsq=many * cost**2 * 1.5)


def side(
    works: dict[QueryId, Work], at_s: int = 0, seconds: int = HALF_HOUR_S, load: float = 4.0, seed: int = 1
) -> Side:
    random = np.random.default_rng(seed)
    start = EpochMs(START + at_s * 1000)
    kinds = {"lock": Series(label="lock", unit="sessions", values=random.poisson(load, 360) * 1.0, least=0.1)}
    return Side(
        window=Window(start=start, end=EpochMs(start + seconds * 1000)), counted_s=seconds, works=works, load=kinds,
        logged_s=seconds,
    )  # fmt: skip


def judged(before: Side, after: Side, **question: object) -> Comparison:
    return compare(before, after, Question(**question))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("freedom", "level", "wide"), [(5, 0.95, 2.571), (10, 0.99, 3.169), (30, 0.95, 2.042), (3, 0.9, 2.353)]
)
def test_students_distribution_is_close_to_the_tables(freedom: int, level: float, wide: float) -> None:
    assert reach(level, freedom) == pytest.approx(wide, rel=0.01)
    assert 2 * beyond(wide, freedom) == pytest.approx(1 - level, abs=0.002)


@given(st.floats(0.5, 0.999), st.floats(1, 500))
def test_an_interval_and_the_chance_beside_it_never_contradict(level: float, freedom: float) -> None:
    assert 2 * beyond(reach(level, freedom), freedom) == pytest.approx(1 - level, abs=1e-6)


def test_of_many_measures_each_must_be_less_likely() -> None:
    assert corrected([0.01, 0.04, 0.03, 0.005]) == pytest.approx([0.03, 0.06, 0.06, 0.02])
    assert corrected([]) == []


@given(st.lists(st.floats(0, 1), min_size=1, max_size=30))
def test_the_correction_keeps_the_order_and_only_raises(chances: list[float]) -> None:
    found = corrected(chances)
    assert all(now >= was for now, was in zip(found, chances, strict=True))
    assert [found[i] for i in np.argsort(chances, kind="stable")] == sorted(found)


def test_two_rates_are_tested_exactly() -> None:
    assert conditional(5, 0, 0.5) == pytest.approx(2 / 32)
    assert conditional(0, 0, 0.5) == 1.0
    assert none_by_chance(6, 3600, 3600) == pytest.approx(1 / 64)
    assert none_by_chance(0, 3600, 3600) is None
    needed = told_after_s(6, 3600)
    assert needed is not None
    assert none_by_chance(6, 3600, needed) == pytest.approx(0.05)


def test_happenings_within_a_minute_are_one_witness() -> None:
    assert episodes([0, 10_000, 69_000, 200_000]) == 2
    flock = rate_change(list(range(0, 30_000, 1000)), [], 3600, 3600)
    assert flock is not None
    assert (flock.before, flock.episodes_before, flock.chance) == (30, 1, 1.0)


def test_the_bootstraps_variance_is_that_of_the_mean() -> None:
    """Of independent moments and of such that resemble their neighbours."""
    random = np.random.default_rng(5)
    for keeps, true in ((0.0, 1 / 360), (0.8, 9 / 360)):
        told = []
        for _ in range(60):
            noise, now = random.normal(0, (1 - keeps**2) ** 0.5, 360), 0.0
            series = np.empty(360)
            for i, one in enumerate(noise):
                now = keeps * now + one
                series[i] = now
            told.append(bootstrap_variance(series)[0])
        assert 0.6 * true < float(np.mean(told)) < 1.3 * true


def test_a_load_that_never_varies_has_no_error() -> None:
    assert bootstrap_variance(np.full(100, 3.0))[0] == 0.0
    assert block_length(np.zeros(50)) == 1
    found = load_difference(np.full(100, 3.0), np.full(100, 3.0))
    assert found is not None
    assert (found.change, found.chance) == (0.0, 1.0)
    assert load_difference(np.zeros(100), np.zeros(5)) is None


def test_what_a_call_costs_is_compared_with_its_interval() -> None:
    found = cost_of_calls(work(5.0, seed=1), work(6.5, seed=2))
    assert found is not None
    assert exp(found.change) == pytest.approx(1.3, rel=0.05)
    low, high = found.bounds()
    assert 1.2 < low < 1.3 < high < 1.4
    assert found.chance < 1e-6


def test_too_few_calls_or_blocks_tell_nothing() -> None:
    assert cost_of_calls(work(blocks=2), work()) is None
    rare = Work(calls=np.array([1.0, 1.0, 1.0]), ms=np.full(3, 5.0), sumsq=np.full(3, 25.0))
    assert cost_of_calls(rare, work()) is None


def test_more_calls_of_the_same_cost_are_no_dearer_work() -> None:
    before = {LOOKUP: work(5.0, 100.0, seed=1), REPORT: work(900.0, 2.0, seed=2)}
    after = {LOOKUP: work(5.0, 1000.0, seed=3), REPORT: work(900.0, 40.0, seed=4)}
    found = cost_of_the_same_work(before, after, 1800, 1800).difference
    assert found is not None
    assert abs(found.change) < log(1.06)


@given(st.integers(1, 10_000), st.floats(0.2, 5.0))
def test_the_other_way_round_the_change_is_its_opposite(seed: int, times: float) -> None:
    first, second = work(5.0, seed=seed), work(5.0 * times, seed=seed + 1)
    there, back = cost_of_calls(first, second), cost_of_calls(second, first)
    assert there is not None
    assert back is not None
    assert there.change == pytest.approx(-back.change, abs=1e-9)
    assert there.error == pytest.approx(back.error)


def test_unchanged_windows_are_seldom_called_better_or_worse() -> None:
    """By the whole way, with minutes that resemble each other; bench/proof.py has it in many worlds."""
    random = np.random.default_rng(11)
    verdicts = Counter[Verdict]()
    for _ in range(300):
        works = []
        for _ in range(2):
            drift = np.convolve(random.normal(0, 0.08, 25), np.full(2, 0.7), "valid")
            calls = random.poisson(400, 24).astype(np.float64)
            works.append(Work(calls=calls, ms=calls * 5 * np.exp(drift), sumsq=calls * 40))
        verdicts[judged(side({LOOKUP: works[0]}), side({LOOKUP: works[1]}, 3600)).verdict] += 1
    assert verdicts[Verdict.BETTER] + verdicts[Verdict.WORSE] <= 15


def test_an_index_that_helps_forty_times_is_told_from_three_readings() -> None:
    before = side({LOOKUP: work(212.0, 20.0, blocks=12)})
    after = side({LOOKUP: work(5.3, 700.0, blocks=3, seed=2)}, 1800, seconds=45)
    found = judged(before, after, growing=True, about="statements on booking")
    assert found.verdict is Verdict.BETTER
    assert found.sentence.startswith("Better, 39 times: statements on booking take 39 times less time (95%: ")


def lookups_lately(cost: float, blocks: int, seed: int) -> Work:
    """A statement that ran in the last blocks alone."""
    ran = np.arange(120) >= 120 - blocks
    one = work(cost, 60.0, blocks=120, seed=seed)
    return Work(calls=one.calls * ran, ms=one.ms * ran, sumsq=one.sumsq * ran)


def test_an_index_that_helps_one_of_many_statements_is_told_by_that_one() -> None:
    """Beside half an hour of others on the table, two minutes of lookups that became cheap hardly show."""
    others = {REPORT: work(30.0, 200.0, blocks=120, seed=5, varies=0.6)}
    before = side({**others, LOOKUP: lookups_lately(150.0, 8, 1)})
    now = {REPORT: work(30.0, 200.0, blocks=6, seed=6, varies=0.6), LOOKUP: work(0.4, 60.0, blocks=6, seed=2)}
    after = side(now, 1800, seconds=90)
    asked = {"statements": [LOOKUP, REPORT], "about": "statements on booking", "growing": True}
    found = judged(before, after, **asked, texts={LOOKUP: "SELECT id FROM booking"})
    assert found.verdict is Verdict.BETTER
    assert found.sentence.startswith("Better, 3")
    assert "calls of “SELECT id FROM booking”, one of statements on booking, take" in found.sentence
    same = judged(before, side({**now, LOOKUP: work(150.0, 60.0, blocks=6, seed=2)}, 1800, seconds=90), **asked)
    assert same.verdict in (Verdict.SAME, Verdict.TOO_EARLY)


def test_a_quiet_afternoon_is_no_success() -> None:
    busy, quiet = {LOOKUP: work(5.0, 600.0)}, {LOOKUP: work(5.0, 200.0, seed=2)}
    before, after = side(busy, load=6.0), side(quiet, 3600, load=2.0, seed=2)
    found = judged(before, after, aim=Aim.LOAD, key="lock")
    assert found.verdict is Verdict.NOT_COMPARABLE
    assert "calls fell from 8 to 3 a second" in found.sentence
    gone = judged(before, side(quiet, 3600, load=0.0, seed=2), aim=Aim.LOAD, key="lock")
    assert gone.verdict is Verdict.BETTER, "more than the volume explains"


def test_earlier_days_say_what_was_to_be_expected() -> None:
    """The load falls each evening as it did now; on the one that did not fall as much, it is worse."""
    works = [{LOOKUP: work(5.0, 600.0)}, {LOOKUP: work(5.0, 200.0, seed=2)}]
    before, after = side(works[0], load=6.0), side(works[1], 3600, load=2.0, seed=2)
    effort = {LOOKUP: Effort(100.0, 500.0, 0.0, 0.0)}
    as_ever = [EarlierDay(before=effort, after=effort, load={"lock": (6.0 * d, 2.0)}) for d in (1.0, 0.95, 1.05, 1.0)]
    falls_more = [
        EarlierDay(before=effort, after=effort, load={"lock": (6.0 * d, 0.5)}) for d in (1.0, 0.95, 1.05, 1.0)
    ]
    question = Question(aim=Aim.LOAD, key="lock")
    assert compare(before, after, question, as_ever).verdict is Verdict.SAME
    found = compare(before, after, question, falls_more)
    assert found.verdict is Verdict.WORSE
    assert found.days == 4
    assert any("4 earlier days" in one for one in found.reasons)


def test_another_mix_is_not_compared() -> None:
    before = {LOOKUP: work(5.0), REPORT: work(500.0, 30.0)}
    after = {LOOKUP: work(5.0, seed=2), QueryId(3): work(500.0, 30.0, seed=3)}
    found = judged(side(before), side(after, 3600))
    assert found.verdict is Verdict.NOT_COMPARABLE
    assert "by statements that ran in both windows" in found.sentence


def test_a_server_that_changed_in_between_is_not_compared() -> None:
    found = judged(side({LOOKUP: work(9.0)}), side({LOOKUP: work(5.0, seed=2)}, 3600), server_changed=["cores: 4 → 8"])
    assert (found.verdict, found.sentence) == (
        Verdict.NOT_COMPARABLE, "Not comparable: the server changed in between: cores: 4 → 8.",
    )  # fmt: skip


@pytest.mark.parametrize("growing", [True, False])
def test_what_cannot_be_told_yet_says_when_it_can(growing: bool) -> None:
    before = side({LOOKUP: work(5.0, varies=0.3)})
    after = side({LOOKUP: work(5.5, blocks=4, varies=0.6, seed=2)}, 1800, seconds=240)
    found = judged(before, after, growing=growing)
    assert found.verdict is (Verdict.TOO_EARLY if growing else Verdict.UNKNOWN)
    assert (found.told_at is not None) is growing
    assert found.told_at is None or found.told_at > after.window.end
    nothing = judged(before, side({}, 1800, seconds=30), growing=growing)
    assert nothing.verdict is (Verdict.TOO_EARLY if growing else Verdict.UNKNOWN)


def test_none_since_comes_with_its_chance() -> None:
    before = replace(side({}, seconds=6 * 3600), happenings={"deadlock": [START + h * 3_600_000 for h in range(6)]})
    after = side({}, 6 * 3600, seconds=6 * 3600)
    found = judged(before, after, aim=Aim.HAPPENING, key="deadlock", growing=True)
    assert found.verdict is Verdict.TOO_EARLY, (
        "six in six hours, none in six: 1 in 64 to one side, and it was asked of both"
    )
    assert "by chance that has a probability of 0.016" in found.sentence
    longer = judged(before, side({}, 6 * 3600, seconds=24 * 3600), aim=Aim.HAPPENING, key="deadlock")
    assert longer.verdict is Verdict.BETTER
    assert longer.sentence.startswith("Better: deadlock: none since, of 6 in 6 h before")


def test_each_measure_has_a_verdict_of_its_own() -> None:
    before = side({LOOKUP: work(5.0), REPORT: work(500.0, 30.0, seed=3)}, load=5.0)
    after = side({LOOKUP: work(5.0, seed=2), REPORT: work(1500.0, 30.0, seed=4)}, 3600, load=5.0, seed=9)
    told = {(one.group, one.key): one.judged.verdict for one in judged(before, after).measures}
    assert told[Group.STATEMENT, "1"] is Verdict.SAME
    assert told[Group.STATEMENT, "2"] is Verdict.WORSE
    assert told[Group.LOAD, "lock"] is Verdict.SAME


@pytest.mark.parametrize(
    ("after", "words"), [(1.5, "320 times"), (0.05, "9 500 times"), (160.0, "3 times"), (400.0, "16%")]
)
def test_how_much_is_said_as_people_say_it(after: float, words: str) -> None:
    found = cost_of_calls(work(480.0), work(after, seed=2))
    assert found is not None
    assert by_how_much(found) == words
