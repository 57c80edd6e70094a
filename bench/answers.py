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
from faena.apps.samples import packing  # noqa: E402
from faena.apps.samples.closing import PER_TICK, put_hours  # noqa: E402
from faena.apps.samples.dictionary import read_dictionary  # noqa: E402
from faena.apps.samples.hours import read_frame  # noqa: E402
from faena.apps.samples.models import Chunk  # noqa: E402
from faena.apps.samples.rows import OPEN_COLUMNS  # noqa: E402
from faena.apps.servers.models import Holdings, Server  # noqa: E402
from faena.core.sampling.dimensions import Dimension  # noqa: E402
from faena.core.sampling.load import count_codes, load_by, rank  # noqa: E402
from faena.core.sampling.rollup import unit_for  # noqa: E402
from faena.core.series.window import Window, cut  # noqa: E402
from faena.core.units import MS_PER_HOUR, EpochMs  # noqa: E402
from filling import filled  # noqa: E402
from reporting import report, timed  # noqa: E402

COLUMNS = (*PER_TICK, "tick", *OPEN_COLUMNS[1:])
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


def lengthen(server: Server, end: int, days: int) -> None:
    """The same day again and again before itself, so that a fortnight is there within seconds."""
    begun = time.perf_counter()
    day = 24 * MS_PER_HOUR
    hours = Chunk.objects.filter(server=server, hour_ms__gte=end - day).order_by("hour_ms")
    known = {row.hour_ms: {name: packing.unpack(getattr(row, name)) for name in COLUMNS} for row in hours}
    for back in range(1, days):
        put_hours(
            server.id,
            {hour - back * day: {**c, "tick_ms": c["tick_ms"] - back * day} for hour, c in known.items()},
        )
    Holdings.objects.filter(server=server).update(first_ms=end - days * day)
    print(f"lengthened to {days} d in {time.perf_counter() - begun:.0f} s", flush=True)


def measure(server: Server, end: int, hours: int, budget: float) -> None:
    window = Window(start=EpochMs(end - hours * MS_PER_HOUR), end=EpochMs(end))
    client = Client()
    client.force_login(
        save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    span = f"from={window.start}&to={window.end}"
    columns = "".join(f"&dimension={d}" for d in DIMENSIONS)
    buckets = cut(window, at_most=300)
    frame, dictionary = (
        read_frame(server.id, window, unit_ms=unit_for(window, buckets.width_ms)),
        read_dictionary(server.id),
    )

    def sieve_floor() -> None:
        counts = count_codes(frame, dictionary)
        for dimension in DIMENSIONS:
            rank(counts, frame.ticks, dictionary, dimension)

    floors = {
        "load": timed(lambda: load_by(frame, buckets, dictionary, Dimension.KIND)).median,
        "sieve": timed(sieve_floor).median,
    }
    for picks, query in enumerate(PICKS):
        for name, path in (("load", f"load?{span}&buckets=300"), ("sieve", f"sieve?{span}{columns}&rows=10")):
            url = f"/api/v1/servers/{server.id}/{path}{query}"
            assert client.get(url).status_code == 200
            median, p95, clock = timed(lambda url=url: client.get(url))
            note = f"median {median:.1f}, {median / floors[name]:.1f}x the floor of {floors[name]:.1f}"
            report(
                f"{name}, {hours} h, {picks} picks, p95 at the API", p95, "ms", at_most=budget, note=note, clock=clock
            )


def measure_rest(server: Server, end: int, hours: int) -> None:
    """What the load picture asks for beside load, and blocking."""
    client = Client()
    client.force_login(
        save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    span = f"from={end - hours * MS_PER_HOUR}&to={end}"
    for name, path, budget in (
        ("load with what is usual", f"load?{span}&buckets=300&usual=true", 200),
        ("blocking", f"blocking?{span}", 300),
    ):
        url = f"/api/v1/servers/{server.id}/{path}"
        assert client.get(url).status_code == 200
        median, p95, clock = timed(lambda url=url: client.get(url))
        report(
            f"{name}, {hours} h, p95 at the API", p95, "ms", at_most=budget, note=f"median {median:.1f}", clock=clock
        )


def sizes() -> None:
    with connection.cursor() as cursor:
        cursor.execute("VACUUM FULL samples_chunk")
        cursor.execute("SELECT pg_total_relation_size('samples_chunk'), count(*), sum(samples) FROM samples_chunk")
        size, hours, samples = cursor.fetchone()
    report(
        "store, a day of closed hours at 12 active sessions",
        size / hours * 24 / 1e6,
        "MB",
        at_most=8,
        note=f"{size / samples:.1f} bytes a sample",
    )


server, end = filled("bench", 24)
measure(server, end, 1, 30)
measure(server, end, 24, 60)
sizes()
lengthen(server, end, 14)
measure_rest(server, end, 24)
measure_rest(server, end, 14 * 24)
measure(server, end, 14 * 24, 200)
Path(settings.ENVIRONMENT.state_dir / "bench-server").write_text(f"{server.id} {end}")
