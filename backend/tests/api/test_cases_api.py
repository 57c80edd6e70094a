"""Cases over the API: who may do what, evidence in order, a lead with its chain, a case that is the same elsewhere."""

import base64
import io
import json
import tomllib
import zipfile
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from faena.apps.accounts.models import AuditEntry
from faena.apps.alerts.models import Alert
from faena.apps.cases.models import Case, CaseLink
from faena.apps.collecting import estate as filling
from faena.apps.servers.models import Server
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.launch.places import CHECKOUT
from faena.sources.simulated import read_incidents

pytestmark = pytest.mark.django_db
ANCHOR = EpochMs(1_764_000_000_000 // MS_PER_HOUR * MS_PER_HOUR)
SVG = '<svg xmlns="http://www.w3.org/2000/svg"><rect width="3"/></svg>'
VIEW = {"title": "Load", "sentence": "12 sessions wait.", "link": "/servers/1/load?from=1&to=2", "svg": SVG,
        "figures": {"columns": ["at", "load"], "rows": [[1, 2.5], [2, None]]}}  # fmt: skip


def sent(client: Client, method: str, path: str, body: Any = None) -> Any:
    return client.generic(method, f"/api/v1{path}", json.dumps(body), content_type="application/json")


def test_a_case_is_made_filled_ordered_annotated_commented_and_concluded(clients: dict[str, Client]) -> None:
    operator, viewer = clients["operator"], clients["viewer"]
    case = sent(operator, "POST", "/cases", {"title": "Slow at nine"}).json()
    path = f"/cases/{case['id']}"
    for title in ("First", "Second"):
        assert sent(operator, "POST", f"{path}/evidence", {"evidence": [VIEW | {"title": title}]}).status_code == 201
    page = viewer.get(f"/api/v1{path}").json()
    assert [one["title"] for one in page["evidence"]] == ["First", "Second"]
    assert page["evidence"][0]["picture"].startswith("data:image/svg+xml;base64,")
    assert page["evidence"][0]["figures"] == {"columns": ["at", "load"], "rows": [[1, 2.5], [2, None]]}
    first, second = (one["id"] for one in page["evidence"])
    page = sent(operator, "PUT", f"{path}/evidence/order", {"order": [second]}).json()
    assert [one["id"] for one in page["evidence"]] == [second, first], "what is not named stays behind"
    page = sent(operator, "PUT", f"{path}/evidence/{first}/note", {"note": "see the **second**"}).json()
    assert "<strong>second</strong>" in page["evidence"][1]["note_html"]
    page = sent(operator, "POST", f"{path}/comments", {"text": "was it the <b>deploy</b>?"}).json()
    assert "&lt;b&gt;deploy" in page["comments"][0]["html"]
    changed = sent(
        operator, "PATCH", path, {"state": "closed", "conclusion": "The index.", "seen": page["case"]["changed"]}
    ).json()
    assert (changed["state"], changed["conclusion"], changed["people"]) == ("closed", "The index.", ["operator"])
    page = sent(operator, "DELETE", f"{path}/evidence/{second}").json()
    assert [one["id"] for one in page["evidence"]] == [first]
    assert [one["state"] for one in viewer.get("/api/v1/cases?state=closed").json()] == ["closed"]
    assert viewer.get("/api/v1/cases?state=open").json() == []
    assert {one.act for one in AuditEntry.objects.all()} >= {"case.made", "case.closed", "case.evidence_removed"}


def test_who_may_do_what(clients: dict[str, Client]) -> None:
    case = sent(clients["operator"], "POST", "/cases", {"title": "A", "evidence": [VIEW]}).json()
    path, one = (
        f"/cases/{case['id']}",
        sent(clients["viewer"], "GET", f"/cases/{case['id']}").json()["evidence"][0]["id"],
    )
    for method, part, body in (
        ("POST", "/cases", {"title": "B"}), ("PATCH", path, {"state": "closed"}), ("POST", f"{path}/evidence", {"evidence": [VIEW]}),
        ("PUT", f"{path}/evidence/order", {"order": []}), ("PUT", f"{path}/evidence/{one}/note", {"note": ""}),
        ("DELETE", f"{path}/evidence/{one}", None), ("POST", f"{path}/comments", {"text": "a"}), ("DELETE", path, None),
    ):  # fmt: skip
        assert sent(clients["viewer"], method, part, body).status_code == 403, part
        assert sent(Client(), method, part, body).status_code == 401, part
    assert sent(clients["operator"], "DELETE", path).status_code == 403
    assert sent(clients["admin"], "DELETE", path).json() == {"deleted": True}
    assert not Case.objects.exists()


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"title": " "}, "title"),
        ({"title": "A", "evidence": [VIEW | {"svg": "<p>"}]}, "svg"),
        ({"title": "A", "evidence": [VIEW | {"link": "https://elsewhere.example"}]}, "link"),
        ({"title": "A", "evidence": [VIEW | {"figures": {"columns": ["a"], "rows": [[1, 2]]}}]}, "figures"),
    ],
)
def test_what_cannot_be_kept_is_said_and_leaves_no_case(clients: dict[str, Client], body: Any, field: str) -> None:
    answer = sent(clients["operator"], "POST", "/cases", body)
    assert (answer.status_code, answer.json()["field"]) == (400, field)
    assert not Case.objects.exists()


def test_two_who_conclude_at_once_lose_nothing(clients: dict[str, Client]) -> None:
    case = sent(clients["operator"], "POST", "/cases", {"title": "A"}).json()
    path = f"/cases/{case['id']}"
    assert sent(clients["admin"], "PATCH", path, {"conclusion": "the disk", "seen": case["changed"]}).status_code == 200
    late = sent(clients["operator"], "PATCH", path, {"conclusion": "the index", "seen": case["changed"]})
    assert (late.status_code, late.json()["field"]) == (400, "conclusion")
    assert Case.objects.get().conclusion == "the disk"


def shown(piece: dict[str, Any]) -> bytes:
    """The picture of evidence."""
    return base64.b64decode(piece["picture"].removeprefix("data:image/svg+xml;base64,"))


def test_a_case_from_a_lead_has_its_chain_and_is_offered_when_the_lead_comes_again(clients: dict[str, Client]) -> None:
    planted = next(
        one
        for one in read_incidents(tomllib.loads((CHECKOUT / "demo" / "incidents.toml").read_text()))
        if one.name == "idle-console"
    )
    server = next(one for one in filling.make_servers(ANCHOR) if one.name == planted.server)
    start = next(planted.spans(ANCHOR))[0]
    filling.fill_hours(server.pk, start - start % MS_PER_HOUR, start - start % MS_PER_HOUR + 2 * MS_PER_HOUR)
    found = clients["viewer"].get(f"/api/v1/servers/{server.pk}/leads?from={start}&to={start + 1_800_000}").json()
    lead = found["leads"][0]
    told = {"server": server.pk, "start": found["start"], "end": found["end"], "identity": lead["identity"]}
    case = sent(clients["operator"], "POST", "/cases", {"lead": told}).json()
    assert case["title"] == lead["title"][:200]
    (piece,) = clients["viewer"].get(f"/api/v1/cases/{case['id']}").json()["evidence"]
    assert piece["lines"][: len(lead["chain"])] == [one["sentence"] for one in lead["chain"]]
    assert piece["lines"][-1] == f"Next: {lead['next_step']}"
    assert piece["kind"] == "lead"
    assert b"data:image/png;base64,iVBORw0KGgo" in shown(piece), "the load of its window"
    path = f"/api/v1/cases?about=lead&key={lead['identity']}&server={server.pk}"
    assert [one["id"] for one in clients["viewer"].get(path).json()] == [case["id"]]
    assert clients["viewer"].get(path.replace(lead["identity"], "another")).json() == []
    gone = sent(clients["operator"], "POST", "/cases", {"lead": told | {"identity": "never"}})
    assert gone.status_code == 404
    assert Case.objects.count() == 1
    with_picture = sent(clients["operator"], "POST", "/cases", {"lead": told | {"svg": SVG}}).json()
    (other,) = clients["viewer"].get(f"/api/v1/cases/{with_picture['id']}").json()["evidence"]
    assert shown(other) == SVG.encode()


def test_a_case_from_an_alert_holds_what_was_told(clients: dict[str, Client]) -> None:
    alert = Alert.objects.create(
        began_ms=1, fired_ms=2, severity="now", headline="pier-1: Sessions blocked",
        told={"when": "Since 9:20.", "lead": {"title": "A lead", "chain": ["a", "b"], "next_step": "SELECT 1;"}, "changes": ["an index went"], "picture": "iVBORw0KGgo="},
    )  # fmt: skip
    case = sent(clients["operator"], "POST", "/cases", {"alert": alert.pk}).json()
    (piece,) = clients["viewer"].get(f"/api/v1/cases/{case['id']}").json()["evidence"]
    assert piece["lines"] == ["Since 9:20.", "a", "b", "an index went", "Next: SELECT 1;"]
    assert b"data:image/png;base64,iVBORw0KGgo=" in shown(piece)
    assert [(one["about"], one["key"]) for one in case["links"]] == [("alert", str(alert.pk))]


@pytest.mark.parametrize("form", ["page", "archive"])
def test_a_case_is_the_same_elsewhere_after_its_samples_and_servers_are_gone(
    clients: dict[str, Client], form: str
) -> None:
    server = Server.objects.create(name="pier-1")
    links = [{"about": "pattern", "server": server.pk, "key": "p1", "title": "a pattern"}]
    made = {"title": "Slow", "evidence": [VIEW | {"server": server.pk, "note": "look"}], "links": links}
    case = sent(clients["operator"], "POST", "/cases", made).json()
    path = f"/api/v1/cases/{case['id']}"
    sent(clients["operator"], "POST", f"/cases/{case['id']}/comments", {"text": "a"})
    before = clients["viewer"].get(path).json()
    exported = clients["viewer"].get(f"{path}/export?form={form}&zone=Europe/Lisbon")
    assert "attachment" in exported["Content-Disposition"]
    server.delete()
    assert clients["viewer"].get(path).json()["evidence"] == before["evidence"]
    file = SimpleUploadedFile("case", exported.content)
    again = clients["operator"].post("/api/v1/cases/import/file", {"file": file}).json()
    after = clients["viewer"].get(f"/api/v1/cases/{again['id']}").json()
    for page in (before, after):
        for one in page["evidence"]:
            one.pop("id")
        for name in ("id", "changed", "address", "links"):
            page["case"].pop(name)
    assert after == before
    assert CaseLink.objects.filter(case_id=again["id"]).values_list("server", "server_name", "key").get() == (
        None,
        "pier-1",
        "p1",
    )


def test_the_archive_holds_files_that_need_no_faena(clients: dict[str, Client]) -> None:
    case = sent(clients["operator"], "POST", "/cases", {"title": "Slow", "evidence": [VIEW]}).json()
    exported = clients["viewer"].get(f"/api/v1/cases/{case['id']}/export?form=archive")
    with zipfile.ZipFile(io.BytesIO(exported.content)) as archive:
        assert sorted(archive.namelist()) == ["case.json", "case.md", "figures/1.csv", "pictures/1.svg"]
        assert archive.read("pictures/1.svg").decode() == SVG
        assert archive.read("figures/1.csv").decode().splitlines() == ["at,load", "1,2.5", "2,"]
    assert clients["viewer"].get(f"/api/v1/cases/{case['id']}/export?zone=Nowhere").json()["field"] == "zone"


def bomb() -> bytes:
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("case.json", b"0" * 70_000_000)
    return kept.getvalue()


@pytest.mark.parametrize("content", [b"", b"PK\x03\x04 broken", b"\xff\xfe", b"{}", b"<html></html>", bomb()])
def test_what_is_no_case_is_refused_at_import(clients: dict[str, Client], content: bytes) -> None:
    answer = clients["operator"].post("/api/v1/cases/import/file", {"file": SimpleUploadedFile("case", content)})
    assert (answer.status_code, answer.json()["field"]) == (400, "file")
    assert not Case.objects.exists()
    assert (
        clients["viewer"].post("/api/v1/cases/import/file", {"file": SimpleUploadedFile("c", content)}).status_code
        == 403
    )
