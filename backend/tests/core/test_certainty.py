"""Margins of sampled figures."""

from collections.abc import Callable
from random import Random

import numpy as np
import pytest
from faena.core.errors import NoTicks
from faena.core.series.certainty import sessions_margin, share_margin, spread
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


def test_sessions_that_come_in_bursts_say_less() -> None:
    """Ten at once, in every tenth tick by chance: seen as often as one in each tick, and known much worse."""
    chance = Random(11)
    bursts = np.array([10.0 * (chance.random() < 0.1) for _ in range(600)])
    alone = np.array([float(sum(chance.random() < 0.1 for _ in range(10))) for _ in range(600)])
    rising = np.repeat(np.arange(20.0), 30)
    assert spread(bursts) == pytest.approx(9, rel=0.2)
    assert spread(alone) == pytest.approx(1, abs=0.15)
    assert spread(rising) == 1.0, "a load that changes slowly is no chance of sampling"
    assert spread(np.zeros(5)) == 1.0
    assert sessions_margin(600, 600, 9.0) == pytest.approx(3 * sessions_margin(600, 600), rel=0.01)
    assert share_margin(300, 600, 9.0) > 2.8 * share_margin(300, 600)


def test_nothing_seen_is_not_certainly_nothing() -> None:
    assert sessions_margin(0, 10) > 0.1


@pytest.mark.parametrize("call", [lambda: share_margin(0, 0), lambda: sessions_margin(0, 0)])
def test_no_samples_have_no_margin(call: Callable[[], float]) -> None:
    with pytest.raises(NoTicks):
        call()
