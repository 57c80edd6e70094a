"""Samples from files: what is stored, what is refused, and that a file counts once."""

import gzip
import io
import json
from pathlib import Path

import pytest
from django.core.management import CommandError, call_command
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.apps.collecting.imports import import_samples, imported_server
from faena.apps.samples.selectors import load, sieve
from faena.apps.servers.models import Server
from faena.apps.statements.models import Text
from faena.core.errors import BadInput
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Window
from faena.core.units import EpochMs
from faena.testing.builders import START

pytestmark = pytest.mark.django_db(transaction=True)
HEAD = "time,session,state,wait_type,wait_event,program,statement\n"
MINUTE = Window(start=START, end=EpochMs(START + 60_000))


def csv_file(seconds: int = 30) -> str:
    """Each second one runs and one waits for a row; every tenth second nobody does anything."""
    rows = []
    for second in range(seconds):
        at = START // 1000 + second
        if second % 10 == 9:
            rows.append(f"{at},,none,,,,")
            continue
        rows.append(f"{at},1,active,,,booking-web,SELECT * FROM sailing WHERE id = {second}")
        rows.append(f"{at},2,active,Lock,transactionid,gate-scan,UPDATE booking SET state = 'x{second}'")
    return HEAD + "\n".join(rows) + "\n"


def test_a_file_becomes_load_that_can_be_narrowed() -> None:
    server = imported_server("elsewhere")
    report = import_samples(server, io.BytesIO(csv_file().encode()), "csv")
    assert (report.rows, report.ticks, report.ticks_known, report.faults.count) == (57, 30, 0, 0)
    answer = load(server.id, MINUTE, Dimension.KIND, (), at_most=60, period_ms=1000, now=START + 100_000)
    assert answer.ticks == 30
    assert answer.series.total() == pytest.approx(54 / 30)
    (programs,), _ = sieve(server.id, MINUTE, [Dimension.PROGRAM], (), at_most=5)
    assert {row.value: row.seen for row in programs.rows} == {"booking-web": 27, "gate-scan": 27}
    assert sorted(Text.objects.values_list("text", flat=True)) == [
        "SELECT * FROM sailing WHERE id = $1",
        "UPDATE booking SET state = $1",
    ], "one statement whatever its literals, and none of them kept"


def test_the_same_file_twice_counts_once() -> None:
    server = imported_server("elsewhere")
    for expected in ((30, 0), (0, 30)):
        report = import_samples(server, io.BytesIO(csv_file().encode()), "csv")
        assert (report.ticks, report.ticks_known) == expected
    longer = import_samples(server, io.BytesIO(csv_file(40).encode()), "csv")
    assert (longer.ticks, longer.ticks_known) == (10, 30)


def test_both_forms_say_the_same() -> None:
    lines = [
        json.dumps({"time": START + 1000 * i, "session": f"s{i % 3}", "state": "active", "program": "p"})
        for i in range(20)
    ]
    report = import_samples(imported_server("json"), io.BytesIO(("\n".join(lines) + "\n").encode()), "jsonl")
    assert (report.rows, report.ticks, report.faults.count) == (20, 20, 0)


def test_bad_lines_are_told_and_the_rest_is_stored() -> None:
    lines = csv_file().splitlines()
    lines[3] = "2026,broken"
    lines.insert(6, "yesterday,1,active,,,p,")
    report = import_samples(imported_server("elsewhere"), io.BytesIO("\n".join(lines).encode()), "csv")
    told = {(fault.line, fault.reason) for fault in report.faults.told}
    assert (4, "2 cells, but 7 columns") in told
    assert any(line == 7 and "'yesterday' is no time" in reason for line, reason in told)
    assert report.faults.count == 2
    assert report.ticks == 30
    broken = import_samples(imported_server("other"), io.BytesIO(b'{"time": 1\n[1]\n'), "jsonl")
    assert [fault.line for fault in broken.faults.told] == [1, 2]


def test_a_file_without_the_needed_columns_is_refused_whole() -> None:
    with pytest.raises(BadInput, match="missing: session, state"):
        import_samples(imported_server("elsewhere"), io.BytesIO(b"time,program\n1,2\n"), "csv")


def test_a_server_that_is_sampled_live_takes_no_files() -> None:
    Server.objects.create(name="live")
    with pytest.raises(BadInput, match="sampled live"):
        imported_server("live")


def test_the_command_imports_and_names_bad_lines(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "day.csv.gz"
    with gzip.open(file, "wt") as out:
        out.write(csv_file() + "x,1,active,,,p,\n")
    call_command("import_samples", str(file), "--server", "from a file")
    told = capsys.readouterr()
    assert "30 ticks stored" in told.out
    assert "1 rows refused" in told.out
    assert "line 59" in told.err
    for wrong, words in ((tmp_path / "day.txt", "neither"), (tmp_path / "none.csv", "cannot be read")):
        with pytest.raises(CommandError, match=words):
            call_command("import_samples", str(wrong), "--server", "x")


def upload(client: Client, name: str = "up", content: str = "") -> object:
    file = io.BytesIO((content or csv_file()).encode())
    file.name = "samples.csv"
    return client.post(f"/api/v1/import/samples?server={name}&format=csv", {"file": file})


def test_an_upload_reports_what_came_of_it_and_viewers_may_not() -> None:
    client = Client()
    client.force_login(
        save_user("olga", "correct horse", Role.OPERATOR), backend="django.contrib.auth.backends.ModelBackend"
    )
    answer = upload(client, content=csv_file() + "x,1,active,,,p,\n")
    found = json.loads(answer.content)  # type: ignore[attr-defined]
    assert (found["ticks"], found["refused"], found["faults"][0]["line"]) == (30, 1, 59)
    assert (found["first"], found["last"]) == (START, START + 29_000)
    client.force_login(
        save_user("vera", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    assert upload(client, "other").status_code == 403  # type: ignore[attr-defined]
    assert not Server.objects.filter(name="other").exists(), "nothing half-made is left"
