"""Statements that a DBA is told to run: right to the letter, whatever names and lists a server has."""

import pytest
from faena.core.engines.postgres.logneeds import log_needs
from faena.core.engines.postgres.telling import RESTART, libraries, literal, preloading, quoted
from faena.core.logged import CaptureRules


@pytest.mark.parametrize(
    ("value", "names"),
    [
        ("", []),
        ("pg_stat_statements", ["pg_stat_statements"]),
        ("pg_stat_statements, auto_explain", ["pg_stat_statements", "auto_explain"]),
        ('"$libdir/plugins/own,lib", auto_explain', ["$libdir/plugins/own,lib", "auto_explain"]),
        ('"with ""quotes"""', ['with "quotes"']),
    ],
)
def test_a_list_of_libraries_is_taken_apart_as_the_server_does(value: str, names: list[str]) -> None:
    assert list(libraries(value)) == names


def test_each_library_is_a_literal_of_its_own_and_none_is_lost() -> None:
    (told, *_) = preloading({"shared_preload_libraries": '"own,lib", auto_explain'}, "pg_stat_statements").split("\n")
    assert told == "ALTER SYSTEM SET shared_preload_libraries = 'own,lib', 'auto_explain', 'pg_stat_statements';"


def test_a_list_that_cannot_be_seen_is_not_replaced() -> None:
    told = preloading({}, "auto_explain")
    assert all(line.startswith("--") for line in told.split("\n")), "nothing to run before somebody looked"
    assert "'auto_explain'" in told


def test_a_list_that_waits_for_a_restart_is_not_overwritten() -> None:
    waiting = {"shared_preload_libraries": "", "pending_restart": "max_connections, shared_preload_libraries"}
    assert "waits for a restart" in preloading(waiting, "auto_explain")
    assert "ALTER" not in preloading(waiting, "auto_explain")


def test_names_and_texts_are_quoted_whatever_they_hold() -> None:
    assert quoted('night "watch"') == '"night ""watch"""'
    assert literal("O'Brien") == "'O''Brien'"
    assert literal("c:\\log").strip() == "E'c:\\\\log'"


def test_a_gap_of_the_log_has_a_remedy_or_says_that_there_is_none() -> None:
    rules = CaptureRules(slow_ms=100, fast_share=0.01)
    for version in (120022, 130000, 170000):
        for settings in ({}, {"auto_explain.log_min_duration": "-1"}):
            for need in log_needs(settings, version, rules, None):
                assert need.ok or need.remedy or "before 13" in need.found, need
    told = {need.name: need.remedy for need in log_needs({"shared_preload_libraries": "a"}, 150000, rules, None)}
    assert RESTART in told["their plans"]
    assert "'a', 'auto_explain'" in told["their plans"]
