"""Several collectors share the servers; one that is killed is replaced, and no sample is doubled. Real processes."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from django.conf import settings
from django.db import connection
from faena.apps.collecting.estate import make_servers
from faena.apps.samples.models import OpenSample, Tick
from faena.apps.servers.models import Server
from patience import wait_for

pytestmark = pytest.mark.django_db(transaction=True)
BACKEND = Path(__file__).parents[2]


def collector(state: Path) -> subprocess.Popen[bytes]:
    """A collector of its own on the test database."""
    environment = {
        **os.environ,
        "FAENA_STATE_DIR": str(state),
        "FAENA_SECRET_FILE": str(settings.ENVIRONMENT.secret_file),
        "FAENA_STORE_DATABASE": str(connection.settings_dict["NAME"]),
    }
    state.mkdir()
    with (state / "log").open("wb") as log:
        return subprocess.Popen(
            [sys.executable, "-m", "django", "collect"], cwd=BACKEND, env=environment, stdout=log, stderr=log
        )


def newest(server: Server) -> int:
    return Tick.objects.filter(server=server).order_by("-at_ms").values_list("at_ms", flat=True).first() or 0


def test_a_killed_collector_is_replaced_within_fifteen_seconds(tmp_path: Path) -> None:
    servers = make_servers(int(time.time() * 1000))
    running = {str(tmp_path / name): collector(tmp_path / name) for name in ("one", "two")}
    try:
        wait_for(lambda: all(newest(server) for server in servers), "first samples of every server")
        holders = set(Server.objects.values_list("lease_holder", flat=True))
        holder = next(iter(holders))
        victims = [s for s in Server.objects.all() if s.lease_holder == holder]
        state = holder.split(":", 1)[1].removesuffix("/collector")
        running[state].send_signal(signal.SIGKILL)
        killed = int(time.time() * 1000)
        for server in victims:
            wait_for(lambda s=server: newest(s) > killed + 3000, f"samples of {server.name} by the other")
        for server in Server.objects.filter(id__in=[v.id for v in victims]):
            assert server.lease_holder != holder
            later = Tick.objects.filter(server=server, at_ms__gt=killed).order_by("at_ms").first()
            assert later is not None
            assert later.at_ms - killed <= 15_000
            ticks = list(Tick.objects.filter(server=server).values_list("at_ms", flat=True))
            assert len(ticks) == len(set(ticks))
            assert all(at % 1000 == 0 for at in ticks)
            rows = OpenSample.objects.filter(server=server).values_list("at_ms", "pid")
            assert len(rows) == len(set(rows))
    finally:
        for process in running.values():
            process.terminate()
        for process in running.values():
            process.wait(20)
