"""Where a server may lie, whom its password goes to, and how many may ask it at once."""

import socket
import threading
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path

import pytest
from django.conf import settings
from faena.apps.accounts.models import User
from faena.apps.accounts.roles import Role
from faena.apps.servers import asking
from faena.apps.servers.actions import ServerForm, change, check, save_server
from faena.apps.servers.reach import check_host, check_passfile
from faena.core.errors import BadInput, Busy
from patience import PATIENCE_S


@pytest.fixture
def outside(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """Configured as for a machine of its own: nothing on loopback, one network; the folder of password files."""
    folder = tmp_path / "passfiles"
    folder.mkdir()
    told = replace(
        settings.ENVIRONMENT,
        watch_loopback=False,
        watch_networks=("10.1.0.0/16", "fd00::/64"),
        passfile_folders=(str(folder),),
    )
    monkeypatch.setattr(settings, "ENVIRONMENT", told)
    return folder


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1", "localhost", "127.8.8.8", "2130706433", "0x7f000001", "127.1", "0", "0.0.0.0", "::1", "::ffff:127.0.0.1",
        "169.254.169.254", "fe80::1", "224.0.0.1", "10.2.0.1", "192.168.0.1", "/var/run/postgresql", "@hidden", "::ffff:10.2.0.1",
    ],
)  # fmt: skip
def test_a_host_that_is_not_ours_to_reach_is_refused_in_the_same_words(outside: Path, host: str) -> None:
    with pytest.raises(BadInput, match="lies where Faena may not connect to") as refused:
        check_host(host)
    assert refused.value.field == "host"


def test_a_host_of_a_configured_network_may_be_reached(outside: Path) -> None:
    assert check_host("10.1.200.3") == "10.1.200.3"
    assert check_host("fd00::5") == "fd00::5"


def test_a_password_file_lies_in_a_configured_folder_links_followed(outside: Path, tmp_path: Path) -> None:
    secret = tmp_path / "elsewhere"
    secret.write_text("*:*:*:*:x")
    (outside / "link").symlink_to(secret)
    (outside / "own").write_text("*:*:*:*:x")
    check_passfile(str(outside / "own"))
    for path in (str(secret), str(outside / "link"), f"{outside}/../elsewhere", str(outside), "/etc/passwd"):
        with pytest.raises(BadInput) as refused:
            check_passfile(path)
        assert refused.value.field == "passfile"


@pytest.fixture
def listener() -> Iterator[tuple[int, list[bytes]]]:
    """Somebody else's machine: its port, and what was sent to it."""
    heard: list[bytes] = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(0.2)
        stop = threading.Event()

        def listen() -> None:
            while not stop.is_set():
                try:
                    connection, _ = server.accept()
                except TimeoutError:
                    continue
                with connection:
                    connection.settimeout(1)
                    heard.append(connection.recv(4096))

        thread = threading.Thread(target=listen)
        thread.start()
        try:
            yield server.getsockname()[1], heard
        finally:
            stop.set()
            thread.join()


@pytest.mark.django_db
def test_a_kept_password_is_not_sent_to_another_host(listener: tuple[int, list[bytes]]) -> None:
    port, heard = listener
    admin = User.objects.create(username="admin", role=Role.ADMIN)
    server = save_server(ServerForm(name="watched", host="127.0.0.1", port=5499, password="hush"))
    for moved in (
        ServerForm(name="watched", host="127.0.0.1", port=port),
        ServerForm(name="watched", host="127.0.0.1", port=5499, username="other"),
        ServerForm(name="watched", host="", service="elsewhere"),
    ):
        with pytest.raises(BadInput, match="enter the password again"):
            change(server, moved, password_kept=True, by=admin)
    assert heard == []


@pytest.mark.django_db
def test_to_a_host_elsewhere_the_connection_has_to_be_proven() -> None:
    """Nothing less than the host's certificate, unless somebody chose less; on loopback nobody stands in between."""
    assert save_server(ServerForm(name="far", host="192.0.2.5")).sslmode == "verify-full"
    assert save_server(ServerForm(name="chosen", host="192.0.2.5", sslmode="require")).sslmode == "require"
    assert save_server(ServerForm(name="near", host="127.0.0.1")).sslmode == "prefer"


@pytest.mark.django_db
def test_a_server_without_tls_gets_no_password_in_the_clear(
    listener: tuple[int, list[bytes]], monkeypatch: pytest.MonkeyPatch
) -> None:
    port, heard = listener
    monkeypatch.setattr(settings, "ENVIRONMENT", replace(settings.ENVIRONMENT, watch_loopback=True))
    admin = User.objects.create(username="admin", role=Role.ADMIN)
    form = ServerForm(name="far", host="127.0.0.1", port=port, password="hush", sslmode="verify-full")
    told = check(form, by=admin)
    assert not told[0].ok
    assert heard
    assert b"hush" not in b"".join(heard)
    assert b"faena" not in b"".join(heard), "not even the user is told before the certificate"


@pytest.fixture
def impatient(monkeypatch: pytest.MonkeyPatch) -> asking.Turns:
    monkeypatch.setattr(asking, "PATIENCE_S", 0.2)
    return asking.Turns()


def test_nobody_keeps_all_askings_to_himself(impatient: asking.Turns) -> None:
    with ExitStack() as held:
        for server in range(asking.PER_PERSON):
            held.enter_context(impatient.taken(server, 1))
        with pytest.raises(Busy, match="2 of your own askings are under way"), impatient.taken(9, 1):
            pass
        with impatient.taken(9, 2):
            pass
    with impatient.taken(9, 1):
        pass
    assert impatient.waiting == 0


def test_one_server_is_not_asked_by_all_at_once(impatient: asking.Turns) -> None:
    with ExitStack() as held:
        for person in range(asking.PER_SERVER):
            held.enter_context(impatient.taken(1, person))
        with pytest.raises(Busy, match="2 askings of this server are under way"), impatient.taken(1, 77):
            pass


def test_who_waits_for_a_turn_is_counted_and_too_many_are_sent_away(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(asking, "MOST_WAITING", 3)
    turns = asking.Turns()
    served: list[int] = []

    def wait(person: int) -> None:
        with turns.taken(1, person):
            served.append(person)

    with ExitStack() as held:
        for person in range(asking.PER_SERVER):
            held.enter_context(turns.taken(1, person))
        waiting = [threading.Thread(target=wait, args=[10 + n]) for n in range(3)]
        for one in waiting:
            one.start()
        while turns.waiting < 3:
            threading.Event().wait(0.01)
        with pytest.raises(Busy, match="3 askings wait for their turn already") as busy, turns.taken(1, 99):
            pass
        assert busy.value.after_s == 10
    for one in waiting:
        one.join(PATIENCE_S)
    assert sorted(served) == [10, 11, 12]
