"""/metrics: read by the standard's own parser, by those who may, and a figure that is not known is left out."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from faena.api.parameters import now_ms
from faena.apps.alerts.models import Alert, AlertCondition, Firing
from faena.apps.collecting.models import CollectorState
from faena.apps.collecting.store import DjangoStore
from faena.apps.servers.models import Server
from faena.collector.kinds.sampled import Sampled
from faena.core.readings import SampleReading
from faena.core.units import EpochMs, Millis, Pid
from faena.testing.builders import session
from prometheus_client.openmetrics.parser import text_string_to_metric_families

pytestmark = pytest.mark.django_db
TOKEN = {"Authorization": "Bearer of-the-watch"}


@pytest.fixture
def allowed(settings: Any) -> Any:
    settings.ENVIRONMENT = replace(settings.ENVIRONMENT, metrics_token="of-the-watch", metrics_networks=("10.0.0.0/8",))
    return settings


def read() -> dict[str, dict[tuple[str, ...], float]]:
    answer = Client().get("/metrics", headers=TOKEN)
    assert answer.status_code == 200
    assert answer["Content-Type"].startswith("application/openmetrics-text")
    found: dict[str, dict[tuple[str, ...], float]] = {}
    for family in text_string_to_metric_families(answer.content.decode()):
        found[family.name] = {tuple(one.labels.values()): one.value for one in family.samples}
    return found


def test_nothing_is_told_to_those_who_may_not(allowed: Any) -> None:
    Server.objects.create(name="pier-1")
    for headers in ({}, {"Authorization": "Bearer of-the-watc"}, {"Authorization": "of the watch"}):
        refused = Client().get("/metrics", headers=headers)
        assert (refused.status_code, b"pier-1" in refused.content) == (403, False)
    assert Client().get("/metrics", headers=TOKEN, REMOTE_ADDR="192.0.2.1").status_code == 200
    assert Client().get("/metrics", REMOTE_ADDR="10.2.3.4").status_code == 200
    assert Client().post("/metrics", headers=TOKEN).status_code == 405
    allowed.ENVIRONMENT = replace(allowed.ENVIRONMENT, metrics_token="", metrics_networks=())
    assert Client().get("/metrics", headers={"Authorization": "Bearer "}).status_code == 403, (
        "an empty token opens nothing"
    )


def test_faenas_own_state_and_alerts_are_told(allowed: Any) -> None:
    server = Server.objects.create(name='pier "1"\\\n', cores=8)
    now = now_ms()
    job = {"name": "closing hours", "every_s": 60, "ran_at": now - 30_000, "took_ms": 3, "error": "TypeError"}
    state = {"readings_waiting": 3, "readings_dropped": 0, "refused": 1, "jobs": [job], "servers": {}}
    CollectorState.objects.create(holder="a", version="1", seen_ms=now, state=state)
    CollectorState.objects.create(holder="b", version="1", seen_ms=now - 3_600_000, state={})
    alert = Alert.objects.create(began_ms=now, fired_ms=now, severity="now")
    condition = AlertCondition.objects.get(builtin="blocked")
    fired = {"alert": alert, "condition": condition, "server": server, "first": 1.0, "worst": 1.0, "worst_ms": now}
    Firing.objects.create(began_ms=now, fired_ms=now, **fired)
    told = read()
    assert told["faena_collector_up"] == {("a",): 1.0, ("b",): 0.0}
    assert told["faena_readings_waiting"] == {("a",): 3.0}
    assert told["faena_job_failing"] == {("a", "closing hours"): 1.0}
    assert told["faena_job_last_run_age_seconds"][("a", "closing hours")] == pytest.approx(30, abs=20)
    assert told["faena_cores"] == {(server.name,): 8.0}
    assert told["faena_alerts_firing"] == {(server.name, "now"): 1.0}
    assert told["faena_load_sessions"] == {}, "a server that was never sampled has no load, not none"


@pytest.mark.django_db(transaction=True)
def test_the_load_of_the_last_minute_is_told_by_kind(allowed: Any, tmp_path: Path) -> None:
    server = Server.objects.create(name="pier-1")
    last = (now_ms() - 10_000) // 60_000 * 60_000 - 60_000
    sessions = (session(1), session(2, wait_type="Lock", wait_event="transactionid", blocked_by=(Pid(1),)))
    rows = [
        SampleReading(due=EpochMs(last + 1000 * n), took=Millis(1.0), sessions=sessions) for n in range(130)
    ]  # this minute and the next, whichever of them has ended when it is read
    DjangoStore(tmp_path).deliver([Sampled(server_id=server.pk, reading=one, missed=0) for one in rows])
    told = read()
    assert told["faena_load_sessions"] == {("running", "pier-1"): 1.0, ("lock", "pier-1"): 1.0}
    assert told["faena_blocked_sessions"] == {("pier-1",): 1.0}
