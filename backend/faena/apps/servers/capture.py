"""How a server is captured: period, schedule, thresholds, retention, close watch; and what that costs it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import F

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.servers.clock import known_zone
from faena.apps.servers.models import Server, ServerNote
from faena.core.errors import BadInput
from faena.core.series.schedule import read_schedule
from faena.sources.postgres.log import THROUGH_SERVER

CLOSE_WATCH_MS = 100
MAX_CLOSE_MINUTES = 120
DEAR_SHARE = 0.01  # of a core, above which a choice wants a second yes
RETENTION_DAYS = (1, 3650)
RETENTIONS = (
    "sample_retention_days", "sum_retention_days", "counter_retention_days", "execution_retention_days",
    "machine_retention_days",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptureForm:
    """What can be set; `confirmed` says yes to a choice that costs more than DEAR_SHARE of a core."""

    period_ms: int
    slow_ms: int
    schedule: Sequence[Mapping[str, Any]]
    sample_retention_days: int
    sum_retention_days: int
    counter_retention_days: int
    machine_retention_days: int
    cores: int | None
    group: str
    storage: str
    machine: str
    time_zone: str
    execution_retention_days: int
    log: str
    fast_share: float
    keep_parameters: bool
    confirmed: bool = False

    def __post_init__(self) -> None:
        check_period(self.period_ms)
        if not 0 <= self.slow_ms <= 3_600_000:
            raise BadInput("the threshold lies between 0 and 3600000 ms", field="slow_ms")
        read_schedule(self.schedule)
        for name in RETENTIONS:
            if not RETENTION_DAYS[0] <= getattr(self, name) <= RETENTION_DAYS[1]:
                raise BadInput(f"days lie between {RETENTION_DAYS[0]} and {RETENTION_DAYS[1]}", field=name)
        if self.cores is not None and not 0 < self.cores <= 4096:
            raise BadInput(f"cores lie between 1 and 4096, not {self.cores}", field="cores")
        if not 0 <= self.fast_share <= 1:
            raise BadInput("the share of fast executions lies between 0 and 1", field="fast_share")
        check_log(self.log)
        known_zone(self.time_zone)
        for name in ("group", "storage", "machine"):
            if len(getattr(self, name)) > 80:
                raise BadInput("at most 80 characters", field=name)


def check_period(period_ms: int) -> None:
    """Raises BadInput. Periods fit into a second, or seconds into them, so that each second has its tick."""
    if not 100 <= period_ms <= 60_000:
        raise BadInput(f"the period lies between 100 and 60000 ms, not {period_ms}", field="period_ms")
    if 1000 % period_ms and period_ms % 1000:
        raise BadInput(f"{period_ms} ms is neither a whole part of a second nor whole seconds", field="period_ms")


def check_log(where: str) -> None:
    """Raises BadInput. Empty: not read; "server": through the server; else a path on the collector's machine."""
    if where and where != THROUGH_SERVER and (not where.startswith("/") or len(where) > 255):
        raise BadInput(
            "the log is named by its whole path, from / on, or read through the server, or not at all", field="log"
        )


def cost_share(sample_ms: float | None, period_ms: int) -> float | None:
    """Share of a core that sampling takes at most: as if the server worked for all of the time it takes to answer."""
    return None if sample_ms is None else sample_ms / period_ms


def set_capture(
    server: Server, form: CaptureForm, sample_ms: float | None, *, by: AbstractBaseUser | AnonymousUser
) -> Server:
    """Save; the collector takes it up within seconds. `sample_ms` as measured. Raises NotAllowed, BadInput."""
    require(by, Role.ADMIN, "change how a server is captured")
    _refuse_dear(sample_ms, form.period_ms, confirmed=form.confirmed)
    names = [name for name in CaptureForm.__dataclass_fields__ if name != "confirmed"]
    for name in names:
        setattr(server, name, getattr(form, name))
    before = {name: getattr(Server.objects.get(id=server.id), name) for name in names}
    server.revision += 1
    server.save(update_fields=[*names, "revision"])
    changed = [
        f"{name} {before[name]} -> {getattr(server, name)}" for name in names if before[name] != getattr(server, name)
    ]
    audit.record(by, "capture.changed", server=server.name, detail="; ".join(changed))
    return server


def _refuse_dear(sample_ms: float | None, period_ms: int, *, confirmed: bool) -> None:
    share = cost_share(sample_ms, period_ms)
    if share is not None and share > DEAR_SHARE and not confirmed:
        raise BadInput(
            f"a sample takes {sample_ms:.1f} ms, so every {period_ms} ms it would cost the server up to {share:.1%} of a "
            "core; confirm that this is wanted",
            field="confirmed",
        )


def watch_closely(
    server: Server, minutes: int, sample_ms: float | None, now_ms: int, *,
    confirmed: bool, by: AbstractBaseUser | AnonymousUser,
) -> Server:  # fmt: skip
    """Ten samples a second for so many minutes, then back by itself; 0 ends it now. Raises NotAllowed, BadInput."""
    require(by, Role.OPERATOR, "watch a server closely")
    if not 0 <= minutes <= MAX_CLOSE_MINUTES:
        raise BadInput(f"a close watch lasts 1 to {MAX_CLOSE_MINUTES} minutes, or 0 to end it", field="minutes")
    if minutes:
        _refuse_dear(sample_ms, CLOSE_WATCH_MS, confirmed=confirmed)
    detail = set_close_watch(server, minutes, now_ms, by=str(by))
    audit.record(by, "close_watch.begun" if minutes else "close_watch.ended", server=server.name, detail=detail)
    server.refresh_from_db()
    return server


def set_close_watch(server: Server, minutes: int, now_ms: int, *, by: str) -> str:
    """Write it down, with a note of it; returns what is told of it. `by`: a person, or the condition of an alert."""
    until = now_ms + minutes * 60_000 if minutes else 0
    Server.objects.filter(id=server.id).update(close_watch_until_ms=until, revision=F("revision") + 1)
    detail = f"ten samples a second for {minutes} min" if minutes else "ended"
    ServerNote.objects.bulk_create(
        [ServerNote(server_id=server.id, at_ms=now_ms, event="close_watch", detail=f"{detail}, by {by}")],
        ignore_conflicts=True,
    )
    return detail
