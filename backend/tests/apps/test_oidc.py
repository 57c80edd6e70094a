"""Sign-in by OpenID Connect, with a real provider on loopback: who is let in with which role, and what is refused."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from django.conf import settings as configured
from django.test import Client
from faena.apps.accounts import oidc
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import AuditEntry, User
from faena.apps.accounts.roles import Role
from faena.config.environment import BadConfiguration, Grant, OpenId, read_environment
from faena.testing.provider import CLIENT, SECRET, Provider, new_key, provider

pytestmark = pytest.mark.django_db
ADDRESS = "http://testserver"


@pytest.fixture
def told(settings: Any) -> Iterator[Provider]:
    oidc._client.cache_clear()
    with provider() as found:
        open_id = OpenId(
            issuer=found.issuer, client=CLIENT, secret=SECRET, name="harbour login", claim="groups", scopes="openid profile",
            roles={"dba": [Grant("admin")], "oncall": [Grant("operator")], "staff": [Grant("viewer")]},
        )  # fmt: skip
        settings.ENVIRONMENT = replace(configured.ENVIRONMENT, oidc=open_id, address=ADDRESS)
        yield found


def gone_through(client: Client, back: str = "/servers") -> Any:
    """To the provider and back, as a browser goes."""
    away = client.get("/oidc/begin", {"back": back})
    assert away.status_code == 302
    returned = httpx.get(away["Location"], follow_redirects=False)
    where = urlsplit(returned.headers["Location"])
    assert f"{where.scheme}://{where.netloc}" == ADDRESS
    return client.get(where.path, {name: values[0] for name, values in parse_qs(where.query).items()})


def why(answer: Any) -> str:
    """What the sign-in page says then."""
    where = urlsplit(answer["Location"])
    assert where.path == "/sign-in"
    return parse_qs(where.query)["refused"][0]


def test_whoever_the_provider_vouches_for_is_signed_in_with_the_role_of_his_claims(told: Provider) -> None:
    client = Client()
    answer = gone_through(client)
    assert (answer.status_code, answer["Location"]) == (302, "/servers")
    session = client.get("/api/v1/session").json()
    assert (session["username"], session["role"], session["sign_in_by"]) == ("ada", "admin", "harbour login")
    assert not User.objects.get(username="ada").has_usable_password()
    assert AuditEntry.objects.filter(act="sign_in", by_name="ada", detail="harbour login").count() == 1


def test_the_role_follows_the_claims_at_each_sign_in_and_the_person_stays(told: Provider) -> None:
    gone_through(Client())
    told.claims = {"sub": "u-1", "preferred_username": "ada.new", "groups": ["staff", "oncall"]}
    client = Client()
    gone_through(client)
    session = client.get("/api/v1/session").json()
    assert (session["username"], session["role"]) == ("ada", "operator"), "known by subject, the highest role of two"
    assert User.objects.filter(subject__isnull=False).count() == 1


@pytest.mark.parametrize(
    ("groups", "role", "operates", "sees"),
    [
        (["north"], "viewer", ["north"], ["north", "south"]),
        (["guests"], "viewer", [], ["south"]),
        (["staff"], "viewer", [], []),
        (["staff", "north"], "viewer", ["north"], []),
        (["oncall", "guests"], "operator", [], []),
    ],
)
def test_claims_give_roles_on_groups_of_servers_each_time_anew(
    told: Provider, settings: Any, groups: list[str], role: str, operates: list[str], sees: list[str]
) -> None:
    gone_through(Client())
    user = User.objects.get(username="ada")
    User.objects.filter(pk=user.pk).update(operates=["old"], sees=["old"])
    roles = {**settings.ENVIRONMENT.oidc.roles, "guests": [Grant("viewer", "south")],
             "north": [Grant("operator", "north"), Grant("viewer", "south")]}  # fmt: skip
    settings.ENVIRONMENT = replace(settings.ENVIRONMENT, oidc=replace(settings.ENVIRONMENT.oidc, roles=roles))
    told.claims = {"sub": "u-1", "preferred_username": "ada", "groups": groups}
    client = Client()
    gone_through(client)
    user.refresh_from_db()
    assert (user.role, user.operates, user.sees) == (role, operates, sees)


def test_where_no_claim_gives_groups_they_stay_as_admins_gave_them(told: Provider) -> None:
    gone_through(Client())
    User.objects.filter(username="ada").update(operates=["north"], sees=["south"])
    told.claims = {"sub": "u-1", "preferred_username": "ada", "groups": ["staff"]}
    gone_through(Client())
    user = User.objects.get(username="ada")
    assert (user.role, user.operates, user.sees) == ("viewer", ["north"], ["south"])


@pytest.mark.parametrize("groups", [[], ["strangers"], "", None, {"dba": 1}, 5])
def test_whoever_has_no_role_is_refused_and_becomes_nobody(told: Provider, groups: Any) -> None:
    told.claims = {"sub": "u-2", "preferred_username": "bo", "groups": groups}
    client = Client()
    assert "gives a role here" in why(gone_through(client))
    assert client.get("/api/v1/session").json()["username"] is None
    assert not User.objects.filter(username="bo").exists()


def test_a_name_with_a_password_is_not_given_away_and_an_account_that_is_off_stays_off(told: Provider) -> None:
    save_user("ada", "correct horse battery", Role.VIEWER)
    assert "signs in with a password" in why(gone_through(Client()))
    told.claims = {"sub": "u-3", "preferred_username": "cy", "groups": "staff"}
    gone_through(Client())
    User.objects.filter(username="cy").update(is_active=False)
    assert "switched off" in why(gone_through(Client()))


@pytest.mark.parametrize(
    "wrong",
    [
        {"nonce": "another"}, {"aud": "another"}, {"iss": "http://127.0.0.1:1"}, {"exp": 1_000_000_000}, {"sub": ""},
    ],
    ids=["nonce", "audience", "issuer", "over", "nobody"],
)  # fmt: skip
def test_a_token_that_is_not_for_us_lets_nobody_in(told: Provider, wrong: dict[str, Any]) -> None:
    told.wrong = wrong
    client = Client()
    assert why(gone_through(client))
    assert client.get("/api/v1/session").json()["username"] is None
    assert not User.objects.exists()
    assert AuditEntry.objects.filter(act="sign_in.failed").exists()


def test_a_token_of_another_key_lets_nobody_in(told: Provider) -> None:
    told.key = new_key()
    assert why(gone_through(Client()))
    assert not User.objects.exists()


def test_an_answer_that_nobody_asked_for_or_that_came_before_lets_nobody_in(told: Provider) -> None:
    client = Client()
    assert why(client.get("/oidc/callback", {"code": "a", "state": "b"}))
    away = client.get("/oidc/begin")
    returned = httpx.get(away["Location"], follow_redirects=False)
    sent = {name: values[0] for name, values in parse_qs(urlsplit(returned.headers["Location"]).query).items()}
    assert why(Client().get("/oidc/callback", sent)), "in another browser"
    assert client.get("/oidc/callback", sent)["Location"] == "/"
    client.delete("/api/v1/session")
    assert why(client.get("/oidc/callback", sent)), "a second time"
    assert why(client.get("/oidc/callback", {"error": "access_denied", "state": "b"}))


@pytest.mark.parametrize(
    "back", ["https://elsewhere.example", "//elsewhere.example", "/\\elsewhere.example", "javascript:alert(1)"]
)
def test_nobody_is_led_elsewhere(told: Provider, back: str) -> None:
    assert gone_through(Client(), back)["Location"] == "/"


def test_a_provider_that_does_not_answer_is_said_and_a_password_goes_on_working(told: Provider, settings: Any) -> None:
    oidc._client.cache_clear()
    settings.ENVIRONMENT = replace(
        settings.ENVIRONMENT, oidc=replace(settings.ENVIRONMENT.oidc, issuer="http://127.0.0.1:9")
    )
    assert "does not answer" in why(Client().get("/oidc/begin"))
    settings.AXES_ENABLED = False
    save_user("bo", "correct horse battery", Role.VIEWER)
    client = Client()
    csrf = client.get("/api/v1/session").json()["csrf"]
    body = {"username": "bo", "password": "correct horse battery"}
    assert client.post("/api/v1/session", body, "application/json", headers={"X-CSRFToken": csrf}).status_code == 200


def test_without_a_provider_there_is_no_such_way(settings: Any) -> None:
    assert "is set up here" in why(Client().get("/oidc/begin"))
    assert Client().get("/api/v1/session").json()["sign_in_by"] is None


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"FAENA_OIDC_ISSUER": "http://login.example.org"}, "https address"),
        ({"FAENA_OIDC_CLIENT_SECRET": ""}, "FAENA_OIDC_CLIENT_SECRET"),
        ({"FAENA_OIDC_ROLES": ""}, "who may do what"),
        ({"FAENA_OIDC_ROLES": "dba=captain"}, "'dba=captain' is none"),
        ({"FAENA_OIDC_ROLES": "dba=operator@"}, "'dba=operator@' is none"),
        ({"FAENA_OIDC_ROLES": "dba=admin@north"}, "'dba=admin@north' is none"),
    ],
)
def test_a_configuration_that_cannot_be_meant_is_said(
    monkeypatch: pytest.MonkeyPatch, given: dict[str, str], said: str
) -> None:
    whole = {
        "FAENA_OIDC_ISSUER": "https://login.example.org/", "FAENA_OIDC_CLIENT_ID": "faena", "FAENA_OIDC_CLIENT_SECRET": "s",
        "FAENA_OIDC_ROLES": "dba=admin, *=viewer, north=operator@n, north=viewer@s",
    }  # fmt: skip
    for name, value in whole.items():
        monkeypatch.setenv(name, value)
    found = read_environment().oidc
    assert found is not None
    assert (found.issuer, found.roles) == ("https://login.example.org", {
        "dba": [Grant("admin")], "*": [Grant("viewer")], "north": [Grant("operator", "n"), Grant("viewer", "s")],
    })  # fmt: skip
    for name, value in given.items():
        monkeypatch.setenv(name, value)
    with pytest.raises(BadConfiguration, match=said):
        read_environment()
