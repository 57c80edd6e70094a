"""One call that asks again what an open view shows: the same answers as alone, for the same person, and only what changed."""

from typing import Any

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.apps.servers.actions import ServerForm, save_server
from signing import signed_in

pytestmark = pytest.mark.django_db


def ask_again(client: Client, *asked: str | tuple[str, str | None]) -> list[dict[str, Any]]:
    pairs = [(one, None) if isinstance(one, str) else one for one in asked]
    body = {"asked": [{"path": path, "known": known} for path, known in pairs]}
    answer = client.post("/api/v1/refresh", body, content_type="application/json")
    assert answer.status_code == 200, answer.content
    found: list[dict[str, Any]] = answer.json()["answers"]
    return found


@pytest.fixture
def client() -> Client:
    return signed_in(Role.VIEWER)


def test_each_answer_is_the_one_that_the_path_gives_alone(client: Client) -> None:
    server = save_server(ServerForm(name="pier", host="127.0.0.1"))
    paths = [f"/api/v1/servers/{server.pk}/load?from=1000&to=61000&buckets=10&pick=kind:lock", "/api/v1/words"]
    for path, found in zip(paths, ask_again(client, *paths), strict=True):
        alone = client.get(path)
        assert (found["status"], found["body"]) == (alone.status_code, alone.json()), path


def test_what_is_known_already_is_not_sent_again(client: Client) -> None:
    (first,) = ask_again(client, "/api/v1/layouts")
    assert first["status"] == 200
    (same,) = ask_again(client, ("/api/v1/layouts", first["known"]))
    assert same == {"status": 304, "known": first["known"], "body": None}
    client.put(
        "/api/v1/layouts/ranking", {"shown": ["rows"], "hidden": [], "widths": {}}, content_type="application/json"
    )
    (changed,) = ask_again(client, ("/api/v1/layouts", first["known"]))
    assert changed["status"] == 200
    assert changed["known"] != first["known"]
    assert changed["body"] != first["body"]


def test_one_that_fails_tells_why_and_stops_no_other(client: Client) -> None:
    missing, nowhere, fine = ask_again(
        client, "/api/v1/servers/987654/load?last=60", "/api/v1/nothing", "/api/v1/words"
    )
    assert (missing["status"], missing["body"]["title"]) == (404, "There is no such thing")
    assert nowhere["status"] == 404
    assert fine["status"] == 200
    (again,) = ask_again(client, ("/api/v1/nothing", nowhere["known"]))
    assert again["status"] == 404, "an error is never 'as known'"


def test_rights_are_those_of_who_asks(client: Client) -> None:
    assert [one["status"] for one in ask_again(client, "/api/v1/audit", "/api/v1/people")] == [403, 403]
    save_user("amy", "tidewrack-demo-amy", Role.ADMIN)
    assert [one["status"] for one in ask_again(signed_in(Role.ADMIN), "/api/v1/audit")] == [200]
    stranger = Client().post("/api/v1/refresh", {"asked": [{"path": "/api/v1/words"}]}, content_type="application/json")
    assert stranger.status_code == 401


@pytest.mark.parametrize("path", ["//evil.example/api/v1/words", "https://evil.example/api/v1/words", "/", "words", ""])
def test_only_paths_of_this_api_are_asked(client: Client, path: str) -> None:
    (found,) = ask_again(client, path)
    assert found["status"] in (400, 404)


def test_it_cannot_ask_itself_change_anything_or_fetch_a_file(client: Client) -> None:
    itself, ended = ask_again(client, "/api/v1/refresh", "/api/v1/session")
    assert itself["status"] in (400, 405)
    assert ended["status"] == 200
    server = save_server(ServerForm(name="pier", host="127.0.0.1"))
    (file,) = ask_again(client, f"/api/v1/servers/{server.pk}/samples.csv?from=1000&to=2000")
    assert file["status"] in (400, 404)


def test_too_many_or_none_are_refused(client: Client) -> None:
    for asked in ([], [{"path": "/api/v1/words"}] * 100, [{"path": "/" + "x" * 9000}]):
        answer = client.post("/api/v1/refresh", {"asked": asked}, content_type="application/json")
        assert answer.status_code == 400
