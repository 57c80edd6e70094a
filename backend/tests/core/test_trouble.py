"""Which server is worst off, and in which words; how a figure changed."""

from math import nan

import pytest
from faena.core.answers.change import change
from faena.core.answers.evidence import UsualMost
from faena.core.answers.signs.lock_waits import lock_waits
from faena.core.answers.signs.sign import Sign
from faena.core.answers.signs.unreachable import WEIGHT
from faena.core.answers.trouble import score, troubles
from faena.core.findings import Reference, Severity
from faena.testing.evidence import MadeUpEvidence
from hypothesis import given
from hypothesis import strategies as st


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
    found = troubles(MadeUpEvidence(**values))  # type: ignore[arg-type]
    assert (found[0].sentence if found else "") == words
    assert (score(found) > 0) == bool(words)


def test_a_sign_leads_to_where_it_is_seen_and_says_what_it_rules_out() -> None:
    evidence = MadeUpEvidence(blocked=6.0, waiting=6.0)
    first, *_ = troubles(evidence)
    window = {"from": str(evidence.window.start), "to": str(evidence.window.end)}
    assert first.evidence == (Reference("/servers/7/blocking", window),)
    assert (first.severity, first.rules_out) == (Severity.NOW, ("disk", "too few cores"))
    assert first.at_stake_ms == 12.0 * 60_000


def test_what_a_rule_does_not_ask_for_is_never_read() -> None:
    class Unread(MadeUpEvidence):
        __slots__ = ()

        def usual_most(self) -> UsualMost:
            raise AssertionError("lock waits need no baseline")

    assert [one.kind for one in troubles(Unread(blocked=3.0), (lock_waits,))] == [Sign.LOCK_WAITS]


sessions = st.floats(0, 500)


@given(sessions, sessions, sessions, st.floats(0, 1e7), st.floats(0, 100))
def test_more_of_anything_is_never_less_trouble(
    running: float, waiting: float, blocked: float, lag: float, dead: float
) -> None:
    base = score(
        troubles(MadeUpEvidence(running=running, waiting=waiting, blocked=blocked, lag_ms=lag, deadlocks=dead))
    )
    for name, value in (
        ("running", running),
        ("waiting", waiting),
        ("blocked", blocked),
        ("lag_ms", lag),
        ("deadlocks", dead),
    ):
        values = {"running": running, "waiting": waiting, "blocked": blocked, "lag_ms": lag, "deadlocks": dead}
        assert score(troubles(MadeUpEvidence(**{**values, name: value + 10}))) >= base - 1e-9
    assert base < WEIGHT * 10
    assert troubles(MadeUpEvidence(running=nan, waiting=nan)) == [], "what is not known is no sign"


def test_a_change_is_known_only_where_both_figures_are() -> None:
    assert (change(6.0, 2.0).difference, change(6.0, 2.0).ratio) == (4.0, 3.0)
    assert (change(6.0, 0.0).difference, change(6.0, 0.0).ratio) == (6.0, None)
    assert change(nan, 2.0).difference is None
    assert change(2.0, nan).ratio is None
