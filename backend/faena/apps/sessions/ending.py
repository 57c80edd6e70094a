"""Ending statements and sessions: by operators, with a reason, and never without a record."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.servers import engines
from faena.apps.servers.asking import asking
from faena.apps.servers.models import Server
from faena.apps.sessions.models import EndedSession
from faena.apps.sessions.selectors import now
from faena.core.engines.inquiry import Ending
from faena.core.engines.profile import Capability
from faena.core.errors import BadInput, NotFound, SourceError
from faena.core.readings import SessionSample

LEAST_REASON = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Ordered:
    """What to end, and why. `statement_ms` is the age of its statement on the operator's screen, 0 where that was not told."""

    what: Ending
    reason: str
    confirmed: bool
    statement_ms: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class EndOrder(Ordered):
    """An order with the session as the operator saw it, for the record."""

    session: SessionSample


@dataclass(frozen=True, slots=True, kw_only=True)
class EndedRecord:
    """What was ended, by whom and why; `at` in ms since 1970. `freed` waited behind it before and not after, `still` wait on."""

    at: int
    by: str
    what: str
    pid: int
    program: str
    user: str
    client: str
    query_id: int | None
    reason: str
    answer: str
    freed: Sequence[int]
    still: Sequence[int]


def _record(row: EndedSession) -> EndedRecord:
    names = ("what", "pid", "program", "user", "client", "query_id", "reason", "answer", "freed", "still")
    return EndedRecord(
        at=round(row.at.timestamp() * 1000), by=row.by_name, **{name: getattr(row, name) for name in names}
    )


def end_seen(
    server: Server, pid: int, started_s: int, order: Ordered, *, by: AbstractBaseUser | AnonymousUser
) -> EndedRecord:
    """End a session as it was seen at the newest tick. Raises NotFound for one that is another by now, and as below."""
    seen = next((one for one in now(server.pk).sessions if one.pid == pid), None)
    if seen is None or seen.started_s != started_s:
        raise NotFound(f"session {pid} is not there any more as it was shown; nothing was ended")
    return end_session(server, EndOrder(session=seen, **asdict(order)), by=by)


def end_session(server: Server, order: EndOrder, *, by: AbstractBaseUser | AnonymousUser) -> EndedRecord:
    """End it on the server and keep what was done; a refusal is kept, too. Raises NotAllowed, BadInput, SourceError."""
    user = require(by, Role.OPERATOR, f"end a {order.what} on a watched server")
    engines.require(server, Capability.END)
    if len(order.reason.strip()) < LEAST_REASON:
        raise BadInput("say why; the reason is kept with your name", field="reason")
    if not order.confirmed:
        raise BadInput(f"ending a {order.what} wants an explicit yes", field="confirmed")
    one = order.session
    kept = EndedSession(
        server=server, by=user, by_name=user.username, what=str(order.what), pid=one.pid, started_ms=1000 * one.started_s,
        program=one.program, user=one.user, client=one.client, query_id=one.query_id, reason=order.reason.strip()[:1000],
    )  # fmt: skip
    try:
        asked = engines.inquiry_of(server, Capability.END)
        with asking(server, by, f"end a {order.what}"):
            found = asked.end(one.pid, one.started_s, order.what, order.statement_ms)
    except SourceError as error:
        kept.answer = f"refused: {error}"
        kept.save()
        raise
    kept.answer, kept.freed, kept.still = found.answer, list(found.freed), list(found.still)
    kept.save()
    audit.record(
        by, f"{order.what}.ended", server=server.name, subject=f"pid {one.pid}, {one.program}", detail=kept.reason
    )
    return _record(kept)


def ended(server_id: int, limit: int = 100) -> list[EndedRecord]:
    """The record, newest first."""
    return [_record(row) for row in EndedSession.objects.filter(server_id=server_id).order_by("-at")[:limit]]
