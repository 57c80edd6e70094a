"""People, what they may do, and the record of what was done."""

import pytest
from django.test import Client
from faena.apps.accounts.models import AuditEntry, User
from faena.apps.accounts.roles import Role
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server
from signing import signed_in

pytestmark = pytest.mark.django_db
JSON = "application/json"


def test_only_admins_see_people_the_record_and_the_collectors() -> None:
    for role in (Role.VIEWER, Role.OPERATOR):
        client = signed_in(role)
        for path in ("people", "audit", "audit/export", "collectors"):
            assert client.get(f"/api/v1/{path}").status_code == 403
        assert client.post("/api/v1/people", {"username": "x", "password": "correct horse"}, JSON).status_code == 403


def test_a_person_is_added_changed_and_given_a_password_and_all_of_it_is_in_the_record() -> None:
    admin = signed_in(Role.ADMIN)
    made = admin.post("/api/v1/people", {"username": "ada", "password": "correct horse", "role": "operator"}, JSON)
    assert made.status_code == 201, made.content
    person = made.json()
    assert (person["role"], person["may_run"], person["active"]) == ("operator", False, True)
    again = admin.post("/api/v1/people", {"username": "ada", "password": "correct horse"}, JSON)
    assert again.json()["field"] == "username"
    weak = admin.post("/api/v1/people", {"username": "bob", "password": "short"}, JSON)
    assert weak.json()["field"] == "password"
    changed = admin.patch(f"/api/v1/people/{person['id']}", {"may_run": True, "role": "admin"}, JSON).json()
    assert (changed["role"], changed["may_run"]) == ("admin", True)
    assert admin.put(f"/api/v1/people/{person['id']}/password", {"password": "another horse"}, JSON).status_code == 200
    acts = list(AuditEntry.objects.order_by("id").values_list("act", "subject"))
    assert acts[-3:] == [("person.added", "ada"), ("person.changed", "ada"), ("person.password_reset", "ada")]
    told = admin.get("/api/v1/audit", {"act": "person."}).json()
    assert told[1]["detail"] == "operator -> admin, may run statements"
    body = b"".join(admin.get("/api/v1/audit/export", {"format": "csv"}).streaming_content).decode()
    assert body.startswith("id,at,by,act,server,subject,detail,address")
    assert "another horse" not in body
    assert AuditEntry.objects.filter(act="record.exported", by_name="admin").exists()


def test_the_last_admin_stays() -> None:
    admin = signed_in(Role.ADMIN)
    me = User.objects.get(username="admin").pk
    for change in ({"role": "viewer"}, {"active": False}):
        answer = admin.patch(f"/api/v1/people/{me}", change, JSON)
        assert answer.status_code == 400
        assert "last admin" in answer.json()["detail"]


def test_ones_own_password_takes_the_present_one_and_ends_other_sign_ins() -> None:
    here, there = signed_in(Role.VIEWER), Client()
    there.force_login(User.objects.get(username="viewer"), backend="django.contrib.auth.backends.ModelBackend")
    wrong = here.put("/api/v1/session/password", {"present": "no", "password": "another horse"}, JSON)
    assert wrong.status_code == 403
    right = here.put("/api/v1/session/password", {"present": "correct horse", "password": "another horse"}, JSON)
    assert right.status_code == 200, right.content
    assert here.get("/api/v1/servers").status_code == 200
    assert there.get("/api/v1/servers").status_code == 401


def test_the_record_is_changed_by_no_route() -> None:
    admin = signed_in(Role.ADMIN)
    entry = AuditEntry.objects.first()
    assert entry is not None
    for method in ("post", "put", "patch", "delete"):
        for path in ("/api/v1/audit", f"/api/v1/audit/{entry.pk}"):
            assert getattr(admin, method)(path).status_code in (404, 405)


def test_a_server_is_paused_resumed_and_removed_with_or_without_its_past() -> None:
    admin = signed_in(Role.ADMIN)
    server = save_server(ServerForm(name="watched", host="127.0.0.1", password="hush"))
    path = f"/api/v1/servers/{server.pk}"
    assert signed_in(Role.OPERATOR).post(f"{path}/pause", {"paused": True}, JSON).status_code == 403
    assert admin.post(f"{path}/pause", {"paused": True}, JSON).json()["state"] == "paused"
    assert not Server.objects.get(pk=server.pk).enabled
    assert admin.post(f"{path}/pause", {"paused": False}, JSON).json()["state"] == "new"
    wrong = admin.post(f"{path}/remove", {"name": "other", "keep_data": True}, JSON)
    assert wrong.status_code == 400
    assert admin.post(f"{path}/remove", {"name": "watched", "keep_data": True}, JSON).status_code == 200
    kept = Server.objects.get(pk=server.pk)
    assert (kept.enabled, bytes(kept.password_sealed), kept.host) == (False, b"", "")
    assert admin.get(f"{path}/load", {"last": 60}).status_code == 200, "its past can be looked at"
    assert admin.post(f"{path}/remove", {"name": "watched", "keep_data": False}, JSON).status_code == 200
    assert not Server.objects.filter(pk=server.pk).exists()
    acts = list(AuditEntry.objects.filter(act__startswith="server.").order_by("id").values_list("act", flat=True))
    assert acts == ["server.paused", "server.resumed", "server.removed", "server.removed"]
