"""Leads by identity: when each came, what people said of it, and whether its handling helped."""

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from faena.api.changes import VerdictOut, verdict_out
from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.answers import told_leads
from faena.apps.answers.changes import verdict_of
from faena.apps.answers.told_leads import HistoryWithVerdict
from faena.core.answers.leads.kinds import LeadKind
from faena.core.series.window import Window
from faena.core.units import EpochMs

router = Router(tags=["leads"])
State = Literal["open", "handled", "dismissed"]


class LeadSpanOut(Out):
    """A time during which a lead was seen; `share` of the load and `seconds` of sessions are those of its worst look."""

    start: int
    end: int
    share: float
    seconds: float
    title: str


class LeadHistoryOut(Out):
    """A lead that was seen `times` times, its newest spans first. `state` by whom, when and why.

    `came_back`: when it came again after it was handled, null: it did not. `verdict` null: nobody handled it.
    """

    id: int
    identity: str
    kind: LeadKind
    label: str
    title: str
    program: str
    table: str
    first: int
    last: int
    times: int
    state: str
    state_at: int
    state_by: str
    reason: str
    came_back: int | None
    spans: list[LeadSpanOut]
    verdict: VerdictOut | None


class LeadStateBody(Schema):
    """What became of a lead: by its number `id`, or by its `identity` in the window `from` to `to`. Dismissing takes a reason."""

    state: State
    reason: Annotated[str, Field(max_length=1000)] = ""
    id: int | None = None
    identity: str = ""
    start: int | None = Field(None, alias="from")
    end: int | None = Field(None, alias="to")


@router.get("/servers/{server_id}/leads/history", response=list[LeadHistoryOut], operation_id="leads_history")
def list_history(
    request: HttpRequest,
    server_id: int,
    state: Annotated[list[State], Query(description="only in these states; may be repeated")] = [],  # noqa: B006  # read only
) -> list[LeadHistoryOut]:
    """Leads that were found on a server, the one seen last first."""
    return [_out(one) for one in told_leads.history(server_id, list(state))]


@router.put("/servers/{server_id}/leads/state", response=LeadHistoryOut, operation_id="leads_state")
def set_state(request: HttpRequest, server_id: int, body: LeadStateBody) -> LeadHistoryOut:
    """Say that a lead is handled, dismissed or open again; a handled one is followed. Operators and admins."""
    where = None
    if body.id is None:
        window = Window(start=EpochMs(body.start or 0), end=EpochMs(body.end or 0))
        where = window, body.identity
    found = told_leads.say(server_id, body.id, where, body.state, body.reason, now_ms(), by=request.user)
    return _out(found)


def _out(one: HistoryWithVerdict) -> LeadHistoryOut:
    told, root = one.history, dict[str, Any](one.history.root)
    names = (
        "id",
        "identity",
        "kind",
        "title",
        "first",
        "last",
        "times",
        "state",
        "state_at",
        "state_by",
        "reason",
        "came_back",
    )
    return LeadHistoryOut(
        label=told.kind.label,
        program=str(root.get("program", "")),
        table=str(root.get("table", "")),
        spans=[LeadSpanOut.model_validate(span) for span in told.spans],
        verdict=verdict_out(verdict_of(one.followed)),
        **{name: getattr(told, name) for name in names},
    )
