"""Plans and logs as the versions 12 to 17 write them (demo/tidewrack/versioncorpus.py makes them on real servers)."""

import io
import json
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.logged import Execution, LogEvent
from faena.core.plans.model import Plan, walk
from faena.core.plans.shape import shape
from faena.core.plans.times import own_blocks, step_times
from faena.sources.logs.reading import Summary, read_stream
from test_plans import FORMS, essence

GOLDEN = Path(__file__).parents[1] / "golden" / "versions"
VERSIONS = (12, 13, 14, 15, 16, 17)
SINCE = {"Incremental Sort": 13, "Memoize": 14}


@cache
def corpus(version: int) -> dict[str, Any]:
    whole: dict[str, Any] = json.loads((GOLDEN / f"{version}.json").read_text())
    assert whole["version"] // 10_000 == version
    return whole


TITLES = tuple(corpus(15)["plans"])


@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("title", TITLES)
def test_every_form_of_every_version_reads_the_same(version: int, title: str) -> None:
    told = corpus(version)["plans"][title]
    plans = [read_plan(told[form]) for form in FORMS]
    assert [plan.form for plan in plans] == list(FORMS)
    first = essence(plans[1].root, run=True)
    for plan in plans:
        assert essence(plan.root, run=True) == first, plan.form
        assert plan.analysed


@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("title", TITLES)
def test_a_plan_is_the_same_plan_in_every_form(version: int, title: str) -> None:
    told = corpus(version)["plans"][title]
    assert len({shape(read_plan(told[form])) for form in FORMS}) == 1


@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("title", TITLES)
def test_own_blocks_add_up_to_those_of_the_whole(version: int, title: str) -> None:
    plan = read_plan(corpus(version)["plans"][title]["everything"]["json"])
    own = own_blocks(plan).values()
    whole = plan.root.blocks
    assert whole is not None
    for name in ("hit", "read", "temp_read", "temp_written"):
        # A CTE that is read twice runs by turns in either reader, and which of them ran what is not told.
        assert sum(getattr(one, name) for one in own) == pytest.approx(
            getattr(whole, name), abs=4 if title == "cte" else 0
        )


@pytest.mark.parametrize("version", [14, 15, 16, 17])
def test_a_cache_of_lookups_tells_its_hits_and_misses_in_every_form(version: int) -> None:
    told = corpus(version)["plans"]["repeated lookup"]["everything"]
    found = []
    for form in told:
        step = next(step for _, step in walk(read_plan(told[form]).root) if step.kind == "Memoize")
        found.append([int(str(step.details[f"Cache {name}"])) for name in ("Hits", "Misses", "Evictions")])
    assert found == [found[0]] * len(told)
    assert found[0][1] > 0


@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("title", ["update", "insert with a trigger"])
def test_a_change_of_rows_that_gives_none_is_no_wrong_estimate(version: int, title: str) -> None:
    """Servers before 14 expect of it as many rows as it changes."""
    found = examine(read_plan(corpus(version)["plans"][title]["json"]))
    assert Suspicion.BAD_ESTIMATE not in [one.kind for one in found]


@pytest.mark.parametrize("version", VERSIONS)
@pytest.mark.parametrize("title", TITLES)
def test_with_everything_told_no_time_counts_twice(version: int, title: str) -> None:
    told = corpus(version)["plans"][title]["everything"]
    for form, written in told.items():
        plan = read_plan(written)
        assert plan.form == form
        assert plan.planning_ms is not None
        assert plan.execution_ms is not None
        assert plan.settings["work_mem"] == "256kB"
        assert any(step.blocks is not None and step.blocks.hit for _, step in walk(plan.root))
        own = own_ms(plan)
        assert all(ms >= 0 for ms in own)
        whole = step_times(plan)[id(plan.root)].whole_ms
        assert whole is not None
        assert sum(own) == pytest.approx(whole, rel=0.1, abs=0.6)
    assert [s.kind for _, s in walk(read_plan(told["text"]).root)] == [
        s.kind for _, s in walk(read_plan(told["json"]).root)
    ]


def own_ms(plan: Plan) -> list[float]:
    times = step_times(plan)
    return [times[id(step)].own_ms or 0.0 for _, step in walk(plan.root)]


@pytest.mark.parametrize("version", VERSIONS)
def test_steps_that_came_with_a_version_are_known(version: int) -> None:
    plans = [read_plan(one["json"]) for one in corpus(version)["plans"].values()]
    kinds = {step.kind for plan in plans for _, step in walk(plan.root)}
    assert {kind for kind, since in SINCE.items() if since <= version} <= kinds
    workers = read_plan(corpus(version)["parallel"])
    assert any(step.workers_launched for _, step in walk(workers.root))
    assert sum(own_ms(workers)) <= (workers.execution_ms or 0) * 1.05 + 1, (
        "what workers do side by side is not added up"
    )


def test_a_plan_has_the_same_shape_in_versions_that_plan_alike() -> None:
    for title in ("bitmap", "never", "window"):
        shapes = {shape(read_plan(corpus(version)["plans"][title]["json"])) for version in VERSIONS}
        assert len(shapes) == 1, title


@pytest.mark.parametrize("version", VERSIONS)
def test_logs_of_every_version_tell_the_same_executions(version: int) -> None:
    logs = corpus(version)["logs"]
    assert set(logs) == ({"stderr", "csvlog", "jsonlog"} if version >= 15 else {"stderr", "csvlog"})
    for form, written in logs.items():
        summary = Summary()
        found = list(read_stream(io.BytesIO(written.encode()), summary))
        assert summary.form == form
        assert summary.unreadable == 0, summary.notes
        runs = [one for one in found if isinstance(one, Execution)]
        assert [one.statement for one in runs[1:4]] == [
            "SELECT 'O''Brien', E'two\\nlines'", "SELECT $1::text || 'x'", "SELECT count(*) FROM passage",
        ]  # fmt: skip
        assert runs[2].parameters == "$1 = 'it''s\nso'"
        assert runs[2].parse_ms is not None
        assert runs[2].took_ms == pytest.approx(
            sum(filter(None, (runs[2].parse_ms, runs[2].bind_ms, runs[2].execute_ms)))
        )
        assert {(one.program, one.database, one.user) for one in runs} == {("corpus", "versions", "keeper")}
        (failed,) = [one for one in found if isinstance(one, LogEvent)]
        assert failed.statement == "SELECT * FROM nowhere"
        assert failed.sqlstate == ("" if form == "stderr" else "42P01")
