"""Parts of a change add up, whatever the windows held, and name the cause that was put in."""

import re

import pytest
from faena.core.answers.cause_split import cause_split, sentence
from faena.core.statements.figures import Effort
from faena.core.units import QueryId
from hypothesis import given
from hypothesis import strategies as st

Efforts = dict[QueryId, Effort]


def ran(query_id: int, calls: float, cost: float, reads: float = 0, latency: float = 0) -> Efforts:
    return {QueryId(query_id): Effort(calls, calls * cost, reads, reads * latency)}


amounts = st.floats(0, 1e6).map(lambda x: round(x, 3))
windows = st.dictionaries(st.integers(1, 6), st.tuples(amounts, amounts, amounts, amounts), max_size=6).map(
    lambda d: {k: one for i, v in d.items() for k, one in ran(i, *v).items()}
)


@given(windows, windows, st.floats(1, 1e5), st.floats(1, 1e5))
def test_the_parts_add_up(before: Efforts, after: Efforts, before_s: float, after_s: float) -> None:
    split = cause_split(before, after, before_s, after_s)
    # Parts larger than the whole cancel each other, and what is lost then is of their size.
    size = max(1.0, split.before, split.after, abs(split.volume), abs(split.mix), abs(split.cost))
    near = pytest.approx(0, abs=1e-9 * size)
    assert split.before + split.volume + split.mix + split.cost - split.after == near
    assert sum(part.change for part in split.parts) - split.change == near
    reads = pytest.approx(0, abs=1e-9 * max(1.0, split.reads_before, split.reads_after))
    assert split.reads_before + split.by_count + split.by_latency - split.reads_after == reads


@given(windows, windows)
def test_both_windows_are_treated_alike(one: Efforts, other: Efforts) -> None:
    there, back = cause_split(one, other, 60, 60), cause_split(other, one, 60, 60)
    size = max(1.0, there.before, there.after, abs(there.volume), abs(there.mix), abs(there.cost))
    for name in ("volume", "mix", "cost", "by_count", "by_latency"):
        assert getattr(there, name) == pytest.approx(-getattr(back, name), abs=1e-9 * size)


BASE = ran(1, 600, 10, reads=600, latency=1) | ran(2, 60, 100)


@pytest.mark.parametrize(
    ("after", "cause", "words"),
    [
        (ran(1, 1800, 10) | ran(2, 180, 100), "volume", "more calls"),
        (ran(1, 600, 40) | ran(2, 60, 100), "cost", "each call is dearer"),
        (ran(1, 60, 10) | ran(2, 600, 100), "mix", "other statements"),
    ],
)
def test_a_cause_put_in_is_named(after: Efforts, cause: str, words: str) -> None:
    split = cause_split(BASE, after, 60, 60)
    assert getattr(split, cause) == pytest.approx(split.change, rel=0.2)
    assert words in sentence(split, "the one", "an hour before")


def test_slower_reads_are_told_from_more_reads() -> None:
    slower = cause_split(BASE, ran(1, 600, 10, reads=600, latency=5), 60, 60)
    assert slower.by_latency == pytest.approx(slower.reads_after - slower.reads_before)
    more = cause_split(BASE, ran(1, 600, 10, reads=3000, latency=1), 60, 60)
    assert more.by_count == pytest.approx(more.reads_after - more.reads_before)


def test_longer_windows_are_no_more_load() -> None:
    assert cause_split(BASE, ran(1, 6000, 10) | ran(2, 600, 100), 60, 600).change == pytest.approx(0)


@given(windows, windows)
def test_no_sentence_tells_a_share_that_is_none_or_a_cause_that_works_the_other_way(
    before: Efforts, after: Efforts
) -> None:
    split = cause_split(before, after, 60, 60)
    if not split.parts:
        return
    told = sentence(split, "X", "an hour before")
    shares = [float(one) for one in re.findall(r"([-\d.]+)%", told)]
    assert all(0 <= share <= 100 for share in shares)
    assert "more than all" not in told
    if "of the difference is dearer calls" in told:
        assert split.change > 0
        assert split.cost > 0
    if "of the difference is cheaper calls" in told:
        assert split.change < 0
        assert split.cost < 0


def test_one_doubled_beside_one_vanished_is_not_about_the_same() -> None:
    before = ran(1, 600, 10) | ran(2, 600, 10)
    split = cause_split(before, ran(1, 1200, 10), 60, 60)
    assert split.change == pytest.approx(0)
    told = sentence(split, "the one", "an hour before")
    assert "about the same" in told
    assert "But not what makes it up: 100 ms a second more and 100 ms a second less" in told
    assert "But" not in sentence(cause_split(before, before, 60, 60), "the one", "an hour before")


def test_parts_that_work_against_each_other_are_told_in_time_and_not_in_shares() -> None:
    """Twice the calls at a third of the cost, which is less in all: neither is a share of the difference."""
    split = cause_split(ran(1, 600, 30), ran(1, 1200, 10), 60, 60)
    told = sentence(split, "the one", "an hour before")
    assert "by cheaper calls" in told
    assert "by more calls" in told
    assert "%" not in told.split(":")[1].split(".")[0]
