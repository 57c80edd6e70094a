"""The edge of the web: hosts, proxies, sizes, headers, limits, and errors in one form, each tried as an attacker would."""

import asyncio
from dataclasses import replace
from pathlib import Path
from typing import Any

import orjson
import psycopg
import pytest
from django.conf import settings
from django.core.handlers.wsgi import WSGIHandler
from django.db import OperationalError
from django.test import Client, RequestFactory, override_settings
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import AuditEntry, User
from faena.apps.accounts.roles import Role
from faena.apps.servers.actions import ServerForm, save_server
from faena.config.edge import MAX_BODY, BodyLimit
from psycopg_pool import PoolTimeout
from signing import signed_in

pytestmark = pytest.mark.django_db


def environment(**changes: Any) -> override_settings:
    return override_settings(ENVIRONMENT=replace(settings.ENVIRONMENT, **changes))


def sign_in(client: Client, name: str, password: str, **headers: str) -> Any:
    token = client.get("/api/v1/session").json()["csrf"]
    return client.post(
        "/api/v1/session", {"username": name, "password": password}, content_type="application/json",
        headers={"X-CSRFToken": token, **headers},
    )  # fmt: skip


def test_a_file_that_has_not_changed_is_answered_without_a_body() -> None:
    """Django's own client takes a body away that may not be there; here it is seen as it would be sent."""
    handler, heads = WSGIHandler(), list[tuple[str, dict[str, str]]]()

    def body(**headers: str) -> bytes:
        asked = RequestFactory().get("/theme.js", HTTP_ACCEPT_ENCODING="gzip", **headers).environ
        told = handler(asked, lambda status, fields: heads.append((status, dict(fields))))
        return b"".join(told)

    assert body()
    assert body(HTTP_IF_NONE_MATCH=heads[0][1]["ETag"]) == b""
    assert [status for status, _ in heads] == ["200 OK", "304 Not Modified"]


def test_answers_of_the_api_are_kept_by_nobody_and_named() -> None:
    answer = Client().get("/api/v1/session")
    assert answer["Cache-Control"] == "no-store"
    assert len(answer["X-Request-Id"]) >= 8
    again = Client().get("/api/v1/session", headers={"X-Request-Id": "chosen-by-a-stranger"})
    assert again["X-Request-Id"] != "chosen-by-a-stranger"


def test_files_named_by_what_is_in_them_are_kept_for_good_and_others_are_not() -> None:
    for file in (Path(settings.FRONTEND_DIST) / "assets").iterdir():
        if file.suffix in (".js", ".css", ".woff2"):
            answer = Client().get(f"/assets/{file.name}")
            assert "immutable" in answer["Cache-Control"], file.name
            assert "Access-Control-Allow-Origin" not in answer
    assert Client().get("/")["Cache-Control"] == "no-cache"
    assert "immutable" not in Client().get("/theme.js")["Cache-Control"]


@pytest.mark.parametrize("method", ["get", "post", "put", "delete", "options"])
def test_a_host_that_is_not_served_is_refused_for_every_method(method: str) -> None:
    for path in ("/api/v1/session", "/", "/assets/x.js"):
        answer = getattr(Client(), method)(path, headers={"Host": "evil.example"})
        assert answer.status_code == 400
        assert answer["Content-Type"] == "application/problem+json"


@pytest.mark.parametrize(
    "path",
    [
        "/api/v1/servers/1%00", "/api/v1/servers/99999999999999999999", "/api/v1/servers/²", "/api/v1/nothing", "/health/none",
        "/api/v1/servers/1/load?last=99999999999999999999999", "/api/v1/servers/1/statements/99999999999999999999",
        "/api/v1/servers/1/events?last=60&containing=%00", "/api/v1/servers/1/sessions?last=60&containing=²",
        "/api/v1/servers/1/executions?last=60&only=plan:²", "/api/v1/servers/1/executions?last=60&only=statement:99999999999999999999",
        "/api/v1/servers/1/sessions/99999999999999999999/tape?last=60", "/api/v1/servers/1/sessions?last=60&containing=99999999999999999999",
        "/api/v1/servers/1/load?last=60&pick=statement:99999999999999999999", "/api/v1/plans/%00", "/api/v1/servers/1/deadlocks/%00?last=60",
        "/api/v1/servers/1/statements?last=60&containing=%00", "/api/v1/servers/-99999999999999999999/load?last=60",
    ],
)  # fmt: skip
def test_every_error_is_a_problem(path: str) -> None:
    save_server(ServerForm(name="watched", host="127.0.0.1"))
    client = signed_in(Role.ADMIN)
    client.raise_request_exception = False
    answer = client.get(path)
    assert answer.status_code < 500, answer.content[:300]
    if answer.status_code >= 400:
        assert answer["Content-Type"] == "application/problem+json", answer.content[:200]
        assert set(orjson.loads(answer.content)) >= {"type", "title", "status", "detail"}


@pytest.mark.parametrize("value", ["\0", "a\r\nSet-Cookie: x=1", "²", "9" * 400, "\ud800", "x" * 5000, "' OR 1=1 --"])
def test_odd_values_in_any_field_are_refused_in_words(value: str) -> None:
    client = signed_in(Role.ADMIN)
    client.raise_request_exception = False
    body = {"name": value, "host": value, "database": value, "username": value, "password": value, "service": value,
            "passfile": value, "sslmode": value}  # fmt: skip
    for name in body:
        form = {"name": "a", "host": "127.0.0.1", name: value}
        for path, given in (("servers/check", form), ("people", {"username": value, "password": value}),
                            ("plans", {"plan": value, "title": value}), ("session", {"username": value, "password": value})):  # fmt: skip
            data = (
                orjson.dumps(given).decode()
                if "\ud800" not in value
                else '{"name": "\\ud800", "host": "\\ud800", "plan": "\\ud800"}'
            )
            answer = client.post(f"/api/v1/{path}", data, content_type="application/json")
            assert answer.status_code < 500, (path, name, answer.content[:300])
            assert "\r\nSet-Cookie" not in str(answer.headers)


def test_where_a_request_comes_from_is_believed_of_configured_proxies_alone() -> None:
    """Thirty wrong passwords passed with a forged address each."""
    save_user("ada", "correct horse", Role.VIEWER)
    for i in range(6):
        sign_in(Client(), "ada", "wrong", **{"X-Forwarded-For": f"10.0.0.{i}"})
    assert set(AuditEntry.objects.filter(act="sign_in.failed").values_list("address", flat=True)) == {"127.0.0.1"}
    assert sign_in(Client(), "ada", "correct horse", **{"X-Forwarded-For": "10.9.9.9"}).status_code == 429
    with environment(trusted_proxies=("127.0.0.0/8",)):
        answer = sign_in(Client(), "ada", "correct horse", **{"X-Forwarded-For": "1.1.1.1, 10.1.2.3"})
    assert answer.status_code == 200, "the proxy tells of another client"
    assert AuditEntry.objects.get(act="sign_in").address == "10.1.2.3", "the address that the proxy saw itself"


def test_one_address_may_not_try_many_names() -> None:
    answers = [sign_in(Client(), f"somebody{i}", "wrong").status_code for i in range(32)]
    assert answers[:30] == [400] * 30
    assert answers[-1] == 429


def test_unsafe_requests_work_behind_a_proxy_that_speaks_tls() -> None:
    save_user("ada", "correct horse", Role.VIEWER)
    headers = {"Origin": "https://faena.example", "Host": "faena.example", "X-Forwarded-Proto": "https"}
    with environment(trusted_proxies=("127.0.0.1",)), override_settings(ALLOWED_HOSTS=["faena.example"]):
        client = Client(enforce_csrf_checks=True)
        token = client.get("/api/v1/session", headers={"Host": "faena.example"}).json()["csrf"]
        data = {"username": "ada", "password": "correct horse"}
        sent = {**headers, "X-CSRFToken": token}
        answer = client.post("/api/v1/session", data, content_type="application/json", headers=sent)
        assert answer.status_code == 200, answer.content
        stranger = client.post(
            "/api/v1/session", data, content_type="application/json", headers={**sent, "Origin": "https://evil.example"}
        )
        assert stranger.status_code == 403


async def answer_to(body_size: int, announced: int | None) -> int:
    """Status of a body of so many bytes, without anybody being signed in."""
    sent: list[Any] = []

    async def application(scope: Any, receive: Any, send: Any) -> None:
        while (await receive()).get("more_body"):
            pass
        await send({"type": "http.response.start", "status": 200, "headers": []})

    left = [body_size]

    async def receive() -> Any:
        piece = min(left[0], 1 << 20)
        left[0] -= piece
        return {"type": "http.request", "body": b"x" * piece, "more_body": left[0] > 0}

    async def send(message: Any) -> None:
        sent.append(message)

    headers = [(b"content-length", str(announced).encode())] if announced is not None else []
    await BodyLimit(application)({"type": "http", "path": "/api/v1/session", "headers": headers}, receive, send)
    return int(sent[0]["status"])


def test_a_large_body_is_refused_before_anybody_is_asked_who_sends_it() -> None:
    assert asyncio.run(answer_to(100, 100)) == 200
    assert asyncio.run(answer_to(MAX_BODY + 1, MAX_BODY + 1)) == 413
    assert asyncio.run(answer_to(3 * MAX_BODY, None)) == 413, "also where it did not announce itself"
    assert asyncio.run(answer_to(3 * MAX_BODY, 5)) == 413


def test_a_sign_in_that_nobody_uses_ends_and_an_open_page_does_not_use_it() -> None:
    client = signed_in(Role.VIEWER)
    assert client.get("/api/v1/servers").status_code == 200
    session = client.session
    session["seen"] = session["seen"] - 60 * 60
    session.save()
    with environment(idle_minutes=61):
        assert client.get("/api/v1/servers", headers={"X-Idle-Seconds": "5000"}).status_code == 200
        assert client.session["seen"] == session["seen"], "a page that asks by itself"
    with environment(idle_minutes=59):
        assert client.get("/api/v1/servers").status_code == 401
    assert client.get("/api/v1/servers").status_code == 401


def test_health_needs_no_sign_in_and_tells_nothing() -> None:
    assert Client().get("/health/live").content == b"live\n"
    assert Client().get("/health/ready").content == b"ready\n"


def test_an_error_of_ours_tells_its_number_and_nothing_else(monkeypatch: pytest.MonkeyPatch, caplog: Any) -> None:
    from faena.api import servers

    def breaks(*_: object) -> None:
        raise RuntimeError("Zq7secret of the row")

    monkeypatch.setattr(servers.selectors, "all_servers", breaks)
    client = signed_in(Role.VIEWER)
    client.raise_request_exception = False
    answer = client.get("/api/v1/servers")
    assert (answer.status_code, answer["Content-Type"]) == (500, "application/problem+json")
    assert b"Zq7secret" not in answer.content
    assert answer["X-Request-Id"]


def of_the_store(cause: Exception) -> OperationalError:
    """As Django hands on what its driver raised."""
    error = OperationalError("x")
    error.__cause__ = cause
    return error


@pytest.mark.parametrize("where", ["in the API", "before it"])
@pytest.mark.parametrize(
    ("cause", "kind"),
    [
        (psycopg.OperationalError("the connection is lost"), "store-away"),
        (psycopg.errors.QueryCanceled("x"), "too-long"),
        (psycopg.errors.DeadlockDetected("x"), "store-busy"),
        (PoolTimeout("x"), "store-busy"),  # the store answers, as the test's own connection shows
    ],
)
def test_the_store_is_called_away_only_when_it_is(
    monkeypatch: pytest.MonkeyPatch, cause: Exception, kind: str, where: str
) -> None:
    """Also where the trouble is met before the API: the store is first asked who it is that asks."""
    from faena.api import servers

    def breaks(*_: object) -> None:
        raise of_the_store(cause)

    client = signed_in(Role.VIEWER)
    client.raise_request_exception = False
    if where == "in the API":
        monkeypatch.setattr(servers.selectors, "all_servers", breaks)
    else:
        monkeypatch.setattr("django.contrib.sessions.backends.base.SessionBase.get", breaks)
    answer = client.get("/api/v1/servers")
    assert (answer.status_code, answer["Content-Type"]) == (503, "application/problem+json")
    assert answer.json()["type"] == f"urn:faena:{kind}"


def test_a_store_that_is_gone_is_called_away_although_the_pool_only_ran_out(monkeypatch: pytest.MonkeyPatch) -> None:
    from django.db import connection
    from faena.api import servers

    def breaks(*_: object) -> None:
        raise of_the_store(PoolTimeout("x"))

    client = signed_in(Role.VIEWER)
    monkeypatch.setattr(servers.selectors, "all_servers", breaks)
    monkeypatch.setitem(connection.settings_dict, "PORT", 1)
    assert client.get("/api/v1/servers").json()["type"] == "urn:faena:store-away"


@pytest.mark.parametrize("form", ["Plain", "JsonLines"])
def test_our_logs_tell_where_and_not_what(form: str) -> None:
    import logging

    from faena.config import logs

    try:
        raise ValueError("Zq7secret")
    except ValueError as error:
        record = logging.LogRecord(
            "x", logging.ERROR, "f", 1, "it broke", (), (type(error), error, error.__traceback__)
        )
    line = getattr(logs, form)().format(record)
    assert "Zq7secret" not in line
    assert "ValueError" in line
    assert "test_edge.py" in line


def test_a_disabled_person_is_out_at_once() -> None:
    viewer, admin = signed_in(Role.VIEWER), signed_in(Role.ADMIN)
    person = User.objects.get(username="viewer")
    assert viewer.get("/api/v1/servers").status_code == 200
    answer = admin.patch(f"/api/v1/people/{person.pk}", {"active": False}, content_type="application/json")
    assert answer.status_code == 200
    assert viewer.get("/api/v1/servers").status_code == 401
