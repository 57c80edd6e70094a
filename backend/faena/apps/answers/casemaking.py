"""Evidence of a case out of what Faena found: a lead with its chain in place, an alert with what was told of it."""

import base64
from dataclasses import dataclass

from faena.apps.alerts import selectors as alerts
from faena.apps.alerts.selectors import told as told_alert
from faena.apps.answers.alerts.picture import HEIGHT, WIDTH, waterline_png
from faena.apps.answers.told_leads import ToldLead, told_leads
from faena.apps.leads import selectors as known
from faena.apps.servers import selectors as servers
from faena.core.answers.leads.claim import Root
from faena.core.cases.casefile import About, Evidence, EvidenceKind, Figures, Link
from faena.core.cases.pictures import around
from faena.core.errors import NotFound
from faena.core.numbers import took
from faena.core.series.window import Window
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """Evidence, and what it makes a case about."""

    evidence: Evidence
    links: list[Link]


def of_lead(server_id: int, window: Window, identity: str, svg: str, now_ms: int, by: str) -> Piece:
    """A lead as it is found in the window now, with the load of that window where nobody sends a picture.

    Raises NotFound when no rule finds it there.
    """
    server = servers.server(server_id)
    told = next((one for one in told_leads(server_id, window).leads if one.identity == identity), None)
    if told is None:
        raise NotFound("this lead is not found in this window any more; keep it from the window that shows it")
    claim = told.lead.claim
    if not svg and (png := waterline_png(server, window, now_ms)) is not None:
        svg = around(base64.b64encode(png).decode(), WIDTH, HEIGHT)
    return Piece(
        evidence=Evidence(
            kind=EvidenceKind.LEAD, title=claim.title[:200], at=EpochMs(now_ms), by=by, server=server.name,
            sentence=_explains(told), link=f"/servers/{server.pk}/leads?from={window.start}&to={window.end}",
            lines=[step.sentence for step in claim.chain]
            + [f"Ruled out: {one.what} ({one.why})." for one in claim.ruled_out]
            + ([f"Next: {claim.next_step}"] if claim.next_step else []),
            svg=svg, figures=_root(claim.root),
        ),
        links=[
            Link(about=About.LEAD, server=server.name, key=identity, title=claim.title),
            *(
                Link(about=About.CHANGE, server=server.name, key=str(kept.id), title=kept.line)
                for kept, one in told.suspects
                if one.can
            ),
        ],
    )  # fmt: skip


def of_alert(alert_id: int, now_ms: int, by: str) -> Piece:
    """An alert as it was told, with the link to its window."""
    alert = alerts.alert(alert_id)
    found, told = told_alert(alert), alert.told
    lead, server = told.get("lead") or {}, found.firings[0].server if found.firings else None
    window = told.get("window") or {}
    name = server.name if server else ""
    link = f"/servers/{server.pk}/leads?from={window['from']}&to={window['to']}" if server and window else ""
    headline = alert.headline or (found.firings[0].condition.name if found.firings else "an alert")
    about = [Link(about=About.ALERT, server=name, key=str(alert.pk), title=headline)]
    if alert.lead_id is not None and server and (mine := known.by_number(alert.lead_id)) is not None:
        about.append(Link(about=About.LEAD, server=name, key=mine.identity, title=mine.title))
    lines = [told.get("when", ""), *lead.get("chain", ()), *told.get("changes", ())]
    return Piece(
        evidence=Evidence(
            kind=EvidenceKind.ALERT, title=headline[:200], at=EpochMs(now_ms), by=by, server=name,
            sentence=lead.get("title", ""), link=link, lines=[one for one in lines if one]
            + ([f"Next: {lead['next_step']}"] if lead.get("next_step") else []),
            svg=around(told["picture"], WIDTH, HEIGHT) if told.get("picture") else "",
        ),
        links=about,
    )  # fmt: skip


def _explains(told: ToldLead) -> str:
    share = f"explains {told.lead.share:.0%} of the load" if told.lead.share > 0 else "told by events, not by load"
    return f"{told.lead.claim.kind.label.capitalize()}, {share}, {took(1000 * told.lead.seconds)} of sessions."


def _root(root: Root) -> Figures | None:
    facts = {
        "program": root.program, "process": f"pid {root.pid}" if root.pid is not None else "", "table": root.table,
        "column": root.column, "index": root.index, "what": root.object, "statement": root.statement,
    }  # fmt: skip
    rows = [[name, value] for name, value in facts.items() if value]
    return Figures(columns=["at fault", "which"], rows=rows) if rows else None
