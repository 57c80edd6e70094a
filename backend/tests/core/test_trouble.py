"""Which server is worst off, and in which words; how a figure changed."""

from math import nan

import pytest
from faena.core.answers.change import change
from faena.core.answers.trouble import UNREACHABLE, Glance, trouble
from hypothesis import given
from hypothesis import strategies as st


def glance(**values: object) -> Glance:
    quiet: dict[str, object] = {
        "reachable": True, "state_words": "", "running": 1.0, "waiting": 0.2, "blocked": 0.0, "cores": 8,
        "usual_waiting_high": 1.0, "usual_running_high": 3.0, "lag_ms": None, "deadlocks": 0.0,
    }  # fmt: skip
    return Glance(**{**quiet, **values})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({}, ""),
        ({"reachable": False, "state_words": "refused"}, "refused"),
        ({"blocked": 6.0, "waiting": 6.0}, "6.0 sessions wait for locks"),
        ({"running": 14.0}, "14.0 sessions run on 8 cores"),
        ({"waiting": 4.0}, "waiting 4.0, usually at most 1.0"),
        ({"lag_ms": 90_000.0}, "replay lags by 90 s"),
        ({"deadlocks": 3.0}, "3 deadlocks in the last hour"),
        ({"waiting": 40.0, "usual_waiting_high": nan}, "40.0 sessions wait, and what is usual is not known yet"),
        ({"waiting": 6.0, "usual_waiting_high": nan}, ""),
        ({"running": 14.0, "cores": None, "usual_running_high": nan}, ""),
    ],
)
def test_the_heaviest_sign_gives_the_words(values: dict[str, object], words: str) -> None:
    found = trouble(glance(**values))
    assert found.words == words
    assert (found.score > 0) == bool(words)


sessions = st.floats(0, 500)


@given(sessions, sessions, sessions, st.floats(0, 1e7), st.floats(0, 100))
def test_more_of_anything_is_never_less_trouble(
    running: float, waiting: float, blocked: float, lag: float, dead: float
) -> None:
    base = trouble(glance(running=running, waiting=waiting, blocked=blocked, lag_ms=lag, deadlocks=dead)).score
    for name, value in (
        ("running", running),
        ("waiting", waiting),
        ("blocked", blocked),
        ("lag_ms", lag),
        ("deadlocks", dead),
    ):
        values = {"running": running, "waiting": waiting, "blocked": blocked, "lag_ms": lag, "deadlocks": dead}
        assert trouble(glance(**{**values, name: value + 10})).score >= base - 1e-9
    assert base < UNREACHABLE * 10
    assert trouble(glance(running=nan, waiting=nan)).words == "", "what is not known is no sign"


def test_a_change_is_known_only_where_both_figures_are() -> None:
    assert (change(6.0, 2.0).difference, change(6.0, 2.0).ratio) == (4.0, 3.0)
    assert (change(6.0, 0.0).difference, change(6.0, 0.0).ratio) == (6.0, None)
    assert change(nan, 2.0).difference is None
    assert change(2.0, nan).ratio is None
