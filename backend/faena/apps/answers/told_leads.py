"""Leads of a window with what is known of each: when it came before, what people said of it, what changed as it began."""

from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.answers import following
from faena.apps.answers.leads import leads_of
from faena.apps.answers.looking import look_now
from faena.apps.changes import selectors as changes
from faena.apps.changes.selectors import Kept
from faena.apps.leads import actions, selectors
from faena.apps.leads.models import KnownLead
from faena.apps.leads.selectors import History
from faena.apps.servers import selectors as servers
from faena.apps.verdicts import actions as verdicts
from faena.apps.verdicts.models import Followed
from faena.core.answers.leads.beginning import AFTER_MS, BEFORE_MS, Suspect, lasted, suspects
from faena.core.answers.leads.choosing import Diagnosis, Lead
from faena.core.answers.leads.identity import identity_of
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.picture import Picture, picture_of
from faena.core.changes.change import Found
from faena.core.errors import NotFound
from faena.core.series.window import Window
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class ToldLead:
    """A lead of a window; `known` None: no look was at it before. `begun` in ms since 1970."""

    lead: Lead
    identity: str
    known: History | None
    begun: int
    suspects: list[tuple[Kept, Suspect]]
    picture: Picture


@dataclass(frozen=True, slots=True, kw_only=True)
class ToldLeads:
    """Leads of a window, the main cause first, and what rules looked at."""

    found: Diagnosis
    seen: Observed
    leads: list[ToldLead]


def told_leads(server_id: int, window: Window) -> ToldLeads:
    """What rules find in a window, and what is known of it. Raises NotFound, BadWindow."""
    found, seen = leads_of(server_id, window)
    identities = [identity_of(one.claim.kind, one.claim.root) for one in found.leads]
    known = selectors.by_identity(server_id, identities) if identities else {}
    lasting = [lasted(seen, one.claim) for one in found.leads]
    near = _near(server_id, [one.whole.start for one in lasting])
    return ToldLeads(
        found=found,
        seen=seen,
        leads=[
            ToldLead(
                lead=lead,
                identity=identity,
                known=selectors.as_of(known[identity], when) if identity in known else None,
                begun=when.whole.start,
                suspects=_suspects(lead, when.whole.start, near),
                picture=picture_of(seen, lead.claim),
            )
            for lead, identity, when in zip(found.leads, identities, lasting, strict=True)
        ],
    )


def _near(server_id: int, begun: list[EpochMs]) -> list[Kept]:
    if not begun:
        return []
    around = Window(start=EpochMs(min(begun) - BEFORE_MS), end=EpochMs(max(begun) + AFTER_MS + 1))
    return changes.changes(server_id, Window(start=around.start, end=EpochMs(around.end + 3_600_000)), limit=200)


def _suspects(lead: Lead, at: EpochMs, near: list[Kept]) -> list[tuple[Kept, Suspect]]:
    pairs = [(_found(kept), kept) for kept in near]
    by_found = {id(found): kept for found, kept in pairs}
    return [(by_found[id(one.change)], one) for one in suspects(lead.claim, at, [found for found, _ in pairs])]


def _found(one: Kept) -> Found:
    return Found(
        kind=one.kind, at=EpochMs(one.at), since=EpochMs(one.since), object=one.object, table=one.table,
        before=one.before, after=one.after,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryWithVerdict:
    """A lead that was found, and what is told of whether its handling helped; None while nobody handled it."""

    history: History
    followed: Followed | None


def history(server_id: int, states: list[str]) -> list[HistoryWithVerdict]:
    """Leads of a server, the one seen last first. Raises NotFound."""
    servers.server(server_id)
    rows = selectors.history(server_id, states=states)
    followed = verdicts.of(server_id, verdicts.LEAD, [one.id for one in rows])
    return [HistoryWithVerdict(history=one, followed=followed.get(one.id)) for one in rows]


def say(
    server_id: int,
    lead_id: int | None,
    where: tuple[Window, str] | None,
    state: str,
    reason: str,
    now_ms: int,
    *,
    by: AbstractBaseUser | AnonymousUser,
) -> HistoryWithVerdict:
    """What became of a lead, known by its number, or by its identity in a window. Raises NotFound, NotAllowed, BadInput."""
    row = actions.of(server_id, lead_id) if lead_id is not None else _in_window(server_id, where)
    if state == actions.HANDLED:
        look_now(row.server)  # what is handled is held against the time that it lasted, up to now
        row.refresh_from_db()
    row = actions.set_state(row, state, reason, now_ms, by=by)
    if state == actions.HANDLED:
        following.follow_lead(row.server, row, now_ms)
    else:
        verdicts.stop(server_id, verdicts.LEAD, row.pk)
    followed = verdicts.of(server_id, verdicts.LEAD, [row.pk])
    return HistoryWithVerdict(history=selectors.told(row, []), followed=followed.get(row.pk))


def _in_window(server_id: int, where: tuple[Window, str] | None) -> KnownLead:
    assert where is not None
    window, identity = where
    found, seen = leads_of(server_id, window)
    rows = actions.store(server_id, [(one, lasted(seen, one.claim)) for one in found.leads])
    for row in rows:
        if row.identity == identity:
            return row
    raise NotFound("this lead is not found in the window any more; look again")
