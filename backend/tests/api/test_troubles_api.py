"""One list of leads, deadlock patterns and alerts: unread first, by server and kind, by the hour of the server's own day."""

import time
from typing import Any

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.alerts.models import Alert, AlertCondition, Firing
from faena.apps.leads.models import KnownLead, LeadSpan
from faena.apps.locks.models import Deadlock, DeadlockPattern
from faena.apps.servers.models import Server
from faena.core.privacy import Normalised
from faena.core.units import MS_PER_HOUR

pytestmark = pytest.mark.django_db
DAY = 24 * MS_PER_HOUR


@pytest.fixture
def client() -> Client:
    found = Client()
    found.force_login(
        save_user("anna", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    return found


def asked(client: Client, query: str = "") -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get(f"/api/v1/troubles{query}").json()
    return found


def lead(server: Server, identity: str, starts: list[int], state: str = "open") -> None:
    row = KnownLead.objects.create(
        server=server,
        identity=identity,
        kind="spill",
        title=identity,
        first_ms=starts[0],
        last_ms=starts[-1],
        state=state,
    )
    for at in starts:
        LeadSpan.objects.create(lead=row, start_ms=at, end_ms=at + 1000, share=0.5, seconds=1, title=identity)


def deadlock(server: Server, pattern: DeadlockPattern, at: int) -> None:
    Deadlock.objects.create(
        server=server,
        at_ms=at,
        victim=1,
        place=at,
        pattern=pattern,
        cause="order",
        reason="Two sailings",
        parties=[],
        record=Normalised(""),
    )


def test_what_nobody_dealt_with_comes_first_and_each_is_one_line(client: Client) -> None:
    pier, quay = (Server.objects.create(name=name, time_zone="Asia/Tokyo") for name in ("pier-1", "quay-2"))
    midnight = int(time.time() * 1000) // DAY * DAY - 2 * DAY
    lead(pier, "handled one", [midnight + DAY], "handled")
    lead(pier, "open one", [midnight - DAY, midnight, midnight + 5 * MS_PER_HOUR])
    lead(quay, "long ago", [midnight - 60 * DAY])
    pattern = DeadlockPattern.objects.create(server=quay, pattern="p1", handled_at_ms=midnight)
    deadlock(quay, pattern, midnight - 1000)
    deadlock(quay, pattern, midnight + 1000)
    alert = Alert.objects.create(
        began_ms=midnight, fired_ms=midnight, severity="now", headline="Stuck", state="acknowledged"
    )
    condition = AlertCondition.objects.order_by("pk")[0]
    Firing.objects.create(
        alert=alert,
        condition=condition,
        server=quay,
        began_ms=midnight,
        fired_ms=midnight,
        first=1,
        worst=1,
        worst_ms=1,
    )
    Firing.objects.create(
        alert=alert,
        condition=condition,
        server=pier,
        began_ms=midnight + 5,
        fired_ms=midnight,
        first=1,
        worst=1,
        worst_ms=1,
    )
    found = asked(client)
    assert [(one["server"], one["server_name"]) for one in found if one["kind"] == "alert"] == [
        (quay.pk, "quay-2 and 1 more")
    ]
    assert [(one["title"], one["unread"]) for one in found] == [
        ("open one", True), ("Two sailings", True), ("handled one", False), ("Stuck", False),
    ]  # fmt: skip
    spill = found[0]
    assert (spill["times"], spill["hours"][9], spill["hours"][14]) == (3, 2, 1), "midnight in UTC is nine in Tokyo"
    assert (found[1]["state"], found[1]["times"]) == ("came back", 2)
    assert [one["title"] for one in asked(client, f"?server={pier.pk}")] == ["open one", "handled one", "Stuck"]
    assert [one["kind"] for one in asked(client, "?kind=pattern")] == ["pattern"]
    assert [one["title"] for one in asked(client, "?days=90&kind=lead")] == ["open one", "long ago", "handled one"]
    assert client.get("/api/v1/troubles?kind=other").status_code == 400


def test_a_pattern_that_was_mended_is_dealt_with(client: Client) -> None:
    quay = Server.objects.create(name="quay-2")
    now = int(time.time() * 1000)
    deadlock(quay, DeadlockPattern.objects.create(server=quay, pattern="p1", handled_at_ms=now), now - 1000)
    assert [(one["state"], one["unread"]) for one in asked(client)] == [("handled", False)]
    assert asked(Client()) == {
        "type": "urn:faena:not-signed-in",
        "title": "You are not signed in",
        "status": 401,
        "detail": "Sign in and try again.",
    }
