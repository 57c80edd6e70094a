"""Leads are kept as they are found, and people say what became of them."""

from collections.abc import Sequence
from dataclasses import asdict

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.leads.models import KnownLead, LeadLook, LeadSpan
from faena.core.answers.leads.beginning import UNBROKEN_MS, Lasted, began_again
from faena.core.answers.leads.choosing import Lead
from faena.core.answers.leads.identity import identity_of
from faena.core.errors import BadInput, NotFound
from faena.core.series.window import Window
from faena.core.sql.texts import storable

OPEN, HANDLED, DISMISSED = "open", "handled", "dismissed"
STATES = (OPEN, HANDLED, DISMISSED)
AGAIN_MS = 30 * 60_000  # away for so long, it comes again; for less, it goes on
LONGEST_REASON = 1000


def store(server_id: int, leads: Sequence[tuple[Lead, Lasted]]) -> list[KnownLead]:
    """What a look found, each with when it lasted; what was seen shortly before goes on. The same look twice changes
    nothing."""
    with transaction.atomic():
        LeadLook.objects.select_for_update().get_or_create(server_id=server_id)
        return [_seen(server_id, when, one, main=i == 0) for i, (one, when) in enumerate(leads)]


def _known(server_id: int, window: Window, lead: Lead) -> KnownLead:
    """The record of a lead, made where there is none."""
    claim = lead.claim
    found, _ = KnownLead.objects.get_or_create(
        server_id=server_id,
        identity=identity_of(claim.kind, claim.root),
        defaults={
            "kind": claim.kind.value, "title": storable(claim.title), "root": asdict(claim.root),
            "first_ms": window.start, "last_ms": window.end,
        },
    )  # fmt: skip
    return found


def _seen(server_id: int, when: Lasted, lead: Lead, *, main: bool) -> KnownLead:
    window = when.whole
    row = _known(server_id, window, lead)
    span = LeadSpan.objects.filter(lead=row, start_ms__lt=window.end, end_ms__gt=window.start - AGAIN_MS).first()
    if span is None:
        span = LeadSpan(
            lead=row, start_ms=window.start, end_ms=window.end, share=lead.share, seconds=lead.seconds, main=main,
            title=storable(lead.claim.title),
        )  # fmt: skip
        row.times += 1
    elif lead.seconds >= span.seconds:
        span.share, span.seconds, span.title = lead.share, lead.seconds, storable(lead.claim.title)
    span.start_ms, span.end_ms = min(span.start_ms, window.start), max(span.end_ms, window.end)
    span.main = span.main or main
    span.save()
    if row.state == HANDLED and began_again(when, row.state_ms):
        row.state, row.came_back_ms = OPEN, when.newest.start
    row.first_ms = min(row.first_ms, window.start)
    if window.end >= row.last_ms:
        goes_on = row.unbroken_ms and when.newest.start - row.last_ms <= UNBROKEN_MS
        row.unbroken_ms = min(row.unbroken_ms, when.newest.start) if goes_on else when.newest.start
        row.last_ms, row.title, row.root = window.end, storable(lead.claim.title), asdict(lead.claim.root)
    row.save()
    return row


def looked(server_id: int, until_ms: int, lead: KnownLead | None, line: str, took_ms: float) -> None:
    """Note how far was looked; `lead` is the first of the newest window that nobody dismissed."""
    LeadLook.objects.update_or_create(
        server_id=server_id,
        defaults={"until_ms": until_ms, "lead": lead, "line": storable(line), "took_ms": took_ms},
    )


def set_state(
    row: KnownLead, state: str, reason: str, now_ms: int, *, by: AbstractBaseUser | AnonymousUser
) -> KnownLead:
    """Open, handled or dismissed, with a reason; a dismissed one needs it. Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "say what became of a lead")
    if state not in STATES:
        raise BadInput(f"a lead is {', '.join(STATES)}, not {state!r:.20}", field="state")
    if state == DISMISSED and not reason.strip():
        raise BadInput("say why it is no trouble, so that the next one knows", field="reason")
    if len(reason) > LONGEST_REASON:
        raise BadInput(f"a reason has at most {LONGEST_REASON} characters", field="reason")
    row.state, row.reason, row.state_by, row.state_ms = state, storable(reason.strip()), user.username, now_ms
    row.came_back_ms = None
    row.save(update_fields=["state", "reason", "state_by", "state_ms", "came_back_ms"])
    audit.record(by, f"lead.{state}", server=row.server.name, subject=row.title[:100], detail=reason[:200])
    return row


def of(server_id: int, lead_id: int) -> KnownLead:
    """Raises NotFound."""
    found = KnownLead.objects.filter(server_id=server_id, pk=lead_id).select_related("server").first()
    if found is None:
        raise NotFound(f"there is no lead {lead_id} on this server")
    return found


def forget_before(server_id: int, before_ms: int) -> None:
    """Drop spans that are older, and leads without any left that nobody said anything of."""
    LeadSpan.objects.filter(lead__server_id=server_id, end_ms__lt=before_ms).delete()
    KnownLead.objects.filter(server_id=server_id, last_ms__lt=before_ms, state=OPEN, spans=None).delete()
