"""The one command: processes by id, ports, stamps, clusters of its own, and clear sentences when something is wrong."""

import os
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from faena.launch import demo, places, setup
from faena.launch.__main__ import FORWARDED, parser, read
from faena.launch.cluster import STORE_SETTINGS, Cluster
from faena.launch.installation import Installation, remove
from faena.launch.places import CHECKOUT, Place
from faena.launch.processes import Register, Running, port_is_free, start_of
from faena.launch.words import Trouble
from patience import wait_for


@pytest.fixture
def place(tmp_path: Path) -> Place:
    return Place(root=tmp_path / "place", web_port=8741, store_port=24741, ferry_port=24742)


@pytest.fixture
def register(place: Place) -> Register:
    return Register(place.run)


def sleeper(
    register: Register, place: Place, name: str = "sleeper", code: str = "import time; time.sleep(60)"
) -> Running:
    return register.start(name, [sys.executable, "-c", code], log=place.logs / f"{name}.log")


def test_a_child_is_found_and_stopped_by_another_process(register: Register, place: Place) -> None:
    one = sleeper(register, place)
    other = Register(place.run)
    assert other.get("sleeper") == one
    other.stop(one)
    assert not one.alive()
    assert other.known() == []


def test_a_reused_pid_is_never_stopped(register: Register, place: Place) -> None:
    """A stale entry whose pid now belongs to somebody else: here, to this very test."""
    stranger = Running(name="stranger", pid=os.getpid(), started=(start_of(os.getpid()) or 0) + 1)
    assert not stranger.alive()
    place.run.mkdir(parents=True)
    register.stop(stranger)  # would end this test otherwise
    assert register.get("stranger") is None


def test_a_child_that_does_not_listen_is_ended_all_the_same(
    register: Register, place: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("faena.launch.processes.STOP_WAIT_S", 0.5)
    deaf = (
        "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print('deaf', flush=True); time.sleep(60)"
    )
    one = sleeper(register, place, code=deaf)
    wait_for(lambda: "deaf" in (place.logs / "sleeper.log").read_text(), "its handler is there")
    register.stop(one)
    assert not one.alive()


def test_children_that_end_by_themselves_are_named(register: Register, place: Place) -> None:
    sleeper(register, place, "short", "print('my last words')")
    wait_for(register.ended, "it ends")
    assert register.ended() == ["short"]
    installation = Installation(place)
    with pytest.raises(Trouble, match="short ended by itself: my last words"):
        installation.explain_end("short")


def test_a_damaged_entry_is_dropped(register: Register, place: Place) -> None:
    place.run.mkdir(parents=True)
    (place.run / "broken.json").write_text("{half")
    assert register.known() == []
    assert register.stop_all() == []


def test_everything_is_stopped_last_started_first(register: Register, place: Place) -> None:
    for name in ("a", "b", "c"):
        sleeper(register, place, name)
        time.sleep(0.02)
    assert register.stop_all(but="a") == ["c", "b"]
    assert register.stop_all() == ["a"]


def test_a_taken_port_is_a_clear_sentence(place: Place) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", place.store_port))
        other.listen()
        assert not port_is_free(place.store_port)
        with pytest.raises(Trouble, match=r"port 24741 is taken, and the store needs it\. Set FAENA_STORE_PORT"):
            Installation(place).check_ports()
    assert port_is_free(place.store_port)


def test_a_port_that_an_outgoing_connection_holds_is_waited_for() -> None:
    """It was given out for that: nobody listens there, and it cannot be bound until the connection is gone."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        client = socket.create_connection(server.getsockname())
        client.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))  # gone at once when closed
        port = client.getsockname()[1]
        assert not port_is_free(port, patience_s=0.0)
        threading.Timer(0.7, client.close).start()
        assert port_is_free(port, patience_s=20.0)


def test_a_second_start_is_refused(place: Place, register: Register) -> None:
    register.adopt_self("demo")
    with pytest.raises(Trouble, match="running already"):
        demo.start(rota=False, place=place)


def test_a_half_made_cluster_is_made_anew_and_runs_as_nobody_special(place: Place, register: Register) -> None:
    place.root.mkdir()
    cluster = Cluster(name="store", port=place.store_port, place=place, settings={**STORE_SETTINGS, "fsync": "off"})
    (cluster.data / "half").mkdir(parents=True)  # a set-up that was broken off
    try:
        cluster.make()
        assert not (cluster.data / "half").exists()
        running = cluster.start(register)
        assert cluster.start(register) == running, "starting twice is starting once"
        cluster.ensure_database("faena", "faena", "secret")
        cluster.ensure_database("faena", "faena", "other")
        assert cluster.run_sql("SELECT current_setting('listen_addresses')") == "127.0.0.1"
        with pytest.raises(Trouble, match="syntax error"):
            cluster.run_sql("SELEKT 1")
        assert Path(f"/proc/{running.pid}").stat().st_uid != 0
        os.kill(running.pid, signal.SIGKILL)  # a crash leaves its own stale pid file behind
        time.sleep(0.5)
        register.forget("store")
        cluster.start(register)
        assert cluster.answers()
    finally:
        register.stop_all()
        remove(place)
    assert not place.root.exists()


def test_a_folder_that_the_clusters_user_may_not_enter_is_avoided(place: Place) -> None:
    if places.cluster_account() is None:
        pytest.skip("clusters run as ourselves here")  # not root: nothing to avoid
    place.root.mkdir(mode=0o700)
    folder = places.cluster_folder(place)
    assert place.clusters.is_symlink()
    assert folder.parent == Path("/var/tmp")
    remove(place)
    assert not folder.exists()


def test_too_little_disk_is_said_before_anything_is_done(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(setup, "NEEDED_MB", 10**9)
    with pytest.raises(Trouble, match=r"MB free; 1000000000 MB are needed"):
        setup.for_running()


def test_a_step_that_fails_says_what_to_do() -> None:
    with pytest.raises(Trouble, match=r"(?s)test failed.*no such thing.*ask Ada.*setup-test\.log"):
        setup.run([sys.executable, "-c", "import sys; sys.exit('no such thing')"], "test", "ask Ada.")


def test_an_environment_whose_making_was_broken_off_is_made_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its Python is there first, and pip last."""
    venv = tmp_path / "venv"
    for name, path in {"VENV": venv, "PYTHON": venv / "bin" / "python", "STAMPS": tmp_path / "stamps"}.items():
        monkeypatch.setattr(setup, name, path)
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(venv)], check=True)
    setup._python()
    assert subprocess.run([venv / "bin" / "python", "-m", "pip", "--version"], capture_output=True).returncode == 0
    (venv / "kept").touch()
    setup._python()
    assert (venv / "kept").exists()


def test_stamps_follow_their_files(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(setup, "STAMPS", tmp_path / "stamps")
    lock = tmp_path / "lock"
    lock.write_text("1")
    setup.stamp("part", setup.fingerprint([lock]))
    assert setup.stamped("part", setup.fingerprint([lock]))
    lock.write_text("2")
    assert not setup.stamped("part", setup.fingerprint([lock]))


def test_an_unknown_trouble_names_the_known_ones() -> None:
    with pytest.raises(Trouble, match="there are: idle-console, missing-index"):
        demo.trouble("start", "boredom")


@pytest.mark.parametrize(
    "words", [["demo"], ["demo", "--no-rota"], ["demo", "trouble", "list"], ["status"], ["test", "core"]]
)
def test_the_command_line(words: list[str]) -> None:
    assert parser().parse_args(words).command == words[0]


@pytest.mark.parametrize("name", [name for name, _ in FORWARDED])
def test_options_of_a_forwarded_command_are_left_to_it_also_when_they_come_first(name: str) -> None:
    """On a machine without set-up `chains --dsn …` came through here, and was refused as unknown."""
    given = [name, "--dsn", "host=quay", "--help", "file"]
    assert read(given).rest == given[1:]
    assert read(given).command == name


def test_help_works_without_anything_installed() -> None:
    """The launcher needs no package, so that it can install them: -I and -S leave nothing but the standard library."""
    script = f"import sys; sys.path.insert(0, {str(CHECKOUT / 'backend')!r}); import faena.launch.__main__"
    ended = subprocess.run([sys.executable, "-I", "-S", "-c", script], capture_output=True, text=True)
    assert ended.returncode == 0, ended.stderr
    shown = subprocess.run([str(CHECKOUT / "faena"), "demo", "--help"], capture_output=True, text=True)
    assert "--no-rota" in shown.stdout
