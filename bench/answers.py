"""Load and sieve at the API over 1 h and 24 h of 12 active sessions, against the same arithmetic in memory."""

import time
from pathlib import Path

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.samples.actions import Codebook, store_ticks  # noqa: E402
from faena.apps.samples.closing import close_hours  # noqa: E402
from faena.apps.samples.dictionary import read_dictionary  # noqa: E402
from faena.apps.samples.hours import read_frame  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.readings import SampleReading  # noqa: E402
from faena.core.sampling.dimensions import Dimension  # noqa: E402
from faena.core.sampling.load import count_codes, load_by, rank  # noqa: E402
from faena.core.series.window import Window, cut  # noqa: E402
from faena.core.units import MS_PER_HOUR, EpochMs, Millis  # noqa: E402
from faena.testing.steady import SteadySource  # noqa: E402
from reporting import report, timed  # noqa: E402

settings.ALLOWED_HOSTS.append("testserver")
DIMENSIONS = [
    Dimension.WAIT,
    Dimension.STATEMENT,
    Dimension.PROGRAM,
    Dimension.HELD_BY,
    Dimension.CLIENT,
    Dimension.USER,
]
PICKS = ["", "&pick=program:booking-web", "&pick=program:booking-web&pick=!kind:lock"]


def fill(hours: int) -> tuple[Server, int]:
    """A server with so many hours of samples up to now; the last one open, all others closed."""
    Server.objects.filter(name="bench").delete()
    server = Server.objects.create(name="bench", enabled=False, cores=4)
    source, codebook = SteadySource(seed=1, mean_sessions=12, combinations=800), Codebook(server.id)
    end = int(time.time() * 1000) // 1000 * 1000
    begun = time.perf_counter()
    for start in range(end - hours * MS_PER_HOUR, end, 300_000):
        dues = [EpochMs(at) for at in range(start, start + 300_000, 1000)]
        readings = [SampleReading(due=due, took=Millis(0.5), sessions=source.sessions_at(due)) for due in dues]
        store_ticks(server.id, [(reading, 0) for reading in readings], codebook)
    print(f"filled {hours} h in {time.perf_counter() - begun:.0f} s", flush=True)
    begun = time.perf_counter()
    closed = close_hours(server.id, end)
    print(f"closed {closed} hours in {time.perf_counter() - begun:.1f} s", flush=True)
    return server, end


def measure(server: Server, end: int, hours: int, budget: float) -> None:
    window = Window(start=EpochMs(end - hours * MS_PER_HOUR), end=EpochMs(end))
    client = Client()
    client.force_login(
        save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    span = f"from={window.start}&to={window.end}"
    columns = "".join(f"&dimension={d}" for d in DIMENSIONS)
    frame, dictionary = read_frame(server.id, window), read_dictionary(server.id)
    buckets = cut(window, at_most=300)

    def sieve_floor() -> None:
        counts = count_codes(frame, dictionary)
        for dimension in DIMENSIONS:
            rank(counts, len(frame.tick_ms), dictionary, dimension)

    floors = {
        "load": timed(lambda: load_by(frame, buckets, dictionary, Dimension.KIND))[0],
        "sieve": timed(sieve_floor)[0],
    }
    for picks, query in enumerate(PICKS):
        for name, path in (("load", f"load?{span}&buckets=300"), ("sieve", f"sieve?{span}{columns}&rows=10")):
            url = f"/api/v1/servers/{server.id}/{path}{query}"
            assert client.get(url).status_code == 200
            median, p95 = timed(lambda url=url: client.get(url))
            note = f"median {median:.1f}, {median / floors[name]:.1f}x the floor of {floors[name]:.1f}"
            report(f"{name}, {hours} h, {picks} picks, p95 at the API", p95, "ms", at_most=budget, note=note)


def sizes(server: Server) -> None:
    with connection.cursor() as cursor:
        cursor.execute("VACUUM FULL samples_chunk")
        cursor.execute(
            "SELECT pg_total_relation_size('samples_chunk'), count(*), sum(samples) FROM samples_chunk WHERE server_id = %s",
            [server.id],
        )
        size, hours, samples = cursor.fetchone()
    report(
        "store, a day of closed hours at 12 active sessions",
        size / hours * 24 / 1e6,
        "MB",
        at_most=8,
        note=f"{size / samples:.1f} bytes a sample",
    )


server, end = fill(24)
measure(server, end, 1, 30)
measure(server, end, 24, 60)
sizes(server)
Path(settings.ENVIRONMENT.state_dir / "bench-server").write_text(f"{server.id} {end}")
