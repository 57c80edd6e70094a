"""./faena bench: runs what lies in bench/ on clusters of its own and prints one table."""

import json
import os
import subprocess
from collections.abc import Sequence

from faena.launch import setup
from faena.launch.installation import Installation
from faena.launch.places import BACKEND, CHECKOUT, DEMO, PYTHON, bench_place
from faena.launch.words import Trouble, say

NAMES = (
    "sampling",
    "throughput",
    "ingest",
    "answers",
    "statements",
    "logs",
    "traces",
    "chains",
    "diagnosis",
    "leads",
    "alerts",
    "proof",
    "accuracy",
    "fuzz",
    "faults",
    "servers",
    "search",
    "browser",
    "troubles",
)


def run(names: Sequence[str]) -> int:
    """All benches, or those named; "troubles" may be followed by names of troubles. 0 when every figure lies within its budget."""
    only: Sequence[str] = ()
    if names[:1] == ["troubles"]:
        names, only = names[:1], names[1:]
    if unknown := set(names) - set(NAMES):
        raise Trouble(f"there is no bench {', '.join(sorted(unknown))}; there are {', '.join(NAMES)}")
    setup.for_testing()
    installation = Installation(bench_place())
    rows: list[dict[str, str]] = []
    try:
        installation.clear_leftovers()
        installation.check_ports()
        installation.start_clusters()
        installation.prepare_store()
        environment = {
            **installation.environment(),
            "PYTHONPATH": f"{BACKEND}:{DEMO}:{CHECKOUT / 'bench'}",
            "FAENA_BENCH_FERRY_PASSWORD": installation.ferry.environment()["PGPASSWORD"],
        }
        for name in names or NAMES:
            say(f"== {name}")
            if name == "browser":
                installation.start_web()
            if name == "troubles":
                _start_the_demo(installation)
            command = [str(PYTHON), str(CHECKOUT / "bench" / f"{name}.py"), *only]
            ended = subprocess.run(command, env=environment, cwd=os.fspath(CHECKOUT), stdout=subprocess.PIPE, text=True)
            if ended.returncode != 0:
                rows.append({"what": name, "measured": "it broke; see above", "budget": "-", "verdict": "FAILED"})
            rows += [json.loads(line) for line in ended.stdout.splitlines() if line.startswith("{")]
    finally:
        installation.register.stop_all()
    return _table(rows)


def _start_the_demo(installation: Installation) -> None:
    """Every program at its work, and Faena watching them."""
    installation.load_ferry()
    installation.watch_ferry()
    installation.take_traces()
    installation.start_programs(rota=False)
    installation.start_collector()
    installation.start_web()  # takes the traces


def _table(rows: list[dict[str, str]]) -> int:
    columns = ("what", "measured", "budget", "verdict")
    widths = [max(len(str(row[c])) for row in [*rows, dict(zip(columns, columns, strict=True))]) for c in columns]
    for row in [dict(zip(columns, columns, strict=True)), *rows]:
        say("  ".join(str(row[c]).ljust(width) for c, width in zip(columns, widths, strict=True)))
    return 1 if any(row["verdict"] in ("OVER", "FAILED") for row in rows) else 0
