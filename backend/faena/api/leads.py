"""Leads of a window: the causes found, each with its chain of evidence."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers.told_leads import ToldLead, told_leads
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.picture import Picture
from faena.core.changes.kinds import ChangeKind

router = Router(tags=["leads"])


class LeadStepOut(Out):
    """A link of a chain; `view` and `search` say where its evidence is seen, empty where nowhere."""

    sentence: str
    view: str
    search: dict[str, str]


class RuledOutOut(Out):
    """What was looked at and is not the cause, with the figure that says so."""

    what: str
    why: str


class LeadRootOut(Out):
    """Who or what is at fault, as far as it is known; empty texts where it is not."""

    statement: str
    program: str
    table: str
    index: str
    column: str
    pid: int | None
    object: str


class SuspectOut(Out):
    """A change near the beginning of a lead, between `since` and `at`; `can` be its cause, and why or why not."""

    id: int
    at: int
    since: int
    kind: ChangeKind
    line: str
    can: bool
    why: str


class ExplainedOut(Out):
    """Mean sessions of a kind of load that a lead explains, null in cells that were not sampled."""

    key: str
    sessions: list[float | None]


class LeadPictureOut(Out):
    """What a lead explains over the window, in cells of `bucket_ms` from `start` on."""

    start: int
    end: int
    bucket_ms: int
    starts: list[int]
    groups: list[ExplainedOut]


class KnownLeadOut(Out):
    """The history of a lead over other windows. `state`: open, handled or dismissed, by whom, when and why.

    `times` counts the spans in which it was seen; `came_back`: when it came again after it was handled, null: it did not.
    """

    id: int
    first: int
    last: int
    times: int
    state: str
    state_at: int
    state_by: str
    reason: str
    came_back: int | None


class LeadOut(Out):
    """A lead: what is at fault, and what shows it.

    `share` of the load it explains beyond the leads before it, `seconds` the session-seconds. `begun`: its first
    sample.

    `identity` is the same whenever the same trouble comes again; `known` null: it was not seen in another window yet.
    """

    identity: str
    known: KnownLeadOut | None
    begun: int
    suspects: list[SuspectOut]
    picture: LeadPictureOut

    kind: LeadKind
    label: str
    title: str
    share: float
    seconds: float
    root: LeadRootOut
    chain: list[LeadStepOut]
    ruled_out: list[RuledOutOut]
    next_step: str


class LeadsOut(Out):
    """Leads of a window, the main cause first. `ground` says on what a quiet window is called so, or what none explains."""

    start: int
    end: int
    quiet: bool
    ticks: int
    load: float
    unexplained: float
    ground: str
    leads: list[LeadOut]


@router.get("/servers/{server_id}/leads", response=LeadsOut, operation_id="leads_list")
def list_leads(request: HttpRequest, server_id: int, window: Query[WindowIn]) -> LeadsOut:
    """Leads of a window of up to a day: the causes that rules find, and the causes that are ruled out."""
    span = window.window(now_ms())
    told = told_leads(server_id, span)
    found, seen = told.found, told.seen
    return LeadsOut(
        start=span.start, end=span.end, quiet=found.quiet, ticks=seen.ticks, load=round(seen.load, 4),
        unexplained=round(found.unexplained, 4), ground=found.ground, leads=[_lead(one) for one in told.leads],
    )  # fmt: skip


def _lead(told: ToldLead) -> LeadOut:
    lead, claim, root = told.lead, told.lead.claim, told.lead.claim.root
    return LeadOut(
        identity=told.identity,
        known=KnownLeadOut.model_validate(told.known) if told.known else None,
        begun=told.begun,
        suspects=[
            SuspectOut(id=kept.id, at=kept.at, since=kept.since, kind=kept.kind, line=kept.line, can=one.can, why=one.why)
            for kept, one in told.suspects
        ],
        picture=_picture(told.picture),
        kind=claim.kind,
        label=claim.kind.label,
        title=claim.title,
        share=round(lead.share, 4),
        seconds=round(lead.seconds, 2),
        root=LeadRootOut(
            statement=root.statement, program=root.program, table=root.table, index=root.index, column=root.column,
            pid=root.pid, object=root.object,
        ),
        chain=[
            LeadStepOut(
                sentence=step.sentence, view=step.evidence.view if step.evidence else "",
                search=dict(step.evidence.search) if step.evidence else {},
            )
            for step in claim.chain
        ],
        ruled_out=[RuledOutOut(what=one.what, why=one.why) for one in claim.ruled_out],
        next_step=claim.next_step,
    )  # fmt: skip


def _picture(one: Picture) -> LeadPictureOut:
    cells = len(one.kinds[0][1]) if one.kinds else 0
    return LeadPictureOut(
        start=one.start, end=one.start + cells * one.cell_ms, bucket_ms=one.cell_ms,
        starts=[one.start + i * one.cell_ms for i in range(cells)],
        groups=[
            ExplainedOut(key=key, sessions=[None if v is None else round(v, 3) for v in values])
            for key, values in one.kinds
        ],
    )  # fmt: skip
