"""Traces from files: counted once, kept for long, told what could not be read, and the same as `read-traces` says."""

import gzip
import io
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import orjson
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.collecting.tracefiles import KEPT_DAYS, file_source, import_traces
from faena.apps.requests import judging
from faena.apps.requests.models import KeptRequest, OpenTrace, RequestSum, TraceSource
from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.core.requests.sums import REQUEST_FIGURES, by_name
from test_traces import NOW, payload, query, web

pytestmark = pytest.mark.django_db
MONTHS_LATER = NOW + 90 * 86_400_000
FILE = payload(*(span for n in range(1, 9) for span in (web(n, length=10 * n, start=n), query(n, 100 + n))))


@pytest.fixture
def server() -> Server:
    return Server.objects.create(name="bookings")


def counted() -> float:
    rows = RequestSum.objects.filter(length_ms=3_600_000)
    return sum(by_name(REQUEST_FIGURES, row.figures)["requests"] for row in rows)


def test_a_file_is_counted_once_however_often_it_comes(server: Server) -> None:
    found = import_traces(file_source(server), FILE, MONTHS_LATER)
    assert (found.spans, found.traces, found.requests, found.rejected, found.duplicates) == (16, 8, 8, 0, 0)
    assert (found.first_ms, found.last_ms) == (pytest.approx(NOW + 1, abs=1), pytest.approx(NOW + 8, abs=1))
    assert (counted(), OpenTrace.objects.count()) == (8, 0)
    again = import_traces(file_source(server), gzip.compress(FILE), MONTHS_LATER)
    assert (again.requests, again.duplicates, counted()) == (0, 16, 8)


def test_the_past_is_kept_and_a_trace_without_its_beginning_waits_for_nothing(server: Server) -> None:
    import_traces(file_source(server), FILE, MONTHS_LATER)
    judging.forget(MONTHS_LATER + 1)
    assert KeptRequest.objects.count() == 8
    judging.forget(NOW + (KEPT_DAYS + 1) * 86_400_000)
    assert KeptRequest.objects.count() == 0
    headless = import_traces(file_source(server), payload(query(77, 5)), MONTHS_LATER)
    assert (headless.traces, headless.requests, OpenTrace.objects.count()) == (1, 1, 0)


def test_the_same_file_says_the_same_headless(server: Server, tmp_path: Path) -> None:
    file = tmp_path / "traces.pb"
    file.write_bytes(FILE)
    command = [sys.executable, "-m", "faena.headless", "read-traces", str(file)]
    lines = subprocess.run(command, capture_output=True, check=True, cwd=Path(__file__).parents[2]).stdout.splitlines()
    *requests, summary = map(orjson.loads, lines)
    found = import_traces(file_source(server), FILE, MONTHS_LATER)
    assert (found.requests, found.spans) == (len(requests), summary["spans"])
    kept = {bytes(one.trace).hex(): one for one in KeptRequest.objects.select_related("origin__endpoint")}
    for one in requests:
        mine = kept[one["trace_id"]]
        assert (mine.origin.endpoint.name, mine.duration_ms) == (one["endpoint"], one["duration_ms"])
        assert mine.layers == pytest.approx(list(one["layers"].values()))


@pytest.mark.parametrize("content", [b"", b"not a trace", gzip.compress(FILE)[:-9], b'{"resourceSpans": '])
def test_what_cannot_be_read_changes_nothing(server: Server, content: bytes) -> None:
    with pytest.raises(BadInput):
        import_traces(file_source(server), content, NOW)
    assert (RequestSum.objects.count(), OpenTrace.objects.count()) == (0, 0)


def test_a_source_belongs_to_one_server(server: Server) -> None:
    file_source(server, "mine")
    with pytest.raises(BadInput, match="mine is a source of bookings"):
        file_source(Server.objects.create(name="another"), "mine")


def test_the_command_makes_what_is_missing_and_names_the_file_that_is_broken(tmp_path: Path) -> None:
    good, bad = tmp_path / "good.pb", tmp_path / "bad.pb"
    good.write_bytes(FILE)
    bad.write_bytes(b"nonsense")
    said = io.StringIO()
    call_command("import_traces", str(good), "--server", "of old", "--source", "web", stdout=said)
    assert said.getvalue() == f"{good}: 16 spans, 8 traces, 8 requests, 0 spans known before, 0 rejected\n"
    assert TraceSource.objects.get().server.name == "of old"
    with pytest.raises(CommandError, match=r"bad\.pb: "):
        call_command("import_traces", str(bad), "--server", "of old")
    with pytest.raises(CommandError, match="gone"):
        call_command("import_traces", str(tmp_path / "gone"), "--server", "of old")


def post(server: Server, role: Role, content: bytes) -> Any:
    client = Client()
    client.force_login(
        save_user(role.value, "correct horse", role), backend="django.contrib.auth.backends.ModelBackend"
    )
    return client.post(f"/api/v1/servers/{server.pk}/import/traces", {"file": SimpleUploadedFile("a.pb", content)})


def test_over_the_api_by_operators_only(server: Server) -> None:
    answer = post(server, Role.OPERATOR, FILE)
    assert answer.status_code == 200, answer.content
    assert (answer.json()["requests"], answer.json()["first"]) == (8, pytest.approx(NOW + 1, abs=1))
    assert post(server, Role.VIEWER, FILE).status_code == 403
    broken = post(server, Role.OPERATOR, b'{"resourceSpans": ')
    assert (broken.status_code, "JSON" in json.loads(broken.content)["detail"]) == (400, True)
