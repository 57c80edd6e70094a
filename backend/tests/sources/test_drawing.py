"""Incidents drawn by chance: the same by the same seed, each kind among them, and played as they are told."""

import tomllib
from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from faena.core.answers.leads.kinds import LeadKind
from faena.core.logged import EventKind
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated import Engine, Hour, read_estate
from faena.sources.simulated.drawing import CAUSES, Drawn, draw
from faena.sources.simulated.incidents import Hold, Turns
from faena.sources.simulated.lockwaits import edges_of, retry_events
from faena.sources.simulated.source import session_of

ESTATE = read_estate(tomllib.loads((Path(__file__).parents[3] / "demo" / "estate.toml").read_text()))
DAY = EpochMs(1_795_737_600_000)


def played(drawn: Drawn) -> tuple[Engine, Hour]:
    engine = Engine(ESTATE, drawn.incidents(0.0), drawn.server, DAY, seed=7)
    return engine, engine.hour(EpochMs(DAY + drawn.minute // 60 * MS_PER_HOUR))


def of_kind(name: str) -> Drawn:
    """The first drawing of a kind, alone and from a full hour on."""
    drawn = draw(list(CAUSES).index(name))
    return replace(drawn, minute=drawn.minute // 60 * 60, minutes=50, causes=drawn.causes[:1], decoys=())


def test_a_seed_always_draws_the_same_and_others_draw_others() -> None:
    assert draw(5) == draw(5)
    assert len({(one.server, one.minute, one.minutes) for one in map(draw, range(100))}) > 90


def test_each_kind_is_drawn_as_often_as_another_and_about_a_third_are_two_at_once() -> None:
    drawn = [draw(seed) for seed in range(10_000, 10_220)]
    assert set(Counter(one.causes[0].kinds[0] for one in drawn).values()) <= {10, 20}  # maintenance in two ways
    two = sum(len(one.causes) == 2 for one in drawn) / len(drawn)
    assert 0.25 < two < 0.65
    assert sum(bool(one.decoys) for one in drawn) / len(drawn) > 0.4


def test_what_is_named_is_known() -> None:
    for seed in range(220):
        for cause in draw(seed).causes:
            assert cause.server in ESTATE.servers
            assert cause.program in {"", *ESTATE.programs}
            assert {LeadKind(one) for one in cause.kinds}


@pytest.mark.parametrize("name", CAUSES)
def test_each_kind_can_be_played(name: str) -> None:
    _, hour = played(of_kind(name))
    assert len(hour.second) > 0
    assert (np.diff(hour.second) >= 0).all()
    assert len(set(zip(hour.second.tolist(), hour.pid.tolist(), strict=True))) == len(hour.second), "a pid is seen once"


def test_sessions_take_turns_at_a_row_each_second_another() -> None:
    drawn = of_kind("hot_row")
    (effect,) = drawn.causes[0].effects
    assert isinstance(effect, Turns)
    _, hour = played(drawn)
    behind = hour.blocker != 0
    roots = Counter(hour.blocker[behind].tolist())
    assert len(roots) == min(effect.sessions, 38)
    assert hour.statement_ms[behind].max() <= effect.sessions * effect.held_ms


def test_retries_are_told_by_the_log_at_their_rate() -> None:
    drawn = of_kind("conflict_retries")
    engine, hour = played(drawn)
    told = list(retry_events(engine, hour, 0, 600))
    rate = drawn.causes[0].effects[0].per_s  # type: ignore[union-attr]
    assert {one.kind for one in told} == {EventKind.SERIALIZATION_FAILURE}
    assert len(told) == pytest.approx(600 * rate, rel=0.25)


@pytest.mark.parametrize(("name", "lock"), [("advisory_lock", "advisory"), ("maintenance (lock)", "relation")])
def test_what_is_waited_for_is_told_as_the_wait_says(name: str, lock: str) -> None:
    _, hour = played(of_kind(name))
    waiting = [session_of(hour, i) for i in np.flatnonzero(hour.blocker != 0)[:50]]
    assert {edge.fact.lock_type for edge in edges_of(tuple(waiting), {})} == {lock}


def test_a_decoy_that_holds_what_nobody_touches_blocks_nobody() -> None:
    drawn = replace(
        of_kind("spill"),
        causes=(),
        decoys=[Hold(hold="nothing", holder="ops-console", text="SELECT 1", state="idle", share=0.0)],
    )
    _, hour = played(drawn)
    assert not (hour.blocker != 0).any()
