"""Reading logs of all three forms against bare line iteration; reading a 1 MB plan against json.loads. In one run."""

import gc
import json
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from faena.core.engines.postgres.plans.reader import read_plan
from faena.sources.logs.reading import Summary, read_stream
from reporting import report, timed

ENTRIES = 150_000
LARGE_MB = 500
TEXT = (
    "SELECT b.id, b.reference, b.status FROM booking b JOIN sailing s ON s.id = b.sailing_id WHERE b.reference = $1 "
    "AND s.departs_at > $2"
)


def stamp(i: int) -> str:
    return f"2026-03-01 {10 + i // 3600 % 12}:{i // 60 % 60:02d}:{i % 60:02d}.{i % 1000:03d} UTC"


def stderr(i: int, ms: float) -> str:
    head = f"{stamp(i)} [{1000 + i % 50}] booking@tidewrack "
    return (
        f"{head}LOG:  duration: {ms:.3f} ms  execute S_1: {TEXT}\n{head}DETAIL:  parameters: $1 = 'TW{i}', $2 = 'now'\n"
    )


def jsonlog(i: int, ms: float) -> str:
    entry = {
        "timestamp": stamp(i), "user": "booking", "dbname": "tidewrack", "pid": 1000 + i % 50, "remote_host": "127.0.0.5",
        "remote_port": 4000, "session_id": "6a0.1", "line_num": i, "ps": "SELECT", "session_start": stamp(0), "vxid": "3/17",
        "txid": 0, "error_severity": "LOG", "message": f"duration: {ms:.3f} ms  execute S_1: {TEXT}",
        "detail": f"parameters: $1 = 'TW{i}', $2 = 'now'", "application_name": "gate-scan",
        "backend_type": "client backend", "query_id": -123456789,
    }  # fmt: skip
    return json.dumps(entry, separators=(",", ":")) + "\n"


def csvlog(i: int, ms: float) -> str:
    return (
        f'{stamp(i)},"booking","tidewrack",{1000 + i % 50},"127.0.0.5:4000",6a0.1,{i},"SELECT",{stamp(0)},3/17,0,LOG,00000,'
        f'"duration: {ms:.3f} ms  execute S_1: {TEXT}","parameters: $1 = \'TW{i}\', $2 = \'now\'",,,,,,,,"gate-scan",'
        '"client backend",,-123456789\n'
    )


def speed(data: bytes, call: Callable[[], object], runs: int = 5) -> float:
    """MB a second at the reference pace."""
    return len(data) / 1e3 / timed(call, runs).median


def ratio(call: Callable[[], object], to: Callable[[], object], rounds: int = 9) -> float:
    """How many times as long as `to` a call takes; the two by turns, so that a slow spell hits both."""
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        to()
        between = time.perf_counter()
        call()
        times.append((time.perf_counter() - between) / (between - begun))
    return float(np.median(times))


def lines(path: Path) -> None:
    with path.open("rb") as file:
        for _ in file:
            pass


def read(path: Path, *, trouble: bool) -> int:
    with path.open("rb") as file:
        return sum(1 for _ in read_stream(file, Summary(), trouble_only=trouble))


def logs(folder: Path) -> None:
    """From files, which the machine keeps in memory: that is how logs are read."""
    chance = random.Random(1)
    gc.disable()  # as the command does
    for make in (stderr, jsonlog, csvlog):
        data = "".join(make(i, chance.expovariate(0.1)) for i in range(ENTRIES)).encode()
        path = folder / make.__name__
        path.write_bytes(data)
        times = ratio(lambda path=path: read(path, trouble=True), lambda path=path: lines(path))
        trouble = speed(data, lambda path=path: read(path, trouble=True))
        whole = speed(data, lambda path=path: read(path, trouble=False))
        name = make.__name__
        report(
            f"{name}: finding trouble over bare line iteration",
            times,
            "times",
            at_most=1 / 0.3,
            note=f"{trouble:.0f} MB/s",
        )
        report(
            f"{name}: 60 MB/s over reading every execution", 60 / whole, "times", at_most=1.0, note=f"{whole:.0f} MB/s"
        )
    gc.enable()


def memory() -> None:
    """The command on a large file, in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.json"
        block = "".join(jsonlog(i, 1.0) for i in range(20_000))
        with path.open("w") as file:
            while file.tell() < LARGE_MB * 1_000_000:
                file.write(block)
        command = [sys.executable, "-m", "faena.headless", "read-log", str(path)]
        begun = time.perf_counter()
        subprocess.run(command, stdout=subprocess.DEVNULL, check=True)
        took = time.perf_counter() - begun
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1000
    report(
        f"read-log on {LARGE_MB} MB: peak memory", peak, "MB", at_most=150, note=f"{LARGE_MB / took:.0f} MB/s, printed"
    )


def plans() -> None:
    # One step as a server of version 15 writes it under ANALYZE, BUFFERS and track_io_timing.
    node: dict[str, object] = {
        "Node Type": "Seq Scan", "Parent Relationship": "Member", "Parallel Aware": False, "Async Capable": False,
        "Relation Name": "booking_2026_03", "Alias": "booking_17", "Startup Cost": 0.0, "Total Cost": 5137.25,
        "Plan Rows": 1200, "Plan Width": 48, "Actual Startup Time": 0.015, "Actual Total Time": 21.441,
        "Actual Rows": 1187, "Actual Loops": 1, "Filter": "((state = 'held'::text) AND (made > '2026-03-01'::date))",
        "Rows Removed by Filter": 198813, "Shared Hit Blocks": 2637, "Shared Read Blocks": 12,
        "Shared Dirtied Blocks": 0, "Shared Written Blocks": 0, "Local Hit Blocks": 0, "Local Read Blocks": 0,
        "Local Dirtied Blocks": 0, "Local Written Blocks": 0, "Temp Read Blocks": 0, "Temp Written Blocks": 0,
        "I/O Read Time": 1.104, "I/O Write Time": 0.0,
    }  # fmt: skip
    size = 1_000_000 // len(json.dumps(node, indent=2))
    plan = {**node, "Node Type": "Append", "Plans": [node] * size}
    written = json.dumps([{"Plan": plan, "Execution Time": 5.0}], indent=2)
    report(
        "reading a 1 MB plan over json.loads",
        ratio(lambda: read_plan(written), lambda: json.loads(written)),
        "times",
        at_most=3,
        note=f"{len(written) / 1e6:.1f} MB, {size} steps",
    )


if __name__ == "__main__":
    memory()  # first, since a child begins with the memory of its parent
    with tempfile.TemporaryDirectory() as place:
        logs(Path(place))
    plans()
