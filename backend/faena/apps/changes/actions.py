"""Changes are kept: found ones once each, told ones as they are told."""

import zlib
from collections.abc import Iterable
from dataclasses import dataclass
from urllib.parse import urlsplit

import orjson
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.changes.models import Change, ChangeToken, Looked
from faena.apps.servers.models import Server
from faena.core.changes.catalogue import between
from faena.core.changes.change import Found
from faena.core.changes.kinds import ChangeKind
from faena.core.errors import BadInput, NotFound
from faena.core.readings import Catalogue
from faena.core.series.window import MAX_WINDOW_MS
from faena.core.sql.texts import storable
from faena.core.units import MS_PER_DAY, EpochMs

FOUND, BY_HAND, BY_API = "found", "hand", "api"
AHEAD_MS = 60_000  # clocks of pipelines differ a little from ours
RETENTION_MS = 400 * MS_PER_DAY  # changes are few, and explain what is kept for long


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What somebody says of a change. Raises BadInput for what cannot be kept."""

    what: str
    at_ms: int
    kind: ChangeKind = ChangeKind.NOTE
    object: str = ""
    before: str = ""
    after: str = ""
    version: str = ""
    link: str = ""

    def check(self, now_ms: int) -> None:
        """Raises BadInput, naming the field."""
        if not self.what.strip():
            raise BadInput("say in a few words what changed", field="what")
        for name, most in (
            ("what", 1000),
            ("object", 300),
            ("before", 1000),
            ("after", 1000),
            ("version", 100),
            ("link", 500),
        ):
            if len(getattr(self, name)) > most:
                raise BadInput(f"{name} has at most {most} characters", field=name)
        if not now_ms - MAX_WINDOW_MS <= self.at_ms <= now_ms + AHEAD_MS:
            raise BadInput("a change lies between 90 days ago and now", field="at")
        if self.link and urlsplit(self.link).scheme not in ("http", "https"):
            raise BadInput("a link begins with https:// or http://", field="link")


def look(server_id: int, catalogue: Catalogue) -> list[Found]:
    """Compare with the last look, keep what changed, and the look itself. One that is older than the last changes nothing."""
    with transaction.atomic():
        row, _ = Looked.objects.select_for_update().get_or_create(server_id=server_id)
        if catalogue.at <= row.at_ms:
            return []
        found = []
        if (
            not catalogue.objects
        ):  # all as before: a change that is found next came after this look, not after the last change
            row.at_ms = catalogue.at
            row.save(update_fields=["at_ms"])
            return []
        if row.catalogue:
            objects = orjson.loads(zlib.decompress(bytes(row.catalogue)))
            found = between(Catalogue(at=EpochMs(row.at_ms), objects=objects), catalogue)
            keep(server_id, found)
        row.at_ms, row.catalogue = catalogue.at, zlib.compress(orjson.dumps(catalogue.objects))
        row.save(update_fields=["at_ms", "catalogue"])
    return found


def keep(server_id: int, found: Iterable[Found], query_ids: dict[str, int] | None = None) -> None:
    """What was found, each once. `query_ids` are statements by the object of their change."""
    Change.objects.bulk_create(
        [
            Change(
                server_id=server_id, at_ms=one.at, since_ms=one.since, kind=one.kind.value,
                object=storable(one.object)[:300], table=storable(one.table)[:200], before=storable(one.before),
                after=storable(one.after), origin=FOUND, query_id=(query_ids or {}).get(one.object),
            )
            for one in found
        ],
        ignore_conflicts=True,
    )  # fmt: skip


def tell(server: Server, told: Told, now_ms: int, *, by: AbstractBaseUser | AnonymousUser) -> Change:
    """Note a change by hand. Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "note a change")
    told.check(now_ms)
    change = _put(server, told, BY_HAND, user.username)
    audit.record(by, "change.noted", server=server.name, subject=told.what[:100])
    return change


def tell_by_token(token: ChangeToken, server: Server | None, told: Told, now_ms: int) -> list[Change]:
    """A pipeline tells of a change of one server, or of all that its token may speak of. Raises BadInput, NotFound."""
    told.check(now_ms)
    if server is not None and token.server_id not in (None, server.pk):
        raise NotFound(f"this token speaks of no server {server.name}")
    servers = [server] if server else [token.server] if token.server else list(Server.objects.all())
    made = [_put(one, told, BY_API, token.name) for one in servers]
    audit.record(None, "change.told", server=server.name if server else "", subject=told.what[:100], detail=token.name)
    return made


def _put(server: Server, told: Told, origin: str, by: str) -> Change:
    return Change.objects.create(
        server=server, at_ms=told.at_ms, since_ms=told.at_ms, kind=told.kind.value, object=storable(told.object),
        before=storable(told.before), after=storable(told.after), note=storable(told.what.strip()),
        version=storable(told.version), link=told.link, origin=origin, by=by,
    )  # fmt: skip


def remove(server_id: int, change_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """One that was told, by its teller or an admin; what was found stays. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "remove a change")
    change = Change.objects.filter(server_id=server_id, pk=change_id).select_related("server").first()
    if change is None:
        raise NotFound(f"there is no change {change_id} on this server; it may have been removed")
    if change.origin == FOUND:
        raise BadInput("what Faena found itself is not removed; hide its kind in the list instead", field="change")
    if change.by != user.username:
        require(by, Role.ADMIN, "remove a change that somebody else noted")
    audit.record(by, "change.removed", server=change.server.name, subject=(change.note or change.object)[:100])
    change.delete()


def forget_before(server_id: int, before_ms: int) -> None:
    """Drop what is older."""
    Change.objects.filter(server_id=server_id, at_ms__lt=before_ms).delete()
