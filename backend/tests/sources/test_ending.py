"""Ending statements and sessions on a real server: the right one, with the right, and what became of who waited."""

from collections.abc import Iterator
from dataclasses import replace

import pytest
from contention import Player, Scene, scene
from faena.core.engines.inquiry import Ending
from faena.core.errors import SourceRefused
from faena.sources.postgres import Target
from faena.sources.postgres.ending import end
from watched import owner


@pytest.fixture
def signaller(target: Target) -> Iterator[Target]:
    """The watcher with the right to end sessions, which it has not by itself."""
    with owner("postgres") as keeper:
        keeper.execute("GRANT pg_signal_backend TO watcher")
        if not keeper.execute("SELECT 1 FROM pg_roles WHERE rolname = 'sailor'").fetchone():
            keeper.execute("CREATE ROLE sailor LOGIN PASSWORD 'sailor'")
    yield target
    with owner("postgres") as keeper:
        keeper.execute("REVOKE pg_signal_backend FROM watcher")


@pytest.fixture
def stage(signaller: Target) -> Iterator[Scene]:
    with owner() as keeper:
        keeper.execute("GRANT ALL ON deck_slot TO sailor")
    with scene("watched", user="sailor", password="sailor") as made:
        yield made


def started(stage: Scene, player: Player) -> int:
    row = stage.keeper.execute(
        "SELECT date_part('epoch', backend_start)::bigint FROM pg_stat_activity WHERE pid = %s", (player.pid,)
    ).fetchone()
    assert row
    return int(row[0])


def queue(stage: Scene) -> tuple[Player, Player, Player]:
    """A console that idles on a row, one behind it, and one behind that."""
    console, web, gate = (stage.player(name) for name in ("console", "web", "gate"))
    console.ask("BEGIN")
    console.ask("UPDATE deck_slot SET held = 1 WHERE id = 50")
    for player in (web, gate):
        player.start("UPDATE deck_slot SET held = 2 WHERE id = 50")
        stage.until_waiting(player)
    return console, web, gate


def test_ending_a_session_frees_all_who_stood_behind_it(signaller: Target, stage: Scene) -> None:
    console, web, gate = queue(stage)
    found = end(signaller, console.pid, started(stage, console), Ending.SESSION)
    assert found.done
    assert (list(found.freed), list(found.still)) == (sorted((web.pid, gate.pid)), [])
    for player in (web, gate):
        player.join()
        assert player.failed == [], "they went on"


def test_ending_a_statement_leaves_the_connection(signaller: Target, stage: Scene) -> None:
    _, web, gate = queue(stage)
    found = end(signaller, web.pid, started(stage, web), Ending.STATEMENT)
    assert found.done
    assert gate.pid in (*found.freed, *found.still)
    web.join()
    assert [error.sqlstate for error in web.failed] == ["57014"]
    web.ask("SELECT 1")


def test_the_statement_after_the_one_that_was_seen_is_not_ended(signaller: Target, stage: Scene) -> None:
    _, web, _ = queue(stage)
    with pytest.raises(SourceRefused, match="is over; it runs another one"):
        end(signaller, web.pid, started(stage, web), Ending.STATEMENT, at_least_ms=3_600_000)
    assert end(signaller, web.pid, started(stage, web), Ending.STATEMENT, at_least_ms=1).done


def test_what_must_not_be_ended_is_refused_with_the_reason(signaller: Target, stage: Scene) -> None:
    console, _, _ = queue(stage)
    begun = started(stage, console)
    with pytest.raises(SourceRefused, match="another session by now"):
        end(signaller, console.pid, begun - 1, Ending.SESSION)
    with pytest.raises(SourceRefused, match="another session by now"):
        end(signaller, 4_000_000, begun, Ending.SESSION)
    with pytest.raises(SourceRefused, match="runs no statement") as refused:
        end(signaller, console.pid, begun, Ending.STATEMENT)
    assert "only ending the session" in refused.value.remedy
    ours = stage.player("faena")
    with pytest.raises(SourceRefused, match="Faena's own"):
        end(signaller, ours.pid, started(stage, ours), Ending.SESSION)
    row = stage.keeper.execute(
        "SELECT pid, date_part('epoch', backend_start)::bigint FROM pg_stat_activity WHERE backend_type = 'checkpointer'"
    ).fetchone()
    assert row
    with pytest.raises(SourceRefused, match="checkpointer"):
        end(signaller, row[0], row[1], Ending.SESSION)
    console.ask("SELECT 1")


def test_without_the_right_the_statement_that_gives_it_is_told(target: Target, stage: Scene) -> None:
    console, _, _ = queue(stage)
    with owner("postgres") as keeper:
        keeper.execute("REVOKE pg_signal_backend FROM watcher")
    with pytest.raises(SourceRefused) as refused:
        end(target, console.pid, started(stage, console), Ending.SESSION)
    assert refused.value.remedy.startswith('GRANT pg_signal_backend TO "watcher";')
    with pytest.raises(SourceRefused):
        end(replace(target, password="wrong"), console.pid, 1, Ending.SESSION)
