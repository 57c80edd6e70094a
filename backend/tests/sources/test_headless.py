"""The commands that read files: one JSON object or JSON Lines, and one line on standard error when they cannot."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from contention import scene
from watched import PASSWORD, PORT

BACKEND = Path(__file__).parents[2]
PLAN = """
 Seq Scan on booking  (cost=0.00..20406.00 rows=1 width=54) (actual time=10.010..81.000 rows=1 loops=1)
   Filter: (reference = 'R777'::text)
   Rows Removed by Filter: 999999
   Buffers: shared hit=101 read=7811
 Planning Time: 0.100 ms
 Execution Time: 81.020 ms
"""


def run(*arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(BACKEND)}
    command = [sys.executable, "-m", "faena.headless", *arguments]
    return subprocess.run(command, input=given, capture_output=True, text=True, env=environment, check=False)


def test_a_plan_becomes_one_object() -> None:
    ended = run("read-plan", "-", given=PLAN)
    assert ended.returncode == 0, ended.stderr
    (plan,) = json.loads(ended.stdout)["plans"]
    assert plan["executed"] is True
    assert plan["verdict"] == "suspicious"
    (step,) = plan["steps"]
    assert step["operation"] == "Seq Scan"
    assert step["rows_discarded"] == 999_999
    assert step["blocks"] == {"hit": 101, "read": 7811, "temp_read": 0, "temp_written": 0}
    first = plan["suspicions"][0]
    assert first["kind"] == "missing_index"
    assert first["index"]["columns"] == ["reference"]
    assert first["index"]["cost_before"] == 20406.0
    assert first["index"]["cost_after"] < 20
    assert first["index"]["judged_by"] == "the plan alone"


@pytest.mark.parametrize(
    ("arguments", "given"),
    [
        (["read-plan", "-"], "nothing of the kind"),
        (["read-plan", "-", "--format", "json"], "{"),
        (["read-plan", "-"], "[" * 100_000),
        (["read-plan", "no-such-file"], ""),
        (["read-log", "no-such-file"], ""),
        (["read-plan", "-", "--dsn", "host=127.0.0.1 port=1 user=x"], PLAN),
        (["read-plan", "-", "--dsn", "nonsense without end"], PLAN),
    ],
)
def test_what_cannot_be_read_is_one_line_and_exit_2(arguments: list[str], given: str) -> None:
    ended = run(*arguments, given=given)
    assert ended.returncode == 2, ended.stdout[:300]
    assert ended.stdout == ""
    assert len(ended.stderr.strip().splitlines()) == 1, ended.stderr
    assert ended.stderr.startswith("faena: ")


def test_a_server_judges_the_index(target: object) -> None:
    del target
    dsn = f"host=127.0.0.1 port={PORT} dbname=watched user=keeper password={PASSWORD}"
    ended = run("read-plan", "-", "--dsn", dsn, given=PLAN.replace("booking", "deck_slot").replace("reference", "held"))
    assert ended.returncode == 0, ended.stderr
    assert json.loads(ended.stdout)["plans"][0]["steps"][0]["relation"] == "deck_slot"


def test_a_log_becomes_lines_with_a_summary_at_the_end(tmp_path: Path) -> None:
    log = tmp_path / "server.log"
    log.write_text(
        "2026-03-01 09:20:00.123 UTC [7] web@shop LOG:  duration: 12.5 ms  statement: SELECT 1\n"
        "2026-03-01 09:20:01.123 UTC [7] web@shop ERROR:  deadlock detected\n"
    )
    ended = run("read-log", str(log), "-", given=log.read_text())
    assert ended.returncode == 0, ended.stderr
    *events, summary = map(json.loads, ended.stdout.splitlines())
    assert [one["event"] for one in events] == ["execution", "deadlock"] * 2
    assert events[0]["started"] == events[0]["at"] - 13
    assert summary["event"] == "summary"
    assert (summary["lines"], summary["events"], summary["unreadable"]) == (4, 4, 0)
    assert summary["files"][0]["log_line_prefix"] == "%m [%p] %q%u@%d "


def test_chains_are_watched_and_their_cost_told(target: object) -> None:
    del target
    dsn = f"host=127.0.0.1 port={PORT} dbname=watched user=keeper password={PASSWORD}"
    with scene("watched") as stage:
        console, web, gate = stage.player("ops-console"), stage.player("booking-web"), stage.player("gate-scan")
        console.ask("BEGIN")
        console.ask("LOCK TABLE deck_slot IN EXCLUSIVE MODE")
        for waiting in (web, gate):
            waiting.start("UPDATE deck_slot SET held = 1 WHERE id = 5")
        stage.until_waiting(web, gate)
        begun = time.monotonic()
        ended = run("chains", "--dsn", dsn, "--seconds", "2")
        watched = time.monotonic() - begun
        assert ended.returncode == 0, ended.stderr
    found = json.loads(ended.stdout)
    (chain,) = found["chains"]
    assert chain["root"]["application"] == "ops-console"
    assert chain["root"]["pid"] == console.pid
    assert chain["root"]["state"] == "idle in transaction"
    assert "LOCK TABLE" in chain["root"]["statement"]
    assert (chain["object"], chain["lock_type"]) == ("table deck_slot", "relation")
    # Two waited all of the time, which is two seconds and what the last reading took on a busy machine.
    assert 3.0 < chain["lost_seconds"] <= 2 * watched
    assert found["total_lock_wait_seconds"] == chain["lost_seconds"]
    edges = {(one["waiter"], one["blocker"]): one for one in chain["edges"]}
    direct = edges["booking-web", "ops-console"]
    assert (direct["via"], direct["mode_wanted"], direct["mode_held"]) == (
        "holder",
        "RowExclusiveLock",
        "ExclusiveLock",
    )
    assert {one["waiter_pid"] for one in chain["edges"]} == {web.pid, gate.pid}


@pytest.mark.parametrize(
    "arguments", [["--dsn", "host=127.0.0.1 port=1"], ["--dsn", "x y"], ["--dsn", "port=1", "--seconds", "0"]]
)
def test_a_server_that_cannot_be_watched_is_one_line_and_exit_2(arguments: list[str]) -> None:
    ended = run("chains", *arguments)
    assert (ended.returncode, ended.stdout) == (2, "")
    assert len(ended.stderr.strip().splitlines()) == 1, ended.stderr
