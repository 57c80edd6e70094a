"""Alerts, conditions and ways over the API: who may do what, what is refused by its field, a condition tried on the past."""

from typing import Any

import pytest
from django.test import Client
from faena.apps.accounts.models import User
from faena.apps.alerts.models import Alert, AlertCondition, Firing, Notice
from faena.apps.answers.alerts.evaluating import watch
from faena.apps.answers.alerts.telling import tell_due
from faena.apps.collecting import estate as filling
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.core.units import MS_PER_HOUR, EpochMs

pytestmark = pytest.mark.django_db
ANCHOR = EpochMs(1_764_000_000_000 // MS_PER_HOUR * MS_PER_HOUR)
MINUTE = 60_000
BLOCKED = {"name": "Too many wait", "signal": "blocked", "level": 5, "clears": 1, "for_ms": 60_000}


@pytest.fixture
def alert() -> Alert:
    """A server whose samples have stopped."""
    AlertCondition.objects.exclude(builtin="stale").update(enabled=False)
    server = Server.objects.create(name="pier-1")
    holdings.grew(server.pk, first_ms=ANCHOR - MS_PER_HOUR, newest_ms=ANCHOR, codes=0)
    watch(server, ANCHOR + 10 * MINUTE)
    tell_due(ANCHOR + 11 * MINUTE)
    return Alert.objects.get()


def put(client: Client, path: str, body: dict[str, Any]) -> Any:
    return client.put(f"/api/v1{path}", body, "application/json")


def post(client: Client, path: str, body: dict[str, Any]) -> Any:
    return client.post(f"/api/v1{path}", body, "application/json")


def test_an_alert_is_listed_read_handled_and_commented(clients: dict[str, Client], alert: Alert) -> None:
    viewer, operator = clients["viewer"], clients["operator"]
    (row,) = viewer.get("/api/v1/alerts").json()
    assert (row["state"], row["over"], row["headline"]) == ("unread", None, "pier-1: No samples")
    assert row["firings"][0]["sentence"].startswith("No samples on pier-1: ")
    assert viewer.get("/api/v1/alerts?state=handled").json() == []
    assert put(viewer, f"/alerts/{alert.pk}/state", {"state": "handled"}).status_code == 403
    assert put(operator, f"/alerts/{alert.pk}/state", {"state": "gone"}).json()["field"] == "state"
    assert put(operator, f"/alerts/{alert.pk}/state", {"state": "snoozed", "until": 5}).json()["field"] == "until"
    told = put(operator, f"/alerts/{alert.pk}/state", {"state": "acknowledged"}).json()
    assert (told["state"], told["state_by"]) == ("acknowledged", "operator")
    assert post(operator, f"/alerts/{alert.pk}/comments", {"text": " "}).json()["field"] == "text"
    assert post(operator, f"/alerts/{alert.pk}/comments", {"text": "the cable"}).status_code == 201
    page = viewer.get(f"/api/v1/alerts/{alert.pk}").json()
    assert ([one["text"] for one in page["said"]], page["times"], page["server"]) == (
        ["the cable"],
        0,
        alert.firings.get().server_id,
    )
    assert viewer.get("/api/v1/alerts/999999").status_code == 404


@pytest.mark.parametrize(
    ("operates", "groups", "may"),
    [
        (["north"], ["north"], True), (["north"], ["south"], False), (["north"], ["north", "south"], False),
        (["north", "south"], ["north", "south"], True), (["north"], ["north", ""], False), ([], [""], False),
    ],
)  # fmt: skip
def test_who_operates_all_of_its_servers_says_what_is_done_about_an_alert(
    clients: dict[str, Client], alert: Alert, operates: list[str], groups: list[str], may: bool
) -> None:
    first = alert.firings.get()
    Server.objects.filter(pk=first.server_id).update(group=groups[0])
    for name in groups[1:]:
        server = Server.objects.create(name=f"other-{name}", group=name)
        Firing.objects.create(
            alert=alert, condition=first.condition, server=server, began_ms=1, fired_ms=2, first=1, worst=1, worst_ms=1
        )
    User.objects.filter(username="viewer").update(operates=operates)
    viewer = clients["viewer"]
    assert viewer.get(f"/api/v1/alerts/{alert.pk}").json()["alert"]["may_act"] is may
    assert [one["may_act"] for one in viewer.get("/api/v1/alerts").json()] == [may]
    expected = 200 if may else 403
    assert put(viewer, f"/alerts/{alert.pk}/state", {"state": "acknowledged"}).status_code == expected
    said = post(viewer, f"/alerts/{alert.pk}/comments", {"text": "a cable"})
    assert said.status_code == (201 if may else 403)
    assert post(viewer, "/conditions", BLOCKED).status_code == 403, "which is of all servers"


def test_muting_is_for_operators_and_says_what_and_until_when(clients: dict[str, Client], alert: Alert) -> None:
    server, soon = alert.firings.get().server_id, 2**42
    assert post(clients["viewer"], "/alerts/mutes", {"server": server, "until": soon}).status_code == 403
    assert post(clients["operator"], "/alerts/mutes", {"until": soon}).json()["field"] == "server"
    assert post(clients["operator"], "/alerts/mutes", {"server": server, "until": soon}).json()["field"] == "until"
    from faena.api.parameters import now_ms

    until = now_ms() + MINUTE
    (row,) = post(clients["operator"], "/alerts/mutes", {"server": server, "until": until, "reason": "a move"}).json()
    assert (row["server"], row["condition"], row["by"]) == ("pier-1", None, "operator")
    assert clients["operator"].delete(f"/api/v1/alerts/mutes/{row['id']}").json() == {"unmuted": True}
    assert clients["viewer"].get("/api/v1/alerts/mutes").json() == []


def test_a_condition_is_made_changed_switched_off_and_removed(clients: dict[str, Client]) -> None:
    operator = clients["operator"]
    assert post(clients["viewer"], "/conditions", BLOCKED).status_code == 403
    made = post(operator, "/conditions", BLOCKED).json()
    assert (made["in_words"], made["builtin"]) == ("5 sessions or more for 1 min", False)
    assert post(operator, "/conditions", BLOCKED).json()["field"] == "name"
    for change, field in (
        ({"clears": 9}, "clears"), ({"level": 0}, "level"), ({"kinds": ["deadlock"]}, "kinds"),
        ({"signal": "leads", "kinds": ["nothing"], "level": 1, "clears": 0}, "kinds"), ({"time_zone": "Sea/Port"}, "time_zone"),
        ({"schedule": [{"days": [9], "from": "08:00", "to": "09:00"}]}, "schedule"), ({"close_watch_minutes": 999}, "close_watch_minutes"),
    ):  # fmt: skip
        assert put(operator, f"/conditions/{made['id']}", {**BLOCKED, **change}).json()["field"] == field
    changed = put(
        operator,
        f"/conditions/{made['id']}",
        {**BLOCKED, "level": 8, "schedule": [{"days": [0], "from": "08:00", "to": "18:00"}]},
    )
    assert (changed.json()["level"], len(changed.json()["schedule"])) == (8.0, 1)
    assert put(operator, f"/conditions/{made['id']}/switch", {"enabled": False}).json()["enabled"] is False
    assert operator.delete(f"/api/v1/conditions/{made['id']}").json() == {"removed": True}
    builtin = AlertCondition.objects.get(builtin="blocked")
    assert operator.delete(f"/api/v1/conditions/{builtin.pk}").json()["field"] == "condition"
    signals = {one["signal"]: one for one in operator.get("/api/v1/signals").json()}
    assert (signals["leads"]["kinds"]["spill"], signals["growth"]["kinds"]) == ("work spilled to disk", {})
    assert signals["growth"]["with_usual"] is False


def test_what_fires_by_a_condition_that_is_switched_off_is_over(clients: dict[str, Client], alert: Alert) -> None:
    firing = alert.firings.get()
    put(clients["operator"], f"/conditions/{firing.condition_id}/switch", {"enabled": False})
    alert.refresh_from_db()
    assert alert.over_ms is not None
    assert not Firing.objects.filter(over_ms=None).exists()


def test_a_condition_is_tried_on_the_past_and_nobody_is_told(clients: dict[str, Client]) -> None:
    server = next(one for one in filling.make_servers(ANCHOR) if one.name == "bookings-main")
    filling._learn(server)
    day = ANCHOR - ANCHOR % (24 * MS_PER_HOUR) - 24 * MS_PER_HOUR
    start = day + 9 * MS_PER_HOUR  # at 9:20 a console is left open for 18 minutes
    filling.fill_hours(server.pk, start, start + MS_PER_HOUR)
    body = {"condition": BLOCKED, "start": start, "end": start + MS_PER_HOUR, "server": server.pk}
    told = post(clients["viewer"], "/conditions/trial", body).json()
    (one,) = told["times"]
    assert start + 20 * MINUTE <= one["began"] <= start + 22 * MINUTE
    assert start + 36 * MINUTE <= one["over"] <= start + 40 * MINUTE
    assert one["worst"] > 20
    assert told["known"] == 1.0
    assert not Alert.objects.exists()
    too_high = {**body, "condition": {**BLOCKED, "level": 500}}
    assert post(clients["viewer"], "/conditions/trial", too_high).json()["times"] == []
    too_long = {**body, "start": start - 40 * 24 * MS_PER_HOUR}
    assert post(clients["viewer"], "/conditions/trial", too_long).status_code == 400


def test_ways_are_for_admins_and_their_secrets_are_told_once(clients: dict[str, Client]) -> None:
    hook = {"name": "hook", "kind": "webhook", "settings": {"url": "http://127.0.0.1:9/alerts"}}
    assert post(clients["operator"], "/ways", hook).status_code == 403
    made = post(clients["admin"], "/ways", hook).json()
    assert made["secret"].startswith("whsec_")
    told = clients["viewer"].get("/api/v1/ways")
    assert made["secret"] not in told.content.decode()
    assert (told.json()[0]["has_secret"], told.json()[0]["last_state"]) == (True, None)
    number = made["way"]["id"]
    assert post(clients["admin"], f"/ways/{number}/trial", {}).json()["last_state"] == "waiting"
    assert Notice.objects.get().what == "test"
    other = put(clients["admin"], f"/ways/{number}", {**hook, "kind": "email"})
    assert other.json()["field"] == "kind"
    bad = post(clients["admin"], "/ways", {**hook, "name": "x", "settings": {"url": "http://169.254.169.254/"}})
    assert bad.json()["field"] == "host"
    assert clients["admin"].delete(f"/api/v1/ways/{number}").json() == {"removed": True}
