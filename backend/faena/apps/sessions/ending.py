"""Ending statements and sessions: by operators, with a reason, and never without a record."""

from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts import audit
from faena.apps.accounts.models import Role
from faena.apps.accounts.policy import require
from faena.apps.servers import engines
from faena.apps.servers.asking import asking
from faena.apps.servers.models import Server
from faena.apps.sessions.models import EndedSession
from faena.core.engines.inquiry import Ending
from faena.core.engines.profile import Capability
from faena.core.errors import BadInput, SourceError
from faena.core.readings import SessionSample

LEAST_REASON = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class EndOrder:
    """What to end, and why. `session` is as the operator saw it, for the record.

    `statement_ms` is the age of its statement on the operator's screen, 0 where that was not told.
    """

    session: SessionSample
    what: Ending
    reason: str
    confirmed: bool
    statement_ms: int = 0


def end_session(server: Server, order: EndOrder, *, by: AbstractBaseUser | AnonymousUser) -> EndedSession:
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
    return kept


def ended(server_id: int, limit: int = 100) -> list[EndedSession]:
    """The record, newest first."""
    return list(EndedSession.objects.filter(server_id=server_id).order_by("-at")[:limit])
