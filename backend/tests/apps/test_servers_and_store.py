"""Servers, leases, sealing, roles, and the collector's side of the store."""

from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import psycopg
import pytest
from django.conf import settings
from django.contrib.auth.models import AnonymousUser
from django.core.management import call_command
from django.db import OperationalError, connection
from django.test import override_settings
from django.utils import timezone
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.collecting.housekeeping import keep_house
from faena.apps.collecting.sources import make_source
from faena.apps.collecting.store import DjangoStore
from faena.apps.hosts.actions import admit, make_token, store_host
from faena.apps.hosts.models import HostReading
from faena.apps.samples.models import Chunk, Tick
from faena.apps.servers.actions import ServerForm, connect, lease, remove, save_server
from faena.apps.servers.models import Server, ServerNote
from faena.apps.servers.sealing import seal, unseal
from faena.apps.statements import selectors as statements
from faena.apps.statements.models import CountSpan, Text, Work
from faena.collector.intake import Record
from faena.collector.kinds import Counted, Learned, Noted, Sampled
from faena.core.errors import BadInput, NotAllowed, SourceRefused, SourceUnfit, StoreAway
from faena.core.readings import StatementText
from faena.core.series.window import Buckets, Window
from faena.core.statements.counters import difference
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs, QueryId
from faena.testing.builders import START, counters, host_figures, reading, session

pytestmark = pytest.mark.django_db(transaction=True)
WINDOW = Window(start=START, end=EpochMs(START + 60_000))


def form(**change: object) -> ServerForm:
    return ServerForm(**{"name": "test", "host": "127.0.0.1", "port": 1, "password": "hush", **change})  # type: ignore[arg-type]


def another_secret(tmp_path: Path) -> override_settings:
    """As if this installation had another secret."""
    (tmp_path / "other.key").write_text("another installation")
    return override_settings(ENVIRONMENT=replace(settings.ENVIRONMENT, secret_file=tmp_path / "other.key"))


def test_a_password_at_rest_is_sealed_with_a_key_outside_the_store(tmp_path: Path) -> None:
    server = save_server(form())
    assert b"hush" not in bytes(server.password_sealed)
    assert unseal(server.password_sealed) == "hush"
    with another_secret(tmp_path), pytest.raises(BadInput, match="enter it again"):
        unseal(seal_elsewhere(server))


def seal_elsewhere(server: Server) -> bytes:
    return bytes(Server.objects.get(id=server.id).password_sealed)


def test_an_unreadable_password_does_not_stop_the_collector(tmp_path: Path) -> None:
    import asyncio

    server = save_server(form())
    with another_secret(tmp_path):
        Server.objects.filter(id=server.id).update(password_sealed=seal("other"))
    (order,) = DjangoStore(tmp_path).orders()
    source = make_source(order)
    with pytest.raises(SourceRefused, match="enter it again"):
        asyncio.run(source.connect())


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": ""}, "name"),
        ({"name": "x" * 81}, "name"),
        ({"host": "a b"}, "host"),
        ({"host": ""}, "host"),
        ({"port": 0}, "port"),
        ({"sslmode": "maybe"}, "sslmode"),
        ({"cores": 0}, "cores"),
        ({"period_ms": 5}, "period_ms"),
    ],
)
def test_nonsense_in_a_form_is_named_by_field(change: dict[str, object], field: str) -> None:
    with pytest.raises(BadInput) as caught:
        form(**change)
    assert caught.value.field == field


def test_a_server_that_cannot_be_reached_is_not_saved() -> None:
    admin = save_user("ada", "correct horse", Role.ADMIN)
    with pytest.raises(SourceUnfit, match="reachable"):
        connect(form(), by=admin)
    assert not Server.objects.exists()


def test_a_name_is_given_once() -> None:
    save_server(form())
    with pytest.raises(BadInput, match="already"):
        save_server(form())


def test_roles_build_on_each_other() -> None:
    viewer, admin = save_user("vera", "correct horse", Role.VIEWER), save_user("ada", "correct horse", Role.ADMIN)
    assert require(admin, Role.OPERATOR, "end a session") == admin
    with pytest.raises(NotAllowed, match="takes the role operator; vera is viewer"):
        require(viewer, Role.OPERATOR, "end a session")
    with pytest.raises(NotAllowed, match="sign in"):
        require(AnonymousUser(), Role.VIEWER, "look")
    with pytest.raises(NotAllowed):
        connect(form(), by=viewer)


def test_passwords_are_hashed_with_argon2_and_weak_ones_refused() -> None:
    user = save_user("ada", "correct horse", Role.ADMIN)
    assert user.password.startswith("argon2")
    assert user.check_password("correct horse")
    with pytest.raises(BadInput):
        save_user("ada", "short", Role.ADMIN)


def test_a_server_has_one_collector_until_that_falls_silent() -> None:
    save_server(form())
    assert [s.name for s in lease("a")] == ["test"]
    assert lease("b") == []
    assert [s.name for s in lease("a")] == ["test"], "its own lease is renewed"
    Server.objects.update(lease_until=timezone.now() - timedelta(seconds=1))
    assert [s.name for s in lease("b")] == ["test"]


def test_writing_samples_never_takes_a_server_from_its_collector() -> None:
    """A transaction that inserts samples holds the server's row by its foreign key; the lease must not skip it then."""
    server = save_server(form())
    lease("a")
    dsn = connection.get_connection_params()
    with psycopg.connect(**{k: dsn[k] for k in ("dbname", "user", "password", "host", "port")}) as writer:
        writer.execute(
            "INSERT INTO samples_tick (server_id, at_ms, took_us, missed, late_ms) VALUES (%s, 1, 1, 0, 0)", [server.id]
        )
        assert [s.name for s in lease("a")] == ["test"]
        Server.objects.update(lease_until=timezone.now() - timedelta(seconds=1))
        assert [s.name for s in lease("b")] == ["test"], "not even the taking over is held up"


def records(server_id: int) -> list[Record]:
    delta = difference(counters(0, q1=(1, 5.0)), counters(15, q1=(5, 45.0), q2=(2, 8.0)))
    return [
        Sampled(server_id=server_id, reading=reading(1, session(query_id=QueryId(1))), missed=0),
        Sampled(server_id=server_id, reading=reading(2), missed=0),
        Counted(server_id=server_id, delta=delta),
        Learned(server_id=server_id, texts=(StatementText(query_id=QueryId(1), text="SELECT * FROM booking\0"),)),
        Noted(server_id=server_id, at=START, event="connected", detail="hello", facts={"version": 150000}),
    ]


def test_delivering_twice_stores_once(tmp_path: Path) -> None:
    server = save_server(form())
    store = DjangoStore(tmp_path)
    for _ in range(2):
        store.deliver(records(server.id))
    store.deliver(records(server.id + 999))  # of a server removed meanwhile
    assert Tick.objects.count() == 2
    assert {w.query_id: (w.calls, w.total_ms) for w in Work.objects.all()} == {1: (4.0, 40.0), 2: (2.0, 8.0)}
    assert CountSpan.objects.count() == 1
    assert ServerNote.objects.count() == 1
    text = Text.objects.get()
    assert (text.text, text.tables) == ("SELECT * FROM booking", "booking")
    server.refresh_from_db()
    assert (server.state, server.facts) == ("watching", {"version": 150000})


def test_a_store_that_breaks_off_is_away_and_the_same_delivery_goes_through_later(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The connection is cut on the server in the middle of a delivery, as a restart would."""
    from faena.apps.statements import actions

    server = save_server(form())
    store = DjangoStore(tmp_path)

    def cut(*args: object) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_terminate_backend(pg_backend_pid())")

    with monkeypatch.context() as patch:
        patch.setattr(actions, "store_work", cut)
        with pytest.raises(StoreAway):
            store.deliver(records(server.id))
    store.deliver(records(server.id))
    assert Tick.objects.count() == 2
    assert Work.objects.count() == 2


def test_figures_over_window_and_time(tmp_path: Path) -> None:
    server = save_server(form())
    DjangoStore(tmp_path).deliver(records(server.id))
    found = {f.query_id: f for f in statements.figures(server.id, WINDOW)}
    assert (found[QueryId(1)].calls, found[QueryId(1)].mean_ms) == (4.0, 10.0)
    assert [f.query_id for f in statements.figures(server.id, WINDOW, containing="BOOKing")] == [1]
    assert statements.figures(server.id, WINDOW, without_user="u") == []
    series = statements.work_over_time(server.id, 1, Buckets(start=START, width_ms=15_000, count=4))
    assert series.sums[:, 0].tolist() == [4.0, 0.0, 0.0, 0.0]
    assert series.covered_ms.tolist() == [15_000, 0, 0, 0], (
        "beyond the first bucket nothing was counted: a gap, not zero"
    )
    assert statements.coverage(server.id, WINDOW).covered_ms == 15_000
    assert [(u.user, u.calls) for u in statements.by_user(server.id, 1, WINDOW)] == [("u", 4.0)]


def test_housekeeping_closes_hours_and_drops_what_is_too_old(tmp_path: Path) -> None:
    server = save_server(form())
    DjangoStore(tmp_path).deliver(records(server.id))
    keep_house(START + 3 * MS_PER_HOUR)
    assert (Tick.objects.count(), Chunk.objects.count()) == (0, 1)
    keep_house(START + 31 * 24 * MS_PER_HOUR)
    assert (Chunk.objects.count(), Work.objects.count()) == (0, 2), "counters are kept longer than samples"
    keep_house(START + 92 * 24 * MS_PER_HOUR)
    assert (Chunk.objects.count(), Work.objects.count(), CountSpan.objects.count()) == (0, 0, 0)


def test_no_migration_is_missing() -> None:
    call_command("makemigrations", "--check", "--dry-run", verbosity=0)


def test_the_store_error_of_django_is_ours(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(holder: str) -> None:
        raise OperationalError("connection refused")

    monkeypatch.setattr("faena.apps.servers.actions.lease", away)
    with pytest.raises(StoreAway, match="connection refused"):
        DjangoStore(tmp_path).orders()


def on_pier(name: str, **change: object) -> Server:
    """A server whose machine is pier-1, as others' are."""
    server = save_server(form(name=name, host="127.0.0.1"))
    Server.objects.filter(pk=server.pk).update(machine="pier-1", **change)
    return Server.objects.get(pk=server.pk)


def kept_of(machine: str) -> list[int]:
    return list(HostReading.objects.filter(machine=machine).order_by("at_ms").values_list("at_ms", flat=True))


def test_a_machine_goes_with_the_last_server_on_it_and_its_token_too() -> None:
    admin = save_user("ada", "correct horse battery", Role.ADMIN)
    first, second = on_pier("bookings"), on_pier("payments")
    store_host("pier-1", [host_figures(START)])
    store_host("pier-2", [host_figures(START)])
    token = make_token("pier-1", by=admin)
    remove(first, keep_data=False, by=admin)
    assert kept_of("pier-1") == [START], "another server is still on it"
    admit("pier-1", token, [])
    remove(second, keep_data=True, by=admin)
    assert kept_of("pier-1") == [START], "its past is kept"
    remove(second, keep_data=False, by=admin)
    assert (kept_of("pier-1"), kept_of("pier-2")) == ([], [START])
    with pytest.raises(NotAllowed):
        admit("pier-1", token, [])


def test_figures_of_a_machine_are_kept_as_long_as_the_server_keeps_them_that_keeps_them_longest() -> None:
    on_pier("bookings", machine_retention_days=30)
    on_pier("payments", machine_retention_days=400)
    ages = [START - days * MS_PER_DAY for days in (500, 399, 91, 89)]
    for machine in ("pier-1", "pier-0"):  # pier-0 was its name before
        store_host(machine, [host_figures(EpochMs(at)) for at in ages])
    keep_house(START)
    assert kept_of("pier-1") == ages[1:]
    assert kept_of("pier-0") == ages[3:], "as of a new server"
