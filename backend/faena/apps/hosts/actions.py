"""Writing figures of machines."""

import hashlib
import re
import secrets
from collections.abc import Iterable, Sequence
from dataclasses import asdict

import orjson
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import Max
from django.utils import timezone

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.bulk import copy_rows
from faena.apps.hosts.models import HostReading, HostToken, TableWork
from faena.apps.servers.models import Server
from faena.core.errors import BadInput, NotAllowed
from faena.core.readings import HostFigures, Survey, TableFigures
from faena.core.units import MS_PER_DAY, EpochMs


def store_host(machine: str, readings: Iterable[HostFigures]) -> None:
    """Store readings; one already stored is left as it is."""
    rows = []
    for one in readings:
        figures = asdict(one)
        rows.append(HostReading(machine=machine, at_ms=figures.pop("at"), **figures))
    HostReading.objects.bulk_create(rows, ignore_conflicts=True)


MAX_COVERS_MS = 3_600_000
_FIELDS = tuple(name for name in HostFigures.__dataclass_fields__ if name not in ("at", "processes"))


def copy_host(machine: str, readings: Iterable[HostFigures]) -> None:
    """As `store_host`, for readings that are known to be new."""
    rows = (
        (machine, one.at, *(getattr(one, name) for name in _FIELDS), orjson.dumps(one.processes).decode())
        for one in readings
    )
    copy_rows(HostReading, ("machine", "at_ms", *_FIELDS, "processes"), rows)


TABLE_FIELDS = tuple(TableFigures.__dataclass_fields__)


def copy_tables(server_id: int, spans: Iterable[tuple[EpochMs, EpochMs, Iterable[TableFigures]]]) -> None:
    """Figures of tables over (since, until], known to be new."""
    rows = (
        (server_id, since, until, *(getattr(one, name) for name in TABLE_FIELDS))
        for since, until, figures in spans
        for one in figures
    )
    copy_rows(TableWork, ("server", "since_ms", "until_ms", *TABLE_FIELDS), rows)


def store_survey(server_id: int, survey: Survey) -> None:
    """Tables' figures, and those of the machine where the server tells them itself."""
    if survey.host is not None:
        store_host(Server.objects.get(id=server_id).machine, [survey.host])
    if survey.since is not None and survey.tables:
        TableWork.objects.bulk_create(
            [
                TableWork(server_id=server_id, until_ms=survey.at, since_ms=survey.since, **asdict(one))
                for one in survey.tables
            ],
            ignore_conflicts=True,
        )


def make_token(machine: str, *, by: AbstractBaseUser | AnonymousUser) -> str:
    """A new token for a machine's figures; the one before ends. Raises NotAllowed, BadInput."""
    require(by, Role.ADMIN, "let a machine push its figures")
    if not re.fullmatch(r"[\w.-]{1,80}", machine):
        raise BadInput("a machine's name has 1 to 80 letters, digits or . - _", field="machine")
    token = secrets.token_urlsafe(32)
    HostToken.objects.update_or_create(machine=machine, defaults={"digest": _digest(token), "last_used_at": None})
    audit.record(by, "token.made", subject=machine)
    return token


def admit(machine: str, token: str, readings: Sequence[HostFigures]) -> None:
    """Whether figures may be pushed with a token, and make sense. Raises NotAllowed, BadInput."""
    known = HostToken.objects.filter(machine=machine, digest=_digest(token))
    if not token or not known.update(last_used_at=timezone.now()):
        raise NotAllowed(
            f"this token may not push figures of {machine}; an admin can make one in the server's settings"
        )
    for i, one in enumerate(readings):
        if not 0 < one.covers_ms <= MAX_COVERS_MS or one.cores < 1:
            raise BadInput(
                f"reading {i}: covers_ms lies between 1 and {MAX_COVERS_MS}, cores above 0", field="readings"
            )


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention of what is of a server's tables."""
    TableWork.objects.filter(server_id=server_id, until_ms__lt=before_ms)._raw_delete(using="default")


def forget_machines(now_ms: int) -> None:
    """Retention of what is of machines: as long as the server keeps it that keeps it longest of those on a machine.

    What no server has any more, since its machine was given another name, is kept as long as a new server's would be.
    """
    days = dict(Server.objects.exclude(machine="").values_list("machine").annotate(Max("machine_retention_days")))
    for machine, most in days.items():
        HostReading.objects.filter(machine=machine, at_ms__lt=now_ms - most * MS_PER_DAY)._raw_delete(using="default")
    usual = Server._meta.get_field("machine_retention_days").get_default()
    strangers = HostReading.objects.exclude(machine__in=days).filter(at_ms__lt=now_ms - usual * MS_PER_DAY)
    strangers._raw_delete(using="default")


def forget_machine(machine: str) -> None:
    """All that is known of a machine, and its right to push, unless a server still runs on it."""
    if not Server.objects.filter(machine=machine).exists():
        HostReading.objects.filter(machine=machine)._raw_delete(using="default")
        HostToken.objects.filter(machine=machine).delete()
