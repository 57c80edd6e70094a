"""Leads at the API with nothing in memory: the half hour of each planted incident, and the day around it.

    ./faena bench leads

The past is made as the demo makes it, if it is not there yet.
"""

import sys
import tomllib
from statistics import median
from time import perf_counter

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.core.management import call_command  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.samples import dictionary, hours, recent, sessions, usual  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.units import MS_PER_HOUR  # noqa: E402
from faena.launch.places import CHECKOUT  # noqa: E402
from faena.sources.simulated import read_incidents  # noqa: E402
from reporting import report, slowness  # noqa: E402

HALF_HOUR_MS, DAY_MS, TIMES = MS_PER_HOUR // 2, 24 * MS_PER_HOUR, 3
CACHES = (dictionary, hours, recent, sessions, usual)


def cold(client: Client, path: str) -> tuple[float, float]:
    """Milliseconds of a question at the reference pace, and by the clock: the median of some tries."""
    found = []
    for _ in range(TIMES):
        for one in CACHES:
            one.forget_caches()
        before, begun = slowness(), perf_counter()
        assert client.get(path).status_code == 200
        took = 1000 * (perf_counter() - begun)
        found.append((2 * took / (before + slowness()), took))
    return median(paced for paced, _ in found), median(took for _, took in found)


def main() -> None:
    """Reports the slowest of all, and prints each."""
    call_command("past", days=14, stdout=sys.stderr)
    settings.ALLOWED_HOSTS.append("testserver")
    client = Client()
    client.force_login(
        save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    servers = {one.name: one for one in Server.objects.all() if one.simulation}
    client.get(f"/api/v1/servers/{next(iter(servers.values())).pk}")  # the first request reads all of the application
    halves, days = dict[str, tuple[float, float]](), dict[str, tuple[float, float]]()
    for one in read_incidents(tomllib.loads((CHECKOUT / "demo" / "incidents.toml").read_text())):
        server = servers[one.server]
        start = next(one.spans(server.simulation["anchor"]))[0]
        path = f"/api/v1/servers/{server.pk}/leads?from={{}}&to={{}}"
        halves[one.name] = cold(client, path.format(start, start + HALF_HOUR_MS))
        days[one.name] = cold(client, path.format(start - DAY_MS // 2, start + DAY_MS // 2))
        print(f"{one.name}: {halves[one.name][1]:.0f} ms, its day {days[one.name][1]:.0f} ms", file=sys.stderr)
    for what, found, most in (("30 minutes", halves, 500), ("24 hours", days, 2000)):
        slowest = max(found, key=lambda name: found[name][0])
        usual_ms = median(paced for paced, _ in found.values())
        report(
            f"leads of {what} at the API, cold, the slowest of {len(found)} incidents", found[slowest][0], "ms", at_most=most,
            note=f"{slowest}; median of all {usual_ms:.0f}", clock=found[slowest][1],
        )  # fmt: skip


if __name__ == "__main__":
    main()
