"""What somebody sees who sees the servers of some groups alone: every endpoint is asked."""

import json
import re
from collections.abc import Mapping

import pytest
from django.test import Client
from faena.api import bearer
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.api_tokens import make
from faena.apps.accounts.models import AuditEntry, User
from faena.apps.accounts.roles import Role
from faena.apps.alerts.models import Alert, AlertCondition, ConditionState, Firing, Mute
from faena.apps.cases.models import Case, CaseLink, KeptEvidence
from faena.apps.changes.models import Change
from faena.apps.leads.models import KnownLead
from faena.apps.plans.models import BroughtPlan
from faena.apps.requests.models import TraceSource
from faena.apps.servers.models import Server

from contract import START, Operation, operations

pytestmark = pytest.mark.django_db
SEEN, HIDDEN = "north-pier", "south-quay"
FILES = {"audit_export", "case_export"}


@pytest.fixture
def servers() -> dict[str, Server]:
    """One of each group on one disk, one without a group; much is known of those that are hidden."""
    found = {
        name: Server.objects.create(name=name, group=group, storage="shelf", machine=f"{name}-host", host="127.0.0.1", port=1)
        for name, group in ((SEEN, "north"), (HIDDEN, "south"), ("south-quay-alone", ""))
    }  # fmt: skip
    for name, server in found.items():
        condition = AlertCondition.objects.create(name=f"of {name}", signal="blocked", level=1, clears=1)
        condition.servers.set([server])
        alert = Alert.objects.create(
            began_ms=START, fired_ms=START, severity="now", headline=f"blocked on {name}",
            told={"when": f"on {name}", "server_id": server.pk, "lead": {"title": f"a lead of {name}", "chain": [name]}},
        )  # fmt: skip
        Firing.objects.create(
            alert=alert,
            condition=condition,
            server=server,
            began_ms=START,
            fired_ms=START,
            first=1,
            worst=1,
            worst_ms=START,
        )
        ConditionState.objects.create(condition=condition, server=server, until_ms=START, phase="firing")
        Mute.objects.create(server=server, until_ms=2**50, by="a", reason=name)
        KnownLead.objects.create(
            server=server,
            identity=name,
            kind="idle_transaction",
            title=f"held on {name}",
            first_ms=START,
            last_ms=2**50,
        )
        Change.objects.create(
            server=server, kind="note", at_ms=START, since_ms=START, note=f"a change of {name}", by="a"
        )
        BroughtPlan.objects.create(
            key=f"plan-{name}",
            digest=name,
            server=server,
            title=name,
            written="Seq Scan on a  (cost=0.00..1.00 rows=1 width=4)",
        )
        case(f"a case of {name}", [name], about=server)
    return found


def case(title: str, kept: list[str], about: Server | None = None) -> Case:
    made = Case.objects.create(title=title, made_ms=START, made_by="a", changed_ms=START)
    for place, server in enumerate(kept):
        KeptEvidence.objects.create(
            case=made, place=place, kind="view", title=title, server=server, at_ms=START, by="a"
        )
    if about is not None:
        CaseLink.objects.create(
            case=made, about="lead", server=about, server_name=about.name, key=about.name, title=title
        )
    return made


@pytest.fixture
def limited(servers: dict[str, Server]) -> Client:
    """A viewer of the servers of one group."""
    del servers
    client, user = Client(), save_user("watch", "correct horse", Role.VIEWER)
    User.objects.filter(pk=user.pk).update(sees=["north"])
    client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return client


def of(server: Server, **more: object) -> dict[str, object]:
    """What paths name, of one server."""
    return {
        "server_id": server.pk, "alert_id": Alert.objects.get(headline=f"blocked on {server.name}").pk,
        "case_id": Case.objects.get(title=f"a case of {server.name}").pk, "key": f"plan-{server.name}",
        "other": f"plan-{server.name}", "evidence_id": KeptEvidence.objects.get(server=server.name).pk,
        "source_id": TraceSource.objects.get_or_create(server=server, name=f"of {server.pk}", digest=f"{server.pk:064}")[0].pk,
        "name": server.group, "machine": server.machine, "from": START, "to": START + 600_000, "query_id": 7, **more,
    }  # fmt: skip


def asked(client: Client, one: Operation) -> tuple[int, str]:
    bearer.forget()
    body = json.dumps(one.body) if one.body is not None else ""
    answer = client.generic(one.method.upper(), one.path, body, "application/json")
    return answer.status_code, b"".join(answer).decode(errors="replace")


def test_no_answer_names_a_server_of_another_group(servers: dict[str, Server], limited: Client) -> None:
    """Also what stands on the same disk, and where words are searched for that only the others have."""
    told = []
    for words in ("south", "quay", "held", "blocked", "case", "change", "north"):
        for one in operations(of(servers[SEEN], words=words, days=90)):
            if one.method == "get" and (words == "south" or one.name == "search"):
                status, text = asked(limited, one)
                told += [f"{one.name} ({words}): {text[:300]}"] if HIDDEN in text.replace(f"“{words}”", "") else []
                assert status < 500, one
    assert told == []


def test_what_is_of_another_group_is_not_there(servers: dict[str, Server], limited: Client) -> None:
    """For whoever does not see it, in the words of what is nowhere; and it is there for others."""
    everybody, user = Client(), save_user("all", "correct horse", Role.VIEWER)
    everybody.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    none = {
        "server_id": 2**31,
        "alert_id": 2**31,
        "case_id": 2**31,
        "key": "no-plan",
        "other": "no-plan",
        "name": "no-group",
    }
    told = set()
    for hidden in (servers[HIDDEN], servers["south-quay-alone"]):
        known = of(hidden)
        for here, nowhere in zip(operations(known), operations(known | none), strict=True):
            if here.path.split("?")[0] == nowhere.path.split("?")[0] or here.takes_file:
                continue
            if here.name == "groups_get" and not hidden.group:
                continue
            status, text = asked(limited, here)
            assert (status, _bare(text)) == (404, _bare(asked(limited, nowhere)[1])), here
            told.add(here.name)
        for name in ("servers_get", "alert", "case", "plans_get", *(["groups_get"] if hidden.group else [])):
            assert asked(everybody, next(one for one in operations(known) if one.name == name))[0] == 200, name
    assert {"servers_get", "groups_get", "alert", "case", "plans_get", "leads_list", "case_export"} <= told
    assert len(told) >= 100


def _bare(text: str) -> str:
    """What a problem says, without the name or number of what was asked for."""
    return re.sub(r"\d+|plan-south-quay(-alone)?|no-plan|south|no-group|''", "", json.loads(text)["detail"])


def test_parameters_that_name_a_server_of_another_group_name_none(servers: dict[str, Server], limited: Client) -> None:
    hidden, seen = servers[HIDDEN].pk, servers[SEEN].pk
    for path in ("troubles", "alerts", "cases", f"indicators?from={START}&to={START + 600_000}", "search?words=held"):
        sign = "&" if "?" in path else "?"
        assert limited.get(f"/api/v1/{path}{sign}server={hidden}").status_code == 404, path
        assert limited.get(f"/api/v1/{path}{sign}server={seen}").status_code == 200, path
    both = limited.get(f"/api/v1/indicators?server={seen}&server={hidden}")
    assert both.status_code == 404
    paths = [f"/api/v1/servers/{one}" for one in (seen, hidden)]
    again = limited.post("/api/v1/refresh", {"asked": [{"path": one} for one in paths]}, "application/json").json()
    assert [one["status"] for one in again["answers"]] == [200, 404]


def test_an_alert_on_servers_of_several_groups_is_seen_in_part(servers: dict[str, Server], limited: Client) -> None:
    """What was told of it is of a server that is not seen, so that only what fired here is said."""
    alert = Alert.objects.get(headline=f"blocked on {HIDDEN}")
    condition = AlertCondition.objects.get(name=f"of {SEEN}")
    Firing.objects.create(
        alert=alert,
        condition=condition,
        server=servers[SEEN],
        began_ms=START + 1,
        fired_ms=START,
        first=1,
        worst=1,
        worst_ms=START,
    )
    (mine,) = (one for one in limited.get("/api/v1/alerts").json() if one["id"] == alert.pk)
    assert mine["headline"] == f"of {SEEN} on {SEEN}"
    page = limited.get(f"/api/v1/alerts/{alert.pk}")
    assert HIDDEN not in page.content.decode()
    assert [one["server"] for one in page.json()["alert"]["firings"]] == [SEEN]
    told = limited.get("/api/v1/troubles?days=90&kind=alert").content.decode()
    assert HIDDEN not in told


@pytest.mark.parametrize(
    ("kept", "there"), [([SEEN], True), ([SEEN, SEEN], True), ([SEEN, HIDDEN], False), ([SEEN, ""], False), ([], False)]
)
def test_a_case_is_seen_by_whoever_sees_all_that_it_shows(limited: Client, kept: list[str], there: bool) -> None:
    made = case("found by night", kept)
    assert (limited.get(f"/api/v1/cases/{made.pk}").status_code == 200) is there
    assert ("found by night" in limited.get("/api/v1/cases").content.decode()) is there
    assert ("found by night" in limited.get("/api/v1/search?words=night").content.decode()) is there


def test_who_operates_a_group_sees_it_and_a_token_sees_what_its_owner_sees(
    servers: dict[str, Server], limited: Client
) -> None:
    user = User.objects.get(username="watch")
    _, token = make("mine", "read", 10, machine=False, by=user)
    admin = save_user("harbour", "correct horse", Role.ADMIN)
    User.objects.filter(pk=admin.pk).update(sees=["north"])
    _, of_admin = make("mine", "read", 10, machine=False, by=admin)

    def names(headers: Mapping[str, str]) -> set[str]:
        bearer.forget()
        asker = Client() if headers else limited
        return {one["name"] for one in asker.get("/api/v1/servers", headers=dict(headers)).json()["servers"]}

    by_token, by_admin = ({"Authorization": f"Bearer {one}"} for one in (token, of_admin))
    assert names({}) == names(by_token) == {SEEN}
    assert names(by_admin) == set(servers), "an admin sees all, also by a token that may only read"
    User.objects.filter(pk=user.pk).update(operates=["south"])
    assert names({}) == names(by_token) == {SEEN, HIDDEN}
    assert limited.get("/api/v1/session").json()["sees"] == ["north", "south"]
    User.objects.filter(pk=user.pk).update(role=Role.OPERATOR)
    assert names({}) == set(servers)


def test_what_somebody_sees_is_set_by_admins_and_recorded(clients: dict[str, Client]) -> None:
    number = User.objects.get(username="viewer").pk
    for name in ("viewer", "operator"):
        assert clients[name].patch(f"/api/v1/people/{number}", {"sees": []}, "application/json").status_code == 403
    changed = clients["admin"].patch(f"/api/v1/people/{number}", {"sees": [" north", ""]}, "application/json").json()
    assert changed["sees"] == ["north"]
    assert "sees north alone" in AuditEntry.objects.get(act="person.changed").detail
    wrong = clients["admin"].patch(f"/api/v1/people/{number}", {"sees": ["n" * 81]}, "application/json")
    assert (wrong.status_code, wrong.json()["field"]) == (400, "sees")
    made = clients["admin"].post(
        "/api/v1/people", {"username": "new", "password": "correct horse", "sees": ["north"]}, "application/json"
    )
    assert made.json()["sees"] == ["north"]
