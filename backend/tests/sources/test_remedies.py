"""Every remedy that Faena prints for a server, run as a DBA pastes it, on servers that have the gap.

A server is made for each state; FAENA_TEST_SERVERS can name the program folders of further versions, one after the
other with colons between.
"""

import asyncio
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from faena.core.engines.inquiry import CheckStep
from faena.core.engines.postgres.logneeds import LogNeed, log_needs
from faena.core.engines.postgres.telling import RESTART
from faena.core.errors import SourceError
from faena.core.logged import CaptureRules
from faena.core.units import EpochMs
from faena.launch import cluster as clusters
from faena.launch.checks import FAST
from faena.launch.cluster import Cluster
from faena.launch.places import Place
from faena.launch.processes import Register
from faena.sources.postgres import PostgresSource, Target, check_connection

FURTHER = [Path(one) for one in os.environ.get("FAENA_TEST_SERVERS", "").split(":") if one]
PORT = int(os.environ.get("FAENA_TEST_GAPS_PORT", "24739"))
ROLE = 'night "watch"'
RULES = CaptureRules(slow_ms=100, fast_share=0.01)
LOADED = {
    "nothing": "",
    "another": "auto_explain",
    "several": "auto_explain, auth_delay",
    "by its path": '"$libdir/auto_explain"',
}


class Server:
    """A server of its own, that can be told things as in psql and started anew."""

    def __init__(self, root: Path, programs: Path, preload: str) -> None:
        place = Place(root=root, web_port=0, store_port=0, ferry_port=PORT)
        gaps = {**FAST, "compute_query_id": "off", "max_connections": "20", "autovacuum": "off"}
        told = subprocess.run([programs / "postgres", "--version"], capture_output=True, text=True, check=True).stdout
        if int(told.split()[2].split(".")[0]) < 14:
            del gaps["compute_query_id"]
        self._cluster = Cluster(name="gaps", port=PORT, place=place, settings=gaps)
        self._register = Register(place.run)
        self._cluster.make()
        # As a DBA has it: in the file that ALTER SYSTEM goes before, which the launcher's settings do not.
        conf = self._cluster.data / "postgresql.conf"
        conf.write_text(conf.read_text() + f"\nshared_preload_libraries = '{preload}'\n")
        self._running = self._cluster.start(self._register)
        self._settings = self._cluster.data / "faena.conf"

    def run(self, remedy: str) -> None:
        """Line after line, with a restart where one is asked for."""
        before, restart, after = remedy.partition(RESTART)
        self.tell(before)
        if restart:
            self.restart()
            self.run(after)

    def tell(self, sql: str) -> str:
        return self._cluster.run_sql(sql)

    def restart(self) -> None:
        self.stop()
        self._running = self._cluster.start(self._register)

    def stop(self) -> None:
        self._register.stop(self._running)


@pytest.fixture(params=[clusters.POSTGRES_BIN, *FURTHER], ids=str)
def programs(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(clusters, "POSTGRES_BIN", request.param)
    folder: Path = request.param
    return folder


@pytest.fixture(params=LOADED)
def server(request: pytest.FixtureRequest, programs: Path) -> Iterator[Server]:
    root = Path(tempfile.mkdtemp(prefix="faena-gaps-"))
    root.chmod(0o755)
    made = Server(root, programs, LOADED[request.param])
    try:
        yield made
    finally:
        made.stop()
        shutil.rmtree(root, ignore_errors=True)


def reached(password: str = "choose-one") -> Target:
    return Target(host="127.0.0.1", port=PORT, database="postgres", user=ROLE, password=password)


def gaps() -> list[CheckStep]:
    return [step for step in asyncio.run(check_connection(reached())) if not step.ok]


def facts() -> tuple[int, dict[str, str]]:
    async def ask() -> tuple[int, dict[str, str]]:
        source = PostgresSource(reached())
        try:
            told = await source.connect()
            return told.version, dict(told.settings)
        finally:
            await source.close()

    return asyncio.run(ask())


def needs() -> list[LogNeed]:
    version, settings = facts()
    return [one for one in log_needs(settings, version, RULES, None) if not one.ok and one.remedy]


def test_what_is_printed_for_a_gap_closes_it(server: Server) -> None:
    named = ROLE.replace('"', '""')
    server.tell(f"CREATE ROLE \"{named}\" LOGIN PASSWORD 'choose-one'")
    before = server.tell("SHOW shared_preload_libraries")
    blind = {step.name: step for step in gaps()}
    assert {"may see sessions", "statement counters", "I/O timing"} <= set(blind)
    server.run(blind["may see sessions"].remedy)
    server.tell(f'GRANT pg_read_all_settings TO "{named}"')
    while found := gaps():
        server.run(found[0].remedy)
        assert found[0].name not in [step.name for step in gaps()], "the gap is gone"
    while lacking := needs():
        server.run(lacking[0].remedy)
        assert lacking[0].name not in [one.name for one in needs()], "the gap is gone"
    now = server.tell("SHOW shared_preload_libraries")
    assert all(one.strip() in now for one in before.split(",")), "what was loaded is loaded"
    assert "pg_stat_statements" in now
    assert "auto_explain" in now


@pytest.mark.parametrize("server", ["nothing", "another"], indirect=True)
def test_two_remedies_one_after_the_other_do_not_undo_each_other(server: Server) -> None:
    named = ROLE.replace('"', '""')
    server.tell(f'CREATE ROLE "{named}" LOGIN PASSWORD \'choose-one\'; GRANT pg_monitor TO "{named}"')
    (counters,) = [step for step in gaps() if step.name == "statement counters"]
    before_restart, _, after = counters.remedy.partition(RESTART)
    server.tell(before_restart)
    waiting = [one.remedy for one in needs() if one.name == "their plans"]
    assert not [one for one in waiting if "SET shared_preload_libraries" in one], "it would drop what the first has set"
    server.restart()
    server.tell(after)
    for one in [one for one in needs() if one.name == "their plans"]:
        server.run(one.remedy)
    assert not [step for step in gaps() if step.name == "statement counters"]
    assert "their plans" not in [one.name for one in needs()]


@pytest.mark.parametrize("server", ["nothing"], indirect=True)
def test_a_refusal_for_want_of_rights_names_the_grant_that_ends_it(server: Server) -> None:
    named = ROLE.replace('"', '""')
    server.tell(f"CREATE ROLE \"{named}\" LOGIN PASSWORD 'choose-one'")
    with pytest.raises(SourceError) as caught:
        facts()
    server.run(caught.value.remedy)
    facts()
    server.run("ALTER SYSTEM SET logging_collector = on;\n" + RESTART)
    with pytest.raises(SourceError, match="its log is not ours to read") as caught:
        asyncio.run(read_log())
    server.run(caught.value.remedy)
    asyncio.run(read_log())


async def read_log() -> None:
    source = PostgresSource(replace(reached(), log="server"))
    try:
        await source.connect()
        assert await source.log(EpochMs(0), None, RULES) is not None
    finally:
        await source.close()
