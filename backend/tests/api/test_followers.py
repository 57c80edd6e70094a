"""Pairs of statements over the API, from counters as they are stored."""

import numpy as np
import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.servers.models import Server
from faena.apps.statements.models import Text, Work
from faena.core.privacy import Normalised
from faena.core.readings import COUNTER_FIELDS

pytestmark = pytest.mark.django_db
NOW = 1_790_000_000_000


def work(server: Server, reading: int, query_id: int, calls: float, rows: float, user: str = "web") -> Work:
    figures = dict.fromkeys(COUNTER_FIELDS, 0.0) | {"calls": calls, "rows": rows, "total_ms": calls / 2}
    return Work(
        server=server, since_ms=NOW + 15_000 * (reading - 1), until_ms=NOW + 15_000 * reading, query_id=query_id,
        database="ferry", user=user, toplevel=True, **figures,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("user", "tool", "found"), [("web", False, True), ("watcher", False, False), ("web", True, False)]
)
def test_a_pair_is_told_with_its_texts_and_never_of_tools_or_of_ourselves(user: str, tool: bool, found: bool) -> None:
    server = Server.objects.create(name="bookings", username="watcher")
    for query_id, text in (
        (1, "SELECT id FROM booking WHERE sailing_id = $1"),
        (2, "SELECT name FROM passenger WHERE id = $1"),
    ):
        Text.objects.create(server=server, query_id=query_id, text=Normalised(text), tool=tool)
    draw = np.random.default_rng(4)
    for reading in range(1, 41):
        leads = int(draw.poisson(6))
        rows = int(draw.poisson(30, leads).sum())
        Work.objects.bulk_create(
            [work(server, reading, 1, leads, rows, user), work(server, reading, 2, rows, rows, user)]
        )
    client = Client()
    client.force_login(save_user("vera", "correct horse", Role.VIEWER))
    answer = client.get(f"/api/v1/servers/{server.pk}/statements/followers?from={NOW}&to={NOW + 9 * 3_600_000}").json()
    assert answer["end"] - answer["start"] == 6 * 3_600_000
    assert answer["pairs"] == []  # all of it lies before the hours that are looked at
    answer = client.get(f"/api/v1/servers/{server.pk}/statements/followers?from={NOW}&to={NOW + 3_600_000}").json()
    told = [(one["first_text"], one["second"], round(one["each"])) for one in answer["pairs"]]
    assert told == ([("SELECT id FROM booking WHERE sailing_id = $1", "2", 30)] if found else [])
