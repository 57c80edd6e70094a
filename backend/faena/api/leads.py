"""Leads of a window: the causes found, each with its chain of evidence."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers.leads import leads_of
from faena.core.answers.leads.choosing import Lead
from faena.core.answers.leads.kinds import LeadKind

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


class LeadOut(Out):
    """`share` of the load it explains beyond the leads before it, `seconds` the session-seconds."""

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
    found, seen = leads_of(server_id, span)
    return LeadsOut(
        start=span.start, end=span.end, quiet=found.quiet, ticks=seen.ticks, load=round(seen.load, 4),
        unexplained=round(found.unexplained, 4), ground=found.ground, leads=[_lead(one) for one in found.leads],
    )  # fmt: skip


def _lead(lead: Lead) -> LeadOut:
    claim, root = lead.claim, lead.claim.root
    return LeadOut(
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
