"""Search over all servers: each kind is found by any part of it, what is on another server stays there, hostile texts are texts."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.alerts.models import Alert, AlertCondition, Firing
from faena.apps.cases.models import Case, CaseComment, CaseLink
from faena.apps.changes.models import Change
from faena.apps.hosts.models import TableWork
from faena.apps.leads.models import KnownLead
from faena.apps.locks.models import Deadlock, DeadlockPattern
from faena.apps.requests.models import Endpoint
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.codebook import Codebook
from faena.apps.servers.models import Server
from faena.apps.statements.models import Figures, LogEvent, Text, Work
from faena.core.privacy import Normalised
from faena.core.readings import SampleReading
from faena.core.units import EpochMs, Millis
from faena.testing.builders import session

pytestmark = pytest.mark.django_db
AT = EpochMs(1_790_000_000_000)


@pytest.fixture
def client() -> Client:
    found = Client()
    user = save_user("anna", "correct horse", Role.VIEWER)
    found.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return found


def hits(client: Client, words: str, server: int | None = None) -> list[dict[str, Any]]:
    answer = client.get("/api/v1/search", {"words": words} | ({} if server is None else {"server": server}))
    assert answer.status_code == 200, answer.content
    found: list[dict[str, Any]] = answer.json()["hits"]
    return found


def everything(server: Server, name: str) -> None:
    """One of each kind that has a name in it."""
    Text.objects.create(server=server, query_id=7, text=Normalised(f"SELECT * FROM {name}"))
    LogEvent.objects.create(
        server=server, at_ms=AT, pid=1, place=1, kind="error", severity="ERROR", message=Normalised(f"no {name} here")
    )
    KnownLead.objects.create(
        server=server, identity="abc", kind="spill", title=f"A spill of {name}", first_ms=AT, last_ms=AT
    )
    Change.objects.create(server=server, at_ms=AT, since_ms=AT, kind="index_made", object=name, origin="found")
    Endpoint.objects.create(server=server, service="web", kind="web", name=f"GET /{name}")
    touched(server, f"{name}_pkey", AT)
    pattern = DeadlockPattern.objects.create(server=server, pattern="p1")
    Deadlock.objects.create(
        server=server,
        at_ms=AT,
        victim=1,
        place=1,
        pattern=pattern,
        cause="order",
        reason=f"Two lock {name}",
        parties=[],
        record=Normalised(""),
    )
    alert = Alert.objects.create(began_ms=AT, fired_ms=AT, severity="now", headline=f"{name} is slow")
    condition = AlertCondition.objects.order_by("pk")[0]
    Firing.objects.create(
        alert=alert, condition=condition, server=server, began_ms=AT, fired_ms=AT, first=1, worst=1, worst_ms=AT
    )
    case = Case.objects.create(title="Slow at nine", made_ms=AT, made_by="a", changed_ms=AT)
    CaseComment.objects.create(case=case, at_ms=AT, by="a", text=f"it was {name}")
    CaseLink.objects.create(case=case, about="lead", server=server, server_name=server.name, key="abc", title="a")
    seen = session(4, program=f"{name}-web", user=f"{name}-user", client="10.0.0.4", database=f"{name}-db")
    store_ticks(server.pk, [(SampleReading(due=AT, took=Millis(1), sessions=(seen,)), 0)], Codebook(server.pk))


FOUND = {
    "case",
    "lead",
    "alert",
    "pattern",
    "change",
    "endpoint",
    "program",
    "user",
    "database",
    "index",
    "statement",
    "log",
}


def test_each_kind_is_found_by_a_part_of_it_and_only_where_it_is(client: Client) -> None:
    pier, quay = Server.objects.create(name="pier-1"), Server.objects.create(name="quay-2")
    everything(pier, "gangway")
    found = hits(client, "angwa")
    assert {one["kind"] for one in found} == FOUND
    assert {one["server"] for one in found if one["kind"] != "case"} == {pier.pk}
    assert {one["server_name"] for one in found if one["kind"] != "case"} == {"pier-1"}
    assert {one["kind"] for one in hits(client, "angwa", pier.pk)} == FOUND
    assert hits(client, "angwa", quay.pk) == []
    assert [one["kind"] for one in hits(client, "angwa kind:lead")] == ["lead"]
    assert hits(client, "angwa server:quay") == []
    assert {one["kind"] for one in hits(client, "angwa server:PIER")} == FOUND
    assert [one["label"] for one in hits(client, "pier-1")] == ["pier-1"]
    assert hits(client, "angwa nowhere") == []


def test_a_time_narrows_to_what_was_there_then(client: Client) -> None:
    pier = Server.objects.create(name="pier-1", username="faena")
    everything(pier, "gangway")
    none = dict.fromkeys((one.name for one in Figures._meta.get_fields()), 0.0)
    Work.objects.create(
        server=pier, query_id=7, user="web", since_ms=AT - 60_000, until_ms=AT, toplevel=True, **none | {"total_ms": 120.0}
    )  # fmt: skip
    Text.objects.create(server=pier, query_id=8, text=Normalised("SELECT gangway that ran at no time"))
    day = datetime.fromtimestamp(AT / 1000, UTC)
    before, after = (f"{day + timedelta(days=n):%Y-%m-%d}" for n in (-1, 1))
    then = {one["kind"] for one in hits(client, f"angwa since:{before} until:{after}")}
    assert then == {"case", "lead", "alert", "pattern", "change", "statement", "log"}, (
        "only what is known to have been there"
    )
    (statement,) = hits(client, f"angwa kind:statement since:{before}")
    assert (statement["value"], statement["ms"]) == ("7", 120.0)
    assert hits(client, f"angwa until:{before}") == []
    assert {one["kind"] for one in hits(client, f"angwa since:{after}")} == {"alert"}, "which goes on"


def test_an_index_that_nobody_touched_in_the_last_minutes_is_found_once(client: Client) -> None:
    pier = Server.objects.create(name="pier-1")
    for name, before_ms in (("busy", 0), ("busy", 60_000), ("idle", 1_800_000), ("gone", 7_200_000)):
        touched(pier, f"gangway_{name}", AT - before_ms)
    assert sorted(one["value"] for one in hits(client, "gangway kind:index")) == ["gangway_busy", "gangway_idle"]


def touched(server: Server, index: str, at: int) -> None:
    """A survey that saw this index read."""
    TableWork.objects.create(
        server=server, until_ms=at, since_ms=at - 1, table="t", index=index, blocks_read=0, blocks_hit=0, scans=0, rows_read=0,
        rows_written=0, size_bytes=0,
    )  # fmt: skip


def test_marks_of_patterns_are_letters(client: Client) -> None:
    pier = Server.objects.create(name="pier-1")
    everything(pier, "gang_way%")
    assert {one["kind"] for one in hits(client, "g_w")} >= FOUND - {"case"}
    assert hits(client, "gang%y") == [], "no pattern is made of what is typed"
    assert hits(client, "gangxway") == []


@pytest.mark.parametrize(
    "text", ["'; DROP TABLE x; --", "\\", "%", "__", "%%__", "\u2028\u0000ab", "(" * 50, "kind:lead 'a", "ab\\' OR 1=1"]
)
def test_hostile_words_find_nothing_and_break_nothing(client: Client, text: str) -> None:
    everything(Server.objects.create(name="pier-1"), "gangway")
    answer = client.get("/api/v1/search", {"words": text})
    assert answer.status_code in (200, 400)
    if answer.status_code == 200:
        assert answer.json()["hits"] == []


def test_an_unknown_kind_is_said_and_an_unknown_server_too(client: Client) -> None:
    answer = client.get("/api/v1/search", {"words": "ab kind:colour"})
    assert (answer.status_code, answer.json()["field"]) == (400, "words")
    assert client.get("/api/v1/search", {"words": "ab", "server": 77}).status_code == 404


def test_sessions_are_found_by_pid_and_many_of_a_kind_are_cut(client: Client) -> None:
    pier = Server.objects.create(name="pier-1")
    for number in range(30):
        Text.objects.create(server=pier, query_id=number + 10, text=Normalised(f"SELECT {'x' * number} FROM berth"))
    assert [(one["kind"], one["value"]) for one in hits(client, "4411")] == [("session", "4411")]
    answer = client.get("/api/v1/search", {"words": "berth"}).json()
    assert (len(answer["hits"]), answer["more"]) == (20, True)
