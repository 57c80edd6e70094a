"""No input makes the plan reader hang, take much memory, or fail with anything but its own error."""

import json
import os
import subprocess
import sys
from collections.abc import Callable
from math import isfinite
from pathlib import Path

import pytest
from faena.core.engines.postgres.plans.reader import MAX_CHARACTERS, MAX_YAML, read_plan
from faena.core.plans.model import BadPlan
from hypothesis import given
from hypothesis import strategies as st

BACKEND = Path(__file__).parents[2]
MOST_MB = 300
MOST_S = 60  # a hang and not a speed is what this is about
STEP = "Seq Scan on booking  (cost=0.00..1.00 rows=1 width=4)"


def filled(head: str, part: str, tail: str = "", size: int = MAX_CHARACTERS) -> Callable[[], str]:
    return lambda: head + part * ((size - len(head) - len(tail)) // len(part)) + tail


FLOODS: dict[str, Callable[[], str]] = {
    "lists of JSON": filled("[", "[],", "[]]"),
    "steps of JSON": filled('[{"Plan": {"Node Type": "Append", "Plans": [', '{"Node Type": "Result"},', "{}]}}]"),
    "depth of JSON": lambda: '[{"Plan": ' + '{"Node Type": "Limit", "Plans": [' * 100_000,
    "a flow of YAML": filled("- Plan:\n    Node Type: Sort\n    Output: [", "a,", "a]", MAX_YAML),
    "empty tags": filled("<explain><Query><Plan>", '<a b="c"/>', "</Plan></Query></explain>"),
    "tags without end": filled("<explain><Query>", "<Plan>"),
    "mail quotes": filled("", "> a\n"),
    "text steps": filled("", f" ->  {STEP}\n"),
    "an endless condition": filled(f" {STEP}\n   Filter: ", " (a"),
    "zero bytes": filled("", "\0"),
    "50 MB": filled("", f"{STEP}\n", size=50_000_000),
}  # fmt: skip


# The kernel's own figure of a child's memory begins with that of whoever started it, so the child looks at itself.
MEASURED = """
import atexit, pathlib, runpy, sys
status, told = pathlib.Path("/proc/self/status"), pathlib.Path(sys.argv[1])
atexit.register(lambda: told.write_text(next(line for line in status.read_text().splitlines() if line.startswith("VmHWM"))))
sys.argv = ["faena.headless", "read-plan", sys.argv[2]]
runpy.run_module("faena.headless", run_name="__main__", alter_sys=True)
"""


@pytest.mark.parametrize("flood", FLOODS)
def test_a_flood_is_read_or_refused_within_bounds(flood: str, tmp_path: Path) -> None:
    path = tmp_path / "plan"
    path.write_text(FLOODS[flood]())
    memory = tmp_path / "memory"
    command = [sys.executable, "-c", MEASURED, str(memory), str(path)]
    with path.with_suffix(".err").open("w+") as errors:
        child = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=errors, env={**os.environ, "PYTHONPATH": str(BACKEND)}
        )
        # Asked of this very child: the figures of all children together would be those of the largest.
        _, status, used = os.wait4(child.pid, 0)
        child.returncode = os.waitstatus_to_exitcode(status)
        errors.seek(0)
        said = errors.read().splitlines()
    assert child.returncode in (0, 2), said
    assert len(said) == (1 if child.returncode else 0), said
    assert int(memory.read_text().split()[1]) / 1000 < MOST_MB
    assert used.ru_utime < MOST_S


PIECES = st.sampled_from([
    "QUERY PLAN", "->  ", "Seq Scan on a", "(cost=0.00..1.00 rows=1 width=4)", "(actual time=1..2 rows=3 loops=0)", "\n", "  ",
    "(never executed)", "Filter: ", "SubPlan 1", "CTE x", "InitPlan 1 (returns $0)", "Buffers: shared hit=", "Workers Launched: ",
    '{"Plan": ', '"Node Type": ', "[", "]", "{", "}", ",", '"', "<Query>", "<Plan>", "</Plan>", "- Plan:", "Node Type: Sort",
    "1e999", "-", "9" * 400, "NaN", "\0", "|", "+", "> ", "duration: 1 ms  plan:", "\t", "Planning Time: ", "ms",
])  # fmt: skip


@given(st.lists(st.one_of(PIECES, st.text(max_size=5)), max_size=60).map("".join))
def test_pieces_of_plans_in_any_order_are_a_plan_or_a_clear_error(written: str) -> None:
    try:
        assert read_plan(written).root.kind
    except BadPlan as error:
        refusal = str(error)
    else:
        refusal = ""
    assert "\n" not in refusal


FIGURES = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8), st.lists(st.integers(), max_size=2)
)
NAMES = st.sampled_from(
    [
        "Plan Rows",
        "Actual Rows",
        "Actual Loops",
        "Actual Total Time",
        "Shared Hit Blocks",
        "Workers",
        "Sort Key",
        "Filter",
    ]
)


@given(st.dictionaries(NAMES, FIGURES, max_size=8), FIGURES)
def test_figures_of_any_type_are_taken_or_left(told: dict[str, object], time: object) -> None:
    plan = read_plan(json.dumps([{"Plan": {"Node Type": "Sort", **told}, "Execution Time": time}]))
    assert plan.root.kind == "Sort"
    figures = [plan.root.rows_planned, *(plan.root.actual[:2] if plan.root.actual else ())]
    assert all(figure is None or isfinite(figure) for figure in figures)
