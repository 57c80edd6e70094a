"""Leads from the store: the estate's planted incidents, and hours in which nothing is at fault."""

import json
import tomllib
from datetime import UTC, datetime
from pathlib import Path

import pytest
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db.models import Max
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.answers.leads import leads_of
from faena.apps.collecting import estate as filling
from faena.apps.hosts.models import TableWork
from faena.apps.servers.models import Server, Vitals
from faena.apps.statements.models import Work
from faena.core.answers.leads.kinds import LeadKind
from faena.core.errors import BadWindow
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.launch.places import CHECKOUT
from faena.sources.simulated import Incident, read_incidents

pytestmark = pytest.mark.django_db
DEMO: Path = CHECKOUT / "demo"
INCIDENTS = {one.name: one for one in read_incidents(tomllib.loads((DEMO / "incidents.toml").read_text()))}
ANCHOR = EpochMs(1_764_000_000_000 // MS_PER_HOUR * MS_PER_HOUR)
FOUND = {  # the others need what is usual, which rules do not look at yet
    "idle-console": (LeadKind.IDLE_TRANSACTION, {"program": "ops-console"}),
    "slow-disk-chain": (LeadKind.MAINTENANCE, {"program": "maintenance", "table": "gate_scan"}),
    "fare-sale": (LeadKind.CPU_SATURATION, {"program": "booking-web"}),
    "single-row-commits": (LeadKind.COMMIT_RATE, {"program": "gate-scan"}),
    "rebooking-deadlocks": (LeadKind.DEADLOCK_PATTERN, {}),
    "month-end-spill": (LeadKind.SPILL, {"program": "nightly-report"}),
    "index-build-blocks": (LeadKind.MAINTENANCE, {"program": "maintenance", "table": "duty"}),
}


def filled(name: str, start: int, end: int) -> Server:
    """A server of the estate with the hours of a window."""
    server = next(one for one in filling.make_servers(ANCHOR) if one.name == name)
    filling._learn(server)
    filling.fill_hours(server.pk, start - start % MS_PER_HOUR, -(-end // MS_PER_HOUR) * MS_PER_HOUR)
    return server


def window_of(incident: Incident) -> Window:
    """Half an hour of its first occurrence, or ten minutes around one that is shorter."""
    start, end = next(incident.spans(ANCHOR))
    return Window(start=EpochMs(start), end=EpochMs(max(start + 600_000, min(end, start + 1_800_000))))


def test_the_past_that_is_made_ends_now_and_leaves_what_comes_to_the_living_server() -> None:
    """Counters of ten minutes that reached into the future were counted once more when they came."""
    now = ANCHOR + 34 * 60_000
    server = next(one for one in filling.make_servers(ANCHOR) if one.name == "warehouse")
    filling._learn(server)
    filling.fill_hours(server.pk, ANCHOR, now)
    assert Work.objects.filter(server=server).aggregate(last=Max("until_ms"))["last"] == now
    assert TableWork.objects.filter(server=server).aggregate(last=Max("until_ms"))["last"] == now
    assert Vitals.objects.filter(server=server).aggregate(last=Max("at_ms"))["last"] <= now


@pytest.mark.parametrize("name", FOUND)
def test_the_first_lead_of_a_planted_incident_names_its_root(name: str) -> None:
    window = window_of(INCIDENTS[name])
    found, _ = leads_of(filled(INCIDENTS[name].server, window.start, window.end).pk, window)
    kind, root = FOUND[name]
    assert found.leads, found.ground
    first = found.leads[0].claim
    assert first.kind is kind, [(one.claim.kind.value, one.claim.title) for one in found.leads]
    assert {key: getattr(first.root, key) for key in root} == root
    assert sum(one.share for one in found.leads) + found.unexplained == pytest.approx(1.0, abs=1e-6)


def test_a_chain_is_told_from_those_who_wait_to_what_slows_the_one_they_wait_for() -> None:
    window = window_of(INCIDENTS["slow-disk-chain"])
    found, _ = leads_of(filled("bookings-main", window.start, window.end).pk, window)
    told = [step.sentence for step in found.leads[0].claim.chain]
    for place, word in enumerate(("booking-web", "fare-engine", "manifest-export", "reads and writes", "REINDEX")):
        assert word in told[place], told


@pytest.mark.parametrize("hour", [3, 10, 15])
def test_an_ordinary_hour_is_quiet(hour: int) -> None:
    start = EpochMs(ANCHOR - ANCHOR % (24 * MS_PER_HOUR) - 14 * 24 * MS_PER_HOUR + hour * MS_PER_HOUR)
    window = Window(start=start, end=EpochMs(start + 1_800_000))
    found, seen = leads_of(filled("bookings-main", window.start, window.end).pk, window)
    assert found.quiet, [(one.claim.kind.value, one.claim.title) for one in found.leads]
    assert seen.ticks == 1800


def test_a_window_without_samples_is_not_called_quiet_and_a_long_one_refused() -> None:
    server = filling.make_servers(ANCHOR)[0]
    window = Window(start=EpochMs(ANCHOR - 10 * MS_PER_HOUR), end=EpochMs(ANCHOR - 9 * MS_PER_HOUR))
    found, _ = leads_of(server.pk, window)
    assert "Nothing was sampled" in found.ground
    with pytest.raises(BadWindow, match="up to 24 hours"):
        leads_of(server.pk, Window(start=EpochMs(ANCHOR - 30 * MS_PER_HOUR), end=ANCHOR))


def test_the_api_tells_a_lead_with_its_chain_and_where_its_evidence_is_seen() -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    client = Client()
    client.force_login(
        save_user("vera", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    told = client.get(f"/api/v1/servers/{server.pk}/leads?from={window.start}&to={window.end}").json()
    lead = told["leads"][0]
    assert (told["quiet"], lead["label"], lead["root"]["program"]) == (False, "transaction left open", "ops-console")
    assert {step["view"] for step in lead["chain"]} == {"blocking"}
    assert (
        client.get(f"/api/v1/servers/{server.pk}/leads?from={ANCHOR - 90 * 86_400_000}&to={ANCHOR}").status_code == 400
    )
    assert client.get("/api/v1/servers/999999/leads?last=60").status_code == 404


def test_the_command_looks_back_and_says_what_it_cannot_read(capsys: pytest.CaptureFixture[str]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    filled("bookings-main", window.start, window.end)
    moments = [datetime.fromtimestamp(at / 1000, UTC).isoformat() for at in (window.start, window.end)]
    call_command("diagnose", server="bookings-main", start=moments[0], end=str(window.end))
    told = json.loads(capsys.readouterr().out)
    assert (told["quiet"], told["leads"][0]["kind"], told["leads"][0]["root"]["index"]) == (
        False,
        "idle_transaction",
        None,
    )
    for wrong, words in (
        ({"server": "nowhere"}, "there are: .*bookings-main"),
        ({"start": "yesterday"}, "is no moment"),
        ({"start": moments[1], "end": moments[0]}, "window"),
    ):
        asked = {"server": "bookings-main", "start": moments[0], "end": moments[1], **wrong}
        with pytest.raises(CommandError, match=words) as refused:
            call_command("diagnose", **asked)
        assert refused.value.returncode == 2
