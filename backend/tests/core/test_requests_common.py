"""What requests have in common: the same as counted by hand and by exact fractions, and nothing where chance explains it."""

from fractions import Fraction
from math import comb
from random import Random

import pytest
from faena.core.requests.common import LEAST_PICKED, UNLIKELY, Marked, fisher, in_common
from hypothesis import given
from hypothesis import strategies as st


def exact(with_mark: int, picked: int, others_with: int, others: int) -> Fraction:
    """The slow and obvious twin: all ways, counted."""
    marked, whole = with_mark + others_with, picked + others
    ways = sum(
        comb(marked, n) * comb(whole - marked, picked - n)
        for n in range(with_mark, picked + 1)
        if picked - n <= whole - marked
    )
    return Fraction(ways, comb(whole, picked))


@given(st.integers(1, 40), st.integers(1, 60), st.data())
def test_the_test_is_exact(picked: int, others: int, data: st.DataObject) -> None:
    a, b = data.draw(st.integers(0, picked)), data.draw(st.integers(0, others))
    assert fisher(a, picked, b, others) == pytest.approx(float(exact(a, picked, b, others)), rel=1e-9, abs=1e-300)


def test_large_counts_neither_overflow_nor_vanish() -> None:
    assert fisher(900, 1000, 900, 100_000) < 1e-200
    assert fisher(10, 1000, 1000, 100_000) == pytest.approx(0.54, abs=0.02)


def test_what_sets_the_slow_ones_apart_comes_first_with_its_counts() -> None:
    slow = [Marked(marks={"deck=upper", "host=a", "kind=all"}) for _ in range(9)] + [
        Marked(marks={"host=b", "kind=all"})
    ]
    fast = [Marked(marks={"deck=lower", f"host={'ab'[i % 2]}", "kind=all"}) for i in range(200)]
    fast += [Marked(marks={"deck=upper", "host=a", "kind=all"}) for _ in range(4)]
    (found,) = in_common(slow, fast)
    assert (found.mark, found.picked, found.picked_share, found.others) == ("deck=upper", 9, 0.9, 4)
    assert found.others_share == pytest.approx(4 / 204)
    assert found.chance < 1e-6


def test_one_or_two_requests_prove_nothing_and_nobody_beside_them_neither() -> None:
    slow = [Marked(marks={"deck=upper"}) for _ in range(LEAST_PICKED - 1)]
    assert in_common(slow, [Marked(marks=set[str]()) for _ in range(500)]) == []
    assert in_common(slow * 5, []) == []
    assert in_common([], slow * 5) == []


def test_what_all_have_and_what_fewer_have_is_no_finding() -> None:
    slow, fast = [Marked(marks={"a"}) for _ in range(50)], [Marked(marks={"a", "b"}) for _ in range(50)]
    assert in_common(slow, fast) == []


@pytest.mark.parametrize("seed", range(20))
def test_chance_alone_is_seldom_told(seed: int) -> None:
    """Sixty attributes that mean nothing, over and over."""
    draw = Random(seed)
    made = [Marked(marks={f"k{k}={draw.randrange(3)}" for k in range(60)}) for _ in range(300)]
    assert in_common(made[:40], made[40:]) == []


def test_a_request_that_stands_for_many_proves_no_more_than_one() -> None:
    """Of the others each stands for a hundred; that does not make a hundred witnesses of one."""
    slow = [Marked(marks={"deck=upper"}) for _ in range(4)] + [Marked(marks=set[str]()) for _ in range(4)]
    few = [Marked(marks=set[str](), weight=100.0) for _ in range(6)]
    many = [Marked(marks=set[str]()) for _ in range(600)]
    assert in_common(slow, few) == []
    (found,) = in_common(slow, many)
    assert found.chance < UNLIKELY
