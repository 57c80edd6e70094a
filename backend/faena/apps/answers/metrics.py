"""What Faena tells of itself and of the servers it watches, as families of figures for other tools."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from django.db.models import Count

from faena import __version__
from faena.apps.alerts.models import Firing
from faena.apps.answers.indicators import load_by_kind
from faena.apps.collecting.collectors import ALIVE_MS, all_collectors
from faena.apps.leads.models import LeadSpan
from faena.apps.servers import holdings, vitals
from faena.apps.servers.models import Server
from faena.core.series.window import Buckets
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.core.waits.kinds import WaitKind

MINUTE_MS = 60_000
LATE_MS = 5_000  # samples of so long ago have come in


@dataclass(slots=True)
class Family:
    """One figure with its values by labels. `unit` is a part of the name, "" for none."""

    name: str
    words: str
    labels: tuple[str, ...] = ()
    unit: str = ""
    values: list[tuple[tuple[str, ...], float]] = field(default_factory=list)


def families(now_ms: int) -> Iterator[Family]:
    """All of them; a figure that is not known is left out, not nought."""
    build = Family("faena_build", "Version of Faena.", ("version",))
    build.values.append(((__version__,), 1.0))
    yield build
    yield from _collectors(now_ms)
    yield from _servers(now_ms)


def _collectors(now_ms: int) -> Iterator[Family]:
    up = Family("faena_collector_up", "Whether the collector told of itself within the last minute.", ("collector",))
    waiting = Family("faena_readings_waiting", "Readings that are not stored yet.", ("collector",))
    dropped = Family(
        "faena_readings_dropped", "Readings that found no room, since the collector began.", ("collector",)
    )
    aside = Family("faena_records_put_aside", "Records that the store refused, since it began.", ("collector",))
    missed = Family("faena_samples_missed", "Samples that were not taken, since it began.", ("collector", "server"))
    ran = Family("faena_job_last_run_age_seconds", "Since a job ran last.", ("collector", "job"), "seconds")
    failed = Family("faena_job_failing", "Whether the job's last run failed.", ("collector", "job"))
    for one in all_collectors():
        told, holder = one.told, (one.holder,)
        up.values.append((holder, float(now_ms - one.seen <= ALIVE_MS)))
        for family, key in ((waiting, "readings_waiting"), (dropped, "readings_dropped"), (aside, "refused")):
            if key in told:
                family.values.append((holder, float(told[key])))
        for server in told.get("servers", {}).values():
            missed.values.append(((one.holder, server["name"]), float(server["missed"])))
        for job in told.get("jobs", ()):
            failed.values.append(((one.holder, job["name"]), float(bool(job["error"]))))
            if job["ran_at"] is not None:
                ran.values.append(((one.holder, job["name"]), (now_ms - job["ran_at"]) / 1000))
    yield from (up, waiting, dropped, aside, missed, ran, failed)


def _servers(now_ms: int) -> Iterator[Family]:
    age = Family("faena_sample_age_seconds", "Since the newest stored sample.", ("server",), "seconds")
    load = Family("faena_load_sessions", "Mean active sessions of the last minute.", ("server", "kind"), "sessions")
    cores = Family("faena_cores", "Cores of the server.", ("server",))
    blocked = Family(
        "faena_blocked_sessions", "Mean sessions that wait for locks, of the last minute.", ("server",), "sessions"
    )
    deadlocks = Family("faena_deadlocks_in_last_hour", "Deadlocks the server counted in the last hour.", ("server",))
    open_leads = Family(
        "faena_open_leads", "Leads that nobody handled or dismissed, seen in the last hour.", ("server",)
    )
    firing = Family("faena_alerts_firing", "Conditions that hold now.", ("server", "severity"))
    servers = list(Server.objects.filter(enabled=True))
    held, counted = holdings.read_all(), vitals.totals([one.pk for one in servers], now_ms - MS_PER_HOUR, now_ms)
    leads = _open_leads(now_ms)
    for server in servers:
        name = (server.name,)
        if server.pk in held:
            age.values.append((name, max(now_ms - held[server.pk].newest_ms, 0) / 1000))
        for kind, value in _load(server, now_ms).items():
            load.values.append(((server.name, kind), value))
            if kind == WaitKind.LOCK.value:
                blocked.values.append((name, value))
        if server.cores:
            cores.values.append((name, float(server.cores)))
        if server.pk in counted:
            deadlocks.values.append((name, counted[server.pk].deadlocks))
        open_leads.values.append((name, float(leads.get(server.pk, 0))))
    rows = Firing.objects.filter(over_ms=None).values_list("server__name", "condition__severity")
    firing.values += [((name, severity), float(n)) for name, severity, n in rows.annotate(n=Count("*")).order_by()]
    yield from (age, load, cores, blocked, deadlocks, open_leads, firing)


def _load(server: Server, now_ms: int) -> dict[str, float]:
    """By kind over the last whole minute; nothing where it was not sampled."""
    end = (now_ms - LATE_MS) // MINUTE_MS * MINUTE_MS
    answer = load_by_kind(server, Buckets(start=EpochMs(end - MINUTE_MS), width_ms=MINUTE_MS, count=1), now=now_ms)
    if not answer.series.ticks[0]:
        return {}
    found = dict.fromkeys((WaitKind.RUNNING.value, WaitKind.LOCK.value), 0.0)
    return found | {
        name: float(row[0]) for name, row in zip(answer.series.groups, answer.series.sessions(), strict=True)
    }


def _open_leads(now_ms: int) -> dict[int, int]:
    rows = LeadSpan.objects.filter(end_ms__gte=now_ms - MS_PER_HOUR, lead__state="open")
    return dict(rows.values_list("lead__server_id").annotate(n=Count("lead", distinct=True)).order_by())
