"""Margins of sampled figures."""

from collections.abc import Callable
from random import Random

import pytest
from faena.core.errors import NoTicks
from faena.core.series.certainty import sessions_margin, share_margin
from hypothesis import given
from hypothesis import strategies as st


@given(st.integers(1, 10**6), st.data())
def test_a_margin_is_positive_and_shrinks_with_more_samples(total: int, data: st.DataObject) -> None:
    seen = data.draw(st.integers(0, total))
    margin = share_margin(seen, total)
    assert 0 < margin < 1
    assert share_margin(seen * 4, total * 4) < margin


def test_twelve_samples_say_less_than_twelve_thousand() -> None:
    assert share_margin(6, 12) > 0.2
    assert share_margin(6000, 12_000) < 0.01


def test_the_margin_covers_the_truth_as_often_as_it_claims() -> None:
    """Short waits seen by chance: each sample hits with the true probability. 95% must be covered, give or take."""
    chance = Random(7)
    for truth in (0.03, 0.2, 0.5):
        hits = 0
        for _ in range(800):
            seen = sum(chance.random() < truth for _ in range(60))
            hits += abs(seen / 60 - truth) <= share_margin(seen, 60)  # as it is shown
        assert hits / 800 > 0.93


def test_nothing_seen_is_not_certainly_nothing() -> None:
    assert sessions_margin(0, 10) > 0.1


@pytest.mark.parametrize("call", [lambda: share_margin(0, 0), lambda: sessions_margin(0, 0)])
def test_no_samples_have_no_margin(call: Callable[[], float]) -> None:
    with pytest.raises(NoTicks):
        call()
