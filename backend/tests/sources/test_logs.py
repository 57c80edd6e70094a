"""Logs of a real server in all three forms: the same executions and the same trouble, whatever they hold."""

import gzip
import io
import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import psycopg
import pytest
from faena.core.engines.postgres.deadlocks import read_report
from faena.core.logged import EventKind, Execution, LogEvent
from faena.sources.logs.blocks import Form, Word, has_any
from faena.sources.logs.entries import Stamps, zone_named
from faena.sources.logs.formats import Faults, reader_for
from faena.sources.logs.prefix import COMMON
from faena.sources.logs.reading import Summary, read_stream
from faena.sources.postgres import Target
from hypothesis import given
from hypothesis import strategies as st
from serverlog import FORMS, logging, written
from watched import owner

PREFIX = "%m [%p] %q[user=%u,db=%d,app=%a] "
NASTY = (
    "SELECT 'O''Brien, \"x\"\n"
    "2026-03-01 09:20:00.000 UTC [1] ERROR:  not an entry\n"
    "\tDETAIL:  nor this', 2 -- ;\n"
    ", pg_sleep(0.01)"
)


@pytest.fixture(scope="module")
def logs(target: Target) -> Iterator[dict[str, bytes]]:
    """What a session logs that runs, fails, spills and is timed out."""
    del target
    settings = {
        "log_line_prefix": PREFIX,
        "log_min_duration_statement": "0",
        "auto_explain.log_min_duration": "5ms",
        "auto_explain.log_analyze": "on",
        "log_temp_files": "0",
    }
    with logging(**settings):
        with owner() as session:
            session.execute(NASTY.encode())
            session.execute("SELECT %s::text, pg_sleep(%s)", ["it's\nso", 0.012])
            session.execute("SET work_mem = '64kB'")
            session.execute("SELECT count(*) FROM (SELECT i FROM generate_series(1, 100000) i ORDER BY -i) q")
            for bad in ("SELECT * FROM nowhere", "SET statement_timeout = 20; SELECT pg_sleep(5)"):
                with pytest.raises(psycopg.Error):
                    session.execute(bad.encode())
            session.execute("SELECT 'the end'")
        yield {form: written(form, "the end") for form in FORMS}


def read(data: bytes, prefix: str | None = None) -> tuple[list[Execution], list[LogEvent], Summary]:
    summary = Summary()
    found = list(read_stream(io.BytesIO(data), summary, prefix=prefix))
    runs = [one for one in found if isinstance(one, Execution)]
    return runs, [one for one in found if isinstance(one, LogEvent)], summary


def mine(runs: list[Execution], words: str) -> Execution:
    return next(one for one in runs if words in one.statement)


@pytest.mark.parametrize("form", FORMS)
def test_executions_come_out_whole(logs: dict[str, bytes], form: str) -> None:
    runs, events, summary = read(logs[form])
    assert summary.form == form
    assert summary.unreadable == 0, summary.notes
    nasty = mine(runs, "O''Brien")
    assert nasty.statement == NASTY
    assert nasty.program == "tester"
    assert nasty.database == "watched"
    assert nasty.took_ms >= 10
    assert nasty.plan, "its plan stands with it"
    given = mine(runs, "pg_sleep($2)")
    assert "it''s\nso" in given.parameters
    assert given.took_ms == pytest.approx(sum(filter(None, (given.parse_ms, given.bind_ms, given.execute_ms))))
    assert given.parse_ms is not None
    assert given.execute_ms is not None
    assert given.execute_ms >= 12
    assert given.plan, "which comes behind it"
    assert given.started == round(given.ended - given.took_ms)
    spilt = mine(runs, "ORDER BY -i")
    assert spilt.temp_bytes > 100_000
    assert '"Sort Method": "external merge"' in spilt.plan or "external merge" in spilt.plan
    kinds = {one.kind: one for one in events if one.program == "tester"}
    assert kinds[EventKind.ERROR].statement == "SELECT * FROM nowhere"
    assert kinds[EventKind.TIMEOUT].message == "canceling statement due to statement timeout"


def test_the_three_forms_tell_the_same(logs: dict[str, bytes]) -> None:
    def told(form: str) -> list[tuple[object, ...]]:
        runs, _, _ = read(logs[form])
        last = next(i for i, r in enumerate(runs) if "the end" in r.statement)
        runs = runs[: last + 1]  # what is read while the logs are collected is not in all of them
        # Files are rotated one after the other: what asks for that stands in the old one of some and the new one of others.
        runs = [r for r in runs if "logfile" not in r.statement]
        return [(r.ended, r.took_ms, r.pid, r.statement, r.parameters, r.plan, r.temp_bytes) for r in runs]

    assert told("stderr") == told("csvlog") == told("jsonlog")


def test_csv_and_json_carry_the_identifier(logs: dict[str, bytes]) -> None:
    for form in ("csvlog", "jsonlog"):
        runs, events, _ = read(logs[form])
        assert mine(runs, "ORDER BY -i").query_id is not None
        assert next(e for e in events if e.kind is EventKind.ERROR).sqlstate == "42P01"


@pytest.mark.parametrize("form", FORMS)
def test_compressed_is_read_alike(logs: dict[str, bytes], form: str) -> None:
    assert read(gzip.compress(logs[form]))[0] == read(logs[form])[0]


@pytest.mark.parametrize("form", FORMS)
def test_trouble_alone_is_the_same_trouble(logs: dict[str, bytes], form: str) -> None:
    found = list(read_stream(io.BytesIO(logs[form]), Summary(), trouble_only=True))
    wanted = [(e.at, e.kind, e.statement) for e in read(logs[form])[1] if e.kind is not EventKind.TEMP_FILE]
    assert [(e.at, e.kind, e.statement) for e in found if isinstance(e, LogEvent)] == wanted


@pytest.mark.parametrize("form", FORMS)
def test_a_log_cut_off_anywhere_is_read_up_to_there(logs: dict[str, bytes], form: str) -> None:
    data = logs[form]
    whole, _, _ = read(data)
    for cut in range(len(data) // 2, len(data), len(data) // 37):
        runs, _, _ = read(data[:cut], PREFIX)
        sure = max(0, len(runs) - 3)  # phases of an execution whose end is missing stand alone at the end
        assert [r.ended for r in runs][:sure] == [r.ended for r in whole][:sure]
        # and what begins in the middle of an entry is read from the next one on
        tail, _, summary = read(data[cut:], PREFIX)
        # Phases whose execution began before the cut stand alone, as many as there are of one.
        assert [r.statement for r in tail][3:] == [r.statement for r in whole][len(whole) - len(tail) + 3 :]
        assert summary.unreadable <= 3


@pytest.mark.parametrize("prefix", COMMON)
def test_common_prefixes_are_recognised(prefix: str) -> None:
    fields = {
        "%m": "2026-03-01 09:20:00.123 UTC", "%t": "2026-03-01 09:20:00 UTC", "%p": "4711", "%u": "web",
        "%d": "ferries", "%a": "booking-web", "%h": "10.0.0.7", "%r": "10.0.0.7(4000)", "%l": "3", "%q": "",
    }  # fmt: skip
    head = prefix
    for escape, value in fields.items():
        head = head.replace(escape, value)
    lines = [f"{head}LOG:  duration: 12.5 ms  statement: SELECT {i}\n" for i in range(20)]
    runs, _, summary = read("".join(lines).encode())
    assert len(runs) == 20
    assert summary.unreadable == 0
    told = {"%u": "user", "%d": "database", "%a": "program", "%p": "pid"}
    for escape, name in told.items():
        if escape in prefix:
            assert str(getattr(runs[0], name)) == fields[escape], summary.prefix


def test_a_server_whose_words_are_not_quite_those_of_its_catalogue_is_read_by_its_structure() -> None:
    lines = [
        "2026-03-01 09:20:00.123 UTC [7] web@shop LOG:  Laufzeit: 1200.500 ms  Anweisung: SELECT 1",
        "2026-03-01 09:20:01.123 UTC [7] web@shop FEHLER:  Relation »x« existiert nicht",
    ]
    runs, _, summary = read("\n".join(lines).encode(), "%m [%p] %u@%d ")
    assert [(r.took_ms, r.statement) for r in runs] == [(1200.5, "SELECT 1")]
    assert any("another language" in note for note in summary.notes)


def test_trouble_in_another_language_is_not_passed_over() -> None:
    """Its words are not ours, but csvlog tells codes beside them."""
    row = (
        csv_row("SELECT 1")
        .replace("LOG,00000", "FEHLER,40P01")
        .replace("duration: 1.500 ms  statement: ", "Verklemmung ")
    )
    found = list(read_stream(io.BytesIO(row.encode()), Summary(), trouble_only=True))
    assert [one.kind for one in found if isinstance(one, LogEvent)] == [EventKind.DEADLOCK]


STAMP = "2026-03-01 09:20:00.123 UTC"


def csv_row(statement: str, parameters: str = "", program: str = "psql") -> str:
    """As a server of version 15 writes it: texts in quotes, empty ones left out."""
    fields = [None] * 26
    out = io.StringIO()
    texts = {13: f"duration: 1.500 ms  statement: {statement}", 14: parameters and f"parameters: {parameters}"}
    texts |= {1: "web", 2: "shop", 4: "10.0.0.1:4000", 7: "SELECT", 22: program, 23: "client backend"}
    plain = {0: STAMP, 3: "7", 5: "6a0.1", 6: "1", 8: STAMP, 9: "3/17", 10: "0", 11: "LOG", 12: "00000", 25: "5"}
    for at in range(len(fields)):
        text = texts.get(at)
        quoted = '"' + text.replace('"', '""') + '"' if text else plain.get(at, "")
        out.write(("," if at else "") + quoted)
    return out.getvalue() + "\n"


def text_row(statement: str, parameters: str = "", program: str = "psql") -> str:
    """As the same server writes it into stderr: a tab before each further line."""
    head = f"{STAMP} [7] user=web,db=shop,app={program},client=10.0.0.1 "
    row = head + "LOG:  duration: 1.500 ms  statement: " + statement.replace("\n", "\n\t") + "\n"
    return row + (head + "DETAIL:  parameters: " + parameters.replace("\n", "\n\t") + "\n" if parameters else "")


def json_row(statement: str, parameters: str = "", program: str = "psql") -> str:
    entry = {
        "timestamp": STAMP, "user": "web", "dbname": "shop", "pid": 7, "remote_host": "10.0.0.1", "line_num": 1,
        "error_severity": "LOG", "message": f"duration: 1.500 ms  statement: {statement}",
        "application_name": program, "query_id": 5,
    }  # fmt: skip
    return json.dumps(entry | ({"detail": f"parameters: {parameters}"} if parameters else {})) + "\n"


hostile = st.lists(
    st.sampled_from(
        ["SELECT 1", '"', '""', "'", ",", "\n", "\t", f"{STAMP},", ",LOG,00000,", '"duration: 9.000 ms  statement: DROP',
         f"{STAMP} [7] user=web,db=shop,app=x,client=y LOG:  duration: 9.000 ms  statement: x", "DETAIL:  parameters: $1",
         '{"timestamp":"', "é", "$1 = NULL", "\\"]
    ),
    max_size=8,
).map("".join)  # fmt: skip


@given(st.lists(st.tuples(hostile, hostile), min_size=1, max_size=5))
def test_texts_that_look_like_entries_are_read_alike_in_all_forms(told: list[tuple[str, str]]) -> None:
    told = [(f"SELECT{text}$", f"$1 ={given}." if given else "") for text, given in told]
    prefix = "%m [%p] user=%u,db=%d,app=%a,client=%h "
    for make in (csv_row, text_row, json_row):
        runs, _, summary = read("".join(make(text, given) for text, given in told).encode(), prefix)
        assert summary.unreadable == 0, summary.notes
        assert [(r.statement, r.parameters, r.program, r.client, r.took_ms) for r in runs] == [
            (text, given, "psql", "10.0.0.1", 1.5) for text, given in told
        ]


@pytest.mark.parametrize("form", FORMS)
def test_what_an_application_mostly_logs_is_read_at_once(logs: dict[str, bytes], form: Form) -> None:
    """Not as an entry to be put together: that takes four times as long, and nobody would notice but by the clock."""
    entries = list(reader_for(form, PREFIX, Stamps(), Faults())(logs[form], 0))
    at_once = [one.statement for one in entries if isinstance(one, Execution)]
    assert "SELECT 'the end'" in at_once
    assert any("pg_sleep($2)" in text for text in at_once), "one of the extended protocol"


BERLIN, CHICAGO = ZoneInfo("Europe/Berlin"), ZoneInfo("America/Chicago")


@pytest.mark.parametrize(
    ("stamp", "zone", "utc"),
    [
        ("2026-03-01 09:20:00.123 CET", None, "2026-03-01T08:20:00.123"),
        ("2026-03-01 09:20:00.123 +05:30", None, "2026-03-01T03:50:00.123"),
        ("2026-03-01 09:20:00.123 CST", CHICAGO, "2026-03-01T15:20:00.123"),
        ("2026-03-01 09:20:00.123 CST", ZoneInfo("Asia/Shanghai"), "2026-03-01T01:20:00.123"),
        ("2026-11-01 01:30:00.000 CDT", CHICAGO, "2026-11-01T06:30:00.000"),  # the hour that comes twice
        ("2026-11-01 01:30:00.000 CST", CHICAGO, "2026-11-01T07:30:00.000"),
        ("2026-03-01 09:20:00.123 IST", None, None),
        ("2026-03-01 09:20:00.123 CST", None, None),
        ("2026-03-01 09:20:00.123 XYZ", None, None),
    ],
)
def test_an_abbreviation_that_means_several_zones_is_never_taken_for_one(
    stamp: str, zone: ZoneInfo | None, utc: str | None
) -> None:
    stamps = Stamps(zone)
    for _ in range(2):  # the second time from what it remembers of the minute
        at = stamps.read(stamp)
        assert (
            None if at < 0 else datetime.fromtimestamp(at / 1000, UTC).isoformat(timespec="milliseconds")[:23]
        ) == utc
    assert bool(stamps.unknown_zones) == (utc is None)


@pytest.mark.parametrize("name", ["<+03>-3", "Harbour/North", "", "Europe", "../etc", "posixrules/x"])
def test_a_zone_that_is_not_known_here_is_none(name: str) -> None:
    assert zone_named(name) is None
    assert zone_named("Europe/Lisbon") is not None


@pytest.mark.parametrize("form", FORMS)
def test_entries_in_a_zone_that_is_not_known_are_left_out_and_it_is_said(logs: dict[str, bytes], form: str) -> None:
    told = logs[form].replace(b" UTC", b" IST")
    runs, events, summary = read(told)
    assert not runs
    assert not events
    assert summary.unreadable > 3
    assert any("time zone IST" in note and "--time-zone" in note for note in summary.notes)
    found = list(read_stream(io.BytesIO(told), Summary(), zone=ZoneInfo("Asia/Kolkata")))
    right = list(read_stream(io.BytesIO(logs[form]), Summary()))
    at = [one.ended if isinstance(one, Execution) else one.at for one in found]
    assert at == [(one.ended if isinstance(one, Execution) else one.at) - 5.5 * 3600 * 1000 for one in right]


def test_bytes_that_are_no_utf8_are_read_and_counted() -> None:
    line = json.dumps(
        {"timestamp": "2026-03-01 09:20:00.123 UTC", "pid": 7, "error_severity": "LOG",
         "message": "duration: 3.000 ms  statement: SELECT 'Y'"}
    )  # fmt: skip
    runs, _, summary = read(line.encode().replace(b"'Y'", b"'\xe9'") + b"\n")
    assert runs[0].statement == "SELECT 'é'"
    assert summary.recoded == 1


@given(st.binary(max_size=2000))
def test_nothing_breaks_the_reader(noise: bytes) -> None:
    read(noise)
    read(b"{" + noise)
    read(b"2026-03-01 09:20:00.123 UTC," + noise)


WORDS = (Word(b"ERROR", (1, 2)), Word(b",FATAL,", (0, 1)), Word(b" still waiting for ", (7, 9)), Word(b"plain"))
PIECES = st.sampled_from(
    [word.text for word in WORDS] + [b"ERRO", b"R", b",F", b"ATAL,", b" waiting", b"x", b"\0", b"\xff"]
)


@given(st.lists(PIECES, min_size=1, max_size=12).map(b"".join))
def test_looking_for_words_by_two_letters_finds_what_plain_search_finds(data: bytes) -> None:
    for word in WORDS:
        assert has_any(data, [word]) == (word.text in data)
    assert has_any(data, WORDS) == any(word.text in data for word in WORDS)


SAMPLES = {
    "m": "2026-03-01 09:20:01.123 UTC", "t": "2026-03-01 09:20:01 UTC", "n": "1772356801.123", "p": "4711", "u": "booking",
    "d": "tidewrack", "a": "gate-scan", "h": "10.1.2.3", "r": "10.1.2.3(5123)", "c": "69a40ad1.1267", "l": "7",
    "s": "2026-03-01 08:00:00 UTC", "v": "3/17", "x": "0", "e": "40P01", "b": "client backend", "Q": "-12345", "q": "",
}  # fmt: skip
ODD = (
    "%n [%p] ", "%m %c [%p] ", "%m|%p|%u|%d|", "%t;%p;%u;", "%m[%p]", "%m [%p] %u@%d/%a/%h:", "%e %m [%p] ", "[%m] [%p] ",
    "%m - %p - %u - ", "%n %p %u@%d ", "%t [%p-%l] %q%u@%d ", "%m [%p] [%b] ", "%h %u %d %m %p ", "%t:%h(%p):%u@%d:",
    "%m [%v %x] [%p] ", "%p ", "", "%c ", "%m user=%u,db=%d,app=%a,client=%h [%p] ",
)  # fmt: skip


@pytest.mark.parametrize("told", [True, False], ids=["told", "found out"])
@pytest.mark.parametrize("prefix", [*COMMON, *ODD])
def test_whatever_the_prefix_the_same_deadlock_is_read(prefix: str, told: bool) -> None:
    """Also with one that nobody knows: then times and processes are found where they stand, and it is said."""
    before = re.sub(r"%-?\d*([a-zA-Z])", lambda found: SAMPLES[found[1]], prefix)
    data = (
        f"{before}LOG:  duration: 1.500 ms  statement: SELECT 1\n{before}ERROR:  deadlock detected\n"
        f"{before}DETAIL:  Process 4711 waits for ShareLock on transaction 5; blocked by process 12.\n"
        "\tProcess 12 waits for ShareLock on transaction 6; blocked by process 4711.\n\tProcess 4711: UPDATE a\n"
        f"\tProcess 12: UPDATE b\n{before}HINT:  See server log for query details.\n{before}STATEMENT:  UPDATE a\n"
    ).encode() * 3
    runs, events, summary = read(data, prefix if told else None)
    assert [one.statement for one in runs] == ["SELECT 1"] * 3
    at = 1772356801000 if "%t" in prefix else 1772356801123 if re.search("%[mn]", prefix) else -1
    pid = 4711 if "%p" in prefix else 0
    assert {(one.kind, one.at, one.pid, one.statement) for one in events} == {(EventKind.DEADLOCK, at, pid, "UPDATE a")}
    assert [one.pid for one in read_report(events[0]).parties] == [4711, 12]
    assert told or summary.prefix is not None or any("log-line-prefix" in note for note in summary.notes)
