"""Logs in the languages that the server's package ships, written by a real server (demo/tidewrack/languagecorpus.py)."""

import io
import re
from collections.abc import Sequence
from pathlib import Path

import orjson
import pytest
from faena.core.deadlocks.reading import told as told_of
from faena.core.engines.postgres.deadlocks import read_report
from faena.core.logged import EventKind, Execution, LogEvent
from faena.sources.logs import languages
from faena.sources.logs.languages import in_english
from faena.sources.logs.reading import Summary, read_stream
from faena.testing.catalogues import INSTALLED, from_catalogues
from hypothesis import given
from hypothesis import strategies as st

GOLDEN = Path(__file__).parents[1] / "golden" / "languages"
LANGUAGES = sorted({path.stem for path in GOLDEN.iterdir()})
FORMS = ("log", "csv", "json")
# Not all is translated in each language; and what a program says itself never is.
OF_OURS = re.compile(r"\d+(?:\.\d+)?")


def happenings(
    language: str, form: str, prefix: str | None = "%m [%p] %u@%d "
) -> tuple[list[Execution | LogEvent], Summary]:
    summary = Summary()
    raw = (GOLDEN / f"{language}.{form}").read_bytes()
    return list(read_stream(io.BytesIO(raw), summary, prefix=prefix if form == "log" else None)), summary


def told(found: Sequence[Execution | LogEvent]) -> list[tuple[object, ...]]:
    """What happened without what differs from run to run: times, processes, transactions."""
    return [
        (one.statement, one.temp_bytes > 0, one.parameters)
        if isinstance(one, Execution)
        else (one.kind, one.severity, one.statement, one.waited_ms is not None)
        for one in found
    ]


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("language", LANGUAGES)
def test_the_same_is_read_as_in_english(language: str, form: str) -> None:
    found, summary = happenings(language, form)
    wanted, _ = happenings("en", form)
    assert told(found) == told(wanted)
    assert (summary.unreadable, summary.notes) == (0, [])
    kinds = [one.kind for one in found if isinstance(one, LogEvent)]
    assert {
        EventKind.DEADLOCK,
        EventKind.LOCK_WAIT,
        EventKind.TIMEOUT,
        EventKind.SERIALIZATION_FAILURE,
        EventKind.ERROR,
    } <= set(kinds)


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("language", LANGUAGES)
def test_a_deadlock_has_the_same_parties_things_and_cause(language: str, form: str) -> None:
    def report(of: str) -> tuple[object, ...]:
        (event,) = [
            one for one in happenings(of, form)[0] if isinstance(one, LogEvent) and one.kind is EventKind.DEADLOCK
        ]
        found = read_report(event)
        parties = [
            (p.statement, p.wants.mode, p.wants.lock_type, p.wants.table, OF_OURS.sub("#", p.wants.said))
            for p in found.parties
        ]
        cause = told_of(found).cause
        return parties, OF_OURS.sub("#", found.parties[0].context), cause.kind, cause.confidence

    mine, english = report(language), report("en")
    assert mine == english


@pytest.mark.parametrize("language", LANGUAGES)
def test_the_prefix_is_found_out_whatever_the_language(language: str) -> None:
    found, summary = happenings(language, "log", prefix=None)
    assert summary.prefix == "%m [%p] %q%u@%d " or summary.prefix == "%m [%p] %u@%d ", summary.prefix
    assert told(found) == told(happenings("en", "log")[0])


@pytest.mark.skipif(
    not list(INSTALLED.glob("*/LC_MESSAGES/postgres-15.mo")), reason="no catalogue of this version here"
)
def test_the_table_is_that_of_the_installed_catalogues() -> None:
    kept = orjson.loads(Path(languages.__file__).with_suffix(".json").read_bytes())
    assert kept == from_catalogues(INSTALLED, "15"), "python -m faena.testing.catalogues writes it anew"


@given(st.text(max_size=400))
def test_what_is_no_message_of_ours_stays_as_it_is(text: str) -> None:
    assert in_english(text) == text


def test_statements_are_not_translated() -> None:
    said = "Dauer: 1.5 ms  Anweisung: SELECT 'Prozess 1 wartet auf x-Sperre auf y; blockiert von Prozess 2.'"
    assert in_english(said).endswith("SELECT 'Prozess 1 wartet auf x-Sperre auf y; blockiert von Prozess 2.'")
