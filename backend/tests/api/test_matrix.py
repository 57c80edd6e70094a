"""Every endpoint by everybody: who is let in, by session and by token, as contract/roles.json says.

A new endpoint is asked here by itself. After a change of who may do what: FAENA_WRITE_ROLES=1 writes the file anew, and
its diff is what a reviewer reads.
"""

import json
import os
import time
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import pytest
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from faena.api import bearer
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.api_tokens import Scope, make
from faena.apps.accounts.models import ApiToken, User
from faena.apps.accounts.roles import Role
from faena.apps.alerts.models import Alert, AlertCondition, Mute, Way
from faena.apps.cases.models import Case, KeptEvidence
from faena.apps.requests.models import TraceSource
from faena.apps.servers.models import Server
from faena.launch.places import CHECKOUT

from contract import START, Operation, operations

pytestmark = pytest.mark.django_db
FILE = CHECKOUT / "contract" / "roles.json"
UNSAFE = ("post", "put", "patch", "delete")
ANYONE = "anyone"
OF_PEOPLE = {"api_token_make", "session_password"}  # what no token does
READ_BY_POST = {"refresh"}  # a question, though it is asked by POST


class Asker(NamedTuple):
    client: Client
    headers: Mapping[str, str]
    session: Mapping[str, str] = {}


@pytest.fixture
def known() -> dict[str, object]:
    """Things that paths name, so that it is the role that decides."""
    server = Server.objects.create(name="pier-1", host="127.0.0.1", port=1)
    case = Case.objects.create(title="a", made_ms=1, made_by="a", changed_ms=1)
    somebody = save_user("somebody", "correct horse", Role.VIEWER)
    evidence = KeptEvidence.objects.create(case=case, place=1, kind="view", title="a", at_ms=1, by="a")
    condition = AlertCondition.objects.order_by("pk").first() or AlertCondition.objects.create(
        name="a", signal="blocked", level=1, clears=1
    )
    return {
        "server_id": server.pk, "case_id": case.pk, "evidence_id": evidence.pk, "condition_id": condition.pk,
        "alert_id": Alert.objects.create(began_ms=1, fired_ms=2, severity="now").pk,
        "mute_id": Mute.objects.create(server=server, until_ms=2**50, by="a").pk,
        "way_id": Way.objects.create(name="a", kind="email").pk,
        "source_id": TraceSource.objects.create(server=server, name="a", digest="0" * 64).pk,
        "person_id": somebody.pk,
        "token_id": make("of-somebody", Scope.READ, 10, machine=False, by=somebody)[0].id,
        "name": "pier-1", "machine": "quay-host", "from": START, "to": START + 600_000, "query_id": 7,
    }  # fmt: skip


@pytest.fixture
def askers(settings: Any) -> dict[str, Asker]:
    """By session and by token."""
    settings.AXES_ENABLED = False
    found = {ANYONE: Asker(Client(), {})}
    for role in Role:
        client, user = Client(), save_user(role.value, "correct horse", role)
        client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        found[role.value] = Asker(client, {}, {name: one.value for name, one in client.cookies.items()})
    owner = User.objects.get(username="admin")
    for scope in Scope:
        _, token = make(f"of-{scope}", scope, 10, machine=False, by=owner)
        found[f"token {scope.value}"] = Asker(Client(), {"Authorization": f"Bearer {token}"})
    return found


def status(asker: Asker, one: Operation) -> int:
    """Of an answer; whatever it did is taken back."""
    bearer.forget()
    cookies = asker.client.cookies.output()
    with transaction.atomic():
        if one.takes_file:
            sent = {"file": SimpleUploadedFile("a", b"nothing")}
            answer = asker.client.post(one.path, sent, headers=dict(asker.headers))
        else:
            body = json.dumps(one.body) if one.body is not None else ""
            answer = asker.client.generic(
                one.method.upper(), one.path, body, "application/json", headers=dict(asker.headers)
            )
        transaction.set_rollback(True)
    if asker.client.cookies.output() != cookies:  # it signed in or out
        asker.client.cookies.clear()
        asker.client.cookies.load(asker.session)
    return answer.status_code


def least(found: Mapping[str, int]) -> str:
    """The first who is let in. What was asked for may not be there, or not fit: then the file says that it is not known."""
    first = next((one for one in (ANYONE, *(role.value for role in Role)) if found[one] not in (401, 403)), "nobody")
    return first if first == "nobody" or found["admin"] not in (400, 404) else f"{first}, or more: nothing was done"


def test_every_endpoint_lets_in_who_may_and_nobody_else(known: dict[str, object], askers: dict[str, Asker]) -> None:
    told, wrong = {}, list[str]()
    by_scope = {f"token {scope.value}": scope.role.value for scope in Scope}
    for one in operations(known):
        found = {name: status(asker, one) for name, asker in askers.items()}
        told[one.name] = least(found)
        let_in = [found[role.value] not in (401, 403) for role in Role]
        if let_in != sorted(let_in):
            wrong.append(f"{one.name}: a higher role is let in less: {found}")
        for name, role in by_scope.items():
            reads = one.method not in UNSAFE or one.name in READ_BY_POST or told[one.name].startswith(ANYONE)
            refused = one.name in OF_PEOPLE or (name == "token read" and not reads)
            expected = 403 if refused else found[role]
            if (expected in (401, 403)) != (found[name] in (401, 403)):
                wrong.append(f"{one.name}: {name} is not as {role}: {found}")
        if any(answer >= 500 and answer not in (502, 503, 504) for answer in found.values()):
            wrong.append(f"{one.name}: broke: {found}")
    assert wrong == []
    if os.environ.get("FAENA_WRITE_ROLES"):
        FILE.write_text(json.dumps(told, indent=1, sort_keys=True) + "\n")
    assert told == json.loads(FILE.read_text())


def test_tokens_that_are_unknown_over_revoked_or_of_nobody_let_nobody_in(
    askers: dict[str, Asker], known: dict[str, object]
) -> None:
    asker = askers["token manage"]
    one = Operation("servers", "get", "/api/v1/servers", None)
    assert status(asker, one) == 200
    assert status(Asker(Client(), {"Authorization": "Bearer nonsense"}), one) == 401
    assert status(Asker(Client(), {"Authorization": "Bearer "}), one) == 401
    row = ApiToken.objects.get(name="of-manage")
    ApiToken.objects.filter(pk=row.pk).update(expires_at=row.made_at)
    assert status(asker, one) == 401
    ApiToken.objects.filter(pk=row.pk).update(expires_at=row.expires_at)
    User.objects.filter(username="admin").update(is_active=False)
    assert status(asker, one) == 401
    User.objects.filter(username="admin").update(is_active=True)
    assert status(asker, one) == 200
    assert askers["admin"].client.delete(f"/api/v1/tokens/{row.pk}").json() == {"revoked": True}
    assert status(asker, one) == 401


def test_whoever_asks_too_often_is_told_when_to_ask_again(askers: dict[str, Asker], settings: Any) -> None:
    settings.ENVIRONMENT = replace(settings.ENVIRONMENT, api_per_minute=6)
    asker, other = askers["token read"], askers["token act"]
    bearer.forget()
    answers = [asker.client.get("/api/v1/servers", headers=dict(asker.headers)) for _ in range(9)]
    late = [one for one in answers if one.status_code == 429]
    assert len(late) >= 2
    assert 1 <= int(late[0]["Retry-After"]) <= 10
    assert late[0].json()["type"] == "urn:faena:busy"
    assert other.client.get("/api/v1/servers", headers=dict(other.headers)).status_code == 200, "each by itself"
    bearer.forget()


def test_a_token_does_no_more_than_its_owner_and_makes_no_other(askers: dict[str, Asker]) -> None:
    viewer, admin = askers["viewer"].client, askers["admin"].client
    body = {"name": "mine", "scope": "act", "days": 10}
    assert viewer.post("/api/v1/tokens", body, "application/json").json()["field"] == "scope"
    made = viewer.post("/api/v1/tokens", body | {"scope": "read"}, "application/json").json()
    assert made["about"]["owner"] == "viewer"
    assert made["token"] not in json.dumps(viewer.get("/api/v1/tokens").json())
    assert not ApiToken.objects.filter(digest=made["token"]).exists()
    machine = body | {"name": "grapher", "scope": "manage", "machine": True}
    assert viewer.post("/api/v1/tokens", machine, "application/json").status_code == 403
    token = admin.post("/api/v1/tokens", machine, "application/json").json()["token"]
    headers = {"Authorization": f"Bearer {token}"}
    assert Client().post("/api/v1/tokens", body, "application/json", headers=headers).status_code == 403
    changed = Client().put(
        "/api/v1/session/password",
        {"present": "a", "password": "correct horse battery"},
        "application/json",
        headers=headers,
    )
    assert changed.status_code == 403
    assert "grapher" not in {one["username"] for one in admin.get("/api/v1/people").json()}
    assert [one["name"] for one in viewer.get("/api/v1/tokens").json()] == ["mine"]
    assert {one["name"] for one in admin.get("/api/v1/tokens").json()} >= {"mine", "grapher"}
    made_id = made["about"]["id"]
    mine = next(one for one in admin.get("/api/v1/tokens").json() if one["name"] == "grapher")
    assert viewer.delete(f"/api/v1/tokens/{mine['id']}").status_code == 404
    assert viewer.delete(f"/api/v1/tokens/{made_id}").json() == {"revoked": True}
    assert admin.delete(f"/api/v1/tokens/{mine['id']}").json() == {"revoked": True}
    assert not User.objects.filter(username="grapher").exists()


def test_the_owner_of_a_token_stays_what_he_is(askers: dict[str, Asker]) -> None:
    """Its scope lowers the role for the question alone."""
    asker = askers["token read"]
    asker.client.put(
        "/api/v1/layouts/sessions",
        {"hidden": [], "shown": [], "widths": {}},
        "application/json",
        headers=dict(asker.headers),
    )
    asker.client.get("/api/v1/session", headers=dict(asker.headers))
    assert User.objects.get(username="admin").role == Role.ADMIN
    assert settings.ENVIRONMENT.api_per_minute == 600


@pytest.mark.parametrize(
    ("body", "field"),
    [({"name": "a", "days": 400}, "days"), ({"name": "", "days": 1}, "name"), ({"name": "a", "scope": "all"}, "scope")],
)
def test_what_no_token_is_made_of(askers: dict[str, Asker], body: dict[str, Any], field: str) -> None:
    answer = askers["admin"].client.post("/api/v1/tokens", body, "application/json")
    assert (answer.status_code, answer.json()["field"]) == (400, field)


def test_a_viewer_is_an_operator_of_the_servers_of_his_groups_and_of_no_other(askers: dict[str, Asker]) -> None:
    """By session, by a token that may act, and by none that may only read; also several questions in one."""
    north, south = (
        Server.objects.create(name=name, group=name, host="127.0.0.1", port=1) for name in ("north", "south")
    )
    admin, viewer = askers["admin"].client, askers["viewer"].client
    number = User.objects.get(username="viewer").pk
    changed = admin.patch(f"/api/v1/people/{number}", {"operates": ["north", " north ", ""]}, "application/json").json()
    assert (changed["role"], changed["operates"]) == ("viewer", ["north"])

    def noted(server: Server, client: Client, headers: Mapping[str, str]) -> int:
        body = {
            "what": "a deploy",
            "at": int(time.time() * 1000),
            "kind": "note",
            "version": "",
            "link": "",
            "object": "",
        }
        return client.post(
            f"/api/v1/servers/{server.pk}/changes", body, "application/json", headers=dict(headers)
        ).status_code

    assert (noted(north, viewer, {}), noted(south, viewer, {}), noted(north, viewer, {})) == (201, 403, 201)
    assert viewer.get("/api/v1/session").json()["role"] == "viewer"
    assert viewer.post("/api/v1/cases", {"title": "a"}, "application/json").status_code == 403, (
        "over all servers he is a viewer"
    )
    paths = [f"/api/v1/servers/{one.pk}/capture" for one in (north, south, north)]
    answers = viewer.post("/api/v1/refresh", {"asked": [{"path": one} for one in paths]}, "application/json").json()[
        "answers"
    ]
    assert [one["status"] for one in answers] == [200, 200, 200]
    assert noted(south, viewer, {}) == 403
    for scope, expected in (("read", 403), ("act", 201)):
        user = User.objects.get(username="viewer")
        ApiToken.objects.filter(owner=user).delete()
        _, token = make("mine", scope, 10, machine=False, by=user)
        assert noted(north, Client(), {"Authorization": f"Bearer {token}"}) == expected
        assert noted(south, Client(), {"Authorization": f"Bearer {token}"}) == 403
    assert User.objects.get(username="viewer").role == Role.VIEWER
    admin.patch(f"/api/v1/people/{number}", {"operates": []}, "application/json")
    assert noted(north, viewer, {}) == 403
