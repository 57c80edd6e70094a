"""./faena read-traces: requests out of files in any form, or one line that says why not."""

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

BACKEND = Path(__file__).parents[2]
START = 1_790_000_000_000_000_000


def run(*arguments: str, given: bytes = b"") -> subprocess.CompletedProcess[bytes]:
    command = [sys.executable, "-m", "faena.headless", "read-traces", *arguments]
    environment = {**os.environ, "PYTHONPATH": str(BACKEND)}
    return subprocess.run(command, input=given, capture_output=True, env=environment, check=False)


def span(
    number: int, parent: int, name: str, start_ms: float, ms: float, kind: int = 3, **attributes: Any
) -> dict[str, Any]:
    return {
        "traceId": "5b8efff798038103d269b633813fc60c", "spanId": f"{number:016x}",
        "parentSpanId": f"{parent:016x}" if parent else "", "name": name, "kind": kind,
        "startTimeUnixNano": str(START + int(start_ms * 1e6)), "endTimeUnixNano": str(START + int((start_ms + ms) * 1e6)),
        "attributes": [
            {"key": key.replace("__", "."), "value": {"intValue": v} if isinstance(v, int) else {"stringValue": v}}
            for key, v in attributes.items()
        ],
    }  # fmt: skip


def payload(*spans: dict[str, Any]) -> bytes:
    resource = {"attributes": [{"key": "service.name", "value": {"stringValue": "manifest-export"}}]}
    return json.dumps(
        {"resourceSpans": [{"resource": resource, "scopeSpans": [{"scope": {}, "spans": spans}]}]}
    ).encode()


DATABASE = {"db__system__name": "postgresql", "code__file__path": "/srv/manifest/rows.py", "code__line__number": 88}
ROWS = [
    span(1, 0, "GET /manifests/{id}", 0, 100, 2, http__request__method="GET", http__route="/manifests/{id}"),
    span(2, 1, "SELECT", 5, 5, db__query__text="SELECT id FROM booking WHERE sailing_id = 7", **DATABASE),
    *(
        span(10 + i, 1, "SELECT", 10 + 10 * i, 8, db__query__text=f"SELECT * FROM passenger WHERE id = {i}", **DATABASE)
        for i in range(6)
    ),
]


def test_requests_are_printed_and_summed_up(tmp_path: Path) -> None:
    whole = tmp_path / "traces.json.gz"
    whole.write_bytes(gzip.compress(payload(*ROWS[:4], ROWS[3])))
    bad = dict(ROWS[4], startTimeUnixNano="soon")
    ended = run(str(whole), "-", given=payload(*ROWS[4:]) + b"\n" + payload(bad) + b"\n")
    assert ended.returncode == 0, ended.stderr
    request, summary = map(json.loads, ended.stdout.splitlines())
    assert request == {
        "event": "request", "trace_id": "5b8efff798038103d269b633813fc60c", "endpoint": "GET /manifests/{id}",
        "service": "manifest-export", "kind": "web", "at": START // 1_000_000, "duration_ms": 100.0,
        "layers": {"own": 47.0, "database": 53.0, "cache": 0.0, "external": 0.0, "queue": 0.0},
        "database_share": 0.53, "statements": 7, "error": False, "spans": 8, "rejected": 1,
        "repeated": [{
            "statement": "select * from passenger where id = ?", "count": 6, "time_ms": 48.0, "code": "rows.py:88",
            "after": "select id from booking where sailing_id = ?",
        }],
    }  # fmt: skip
    assert {key: summary[key] for key in ("event", "requests", "spans", "rejected", "duplicates")} == {
        "event": "summary", "requests": 1, "spans": 8, "rejected": 1, "duplicates": 1,
    }  # fmt: skip
    (row,) = summary["endpoints"]
    assert (row["endpoint"], row["requests"], row["p95_ms"], row["worst_layer"]) == (
        "GET /manifests/{id}",
        1,
        100.0,
        "database",
    )
    (found,) = summary["findings"]
    assert (found["kind"], found["attribute"]) == ("repeated_statement", None)
    assert found["detail"].startswith("6 runs a request")


def test_a_payload_without_spans_is_a_summary_of_nothing() -> None:
    (summary,) = map(json.loads, run("-", given=b"{}").stdout.splitlines())
    assert (summary["requests"], summary["endpoints"], summary["findings"]) == (0, [], [])


# Named by what is said of them: compressed bytes hold the moment they were made at, and so differ from worker to worker.
UNREADABLE: list[Any] = [
    (b"", "empty"),
    (payload(*ROWS)[:-20], "cannot be read"),
    (b"no such thing", "neither JSON nor"),
    (b'{"resourceMetrics":[]}', "metrics"),
    (gzip.compress(payload(*ROWS))[:100], "cut off"),
    (gzip.compress(b" " * 101_000_000, 1), "100 MB"),
]


@pytest.mark.parametrize(("given", "why"), UNREADABLE, ids=[str(case[-1]) for case in UNREADABLE])
def test_one_bad_file_among_good_ones_is_one_line_and_nothing_printed(tmp_path: Path, given: bytes, why: str) -> None:
    good = tmp_path / "good.json"
    good.write_bytes(payload(*ROWS))
    ended = run(str(good), "-", given=given)
    assert (ended.returncode, ended.stdout) == (2, b"")
    (line,) = ended.stderr.decode().splitlines()
    assert line.startswith("faena: standard input: ")
    assert why in line


def test_a_file_that_is_missing_is_named(tmp_path: Path) -> None:
    ended = run(str(tmp_path / "none.json"))
    assert (ended.returncode, ended.stdout) == (2, b"")
    assert b"none.json: No such file" in ended.stderr
