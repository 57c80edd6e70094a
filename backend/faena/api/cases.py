"""Cases: the record of an investigation, over all servers."""

from collections.abc import Sequence
from typing import Annotated, Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from ninja import File, Query, Router, Status
from ninja.files import UploadedFile

from faena.api.case_parts import (
    CaseBody,
    CaseChangeBody,
    CaseCommentBody,
    CaseCommentOut,
    CaseDeletedOut,
    CaseExportIn,
    CaseFiguresOut,
    CaseOut,
    CasePageOut,
    CasesIn,
    EvidenceBody,
    EvidenceNoteBody,
    EvidenceOrderBody,
    EvidenceOut,
    KeepBody,
    case_out,
)
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.answers import casemaking
from faena.apps.answers.casemaking import Piece
from faena.apps.cases import actions, selectors
from faena.apps.cases.archive import LARGEST, as_archive, read_case
from faena.apps.servers import selectors as servers
from faena.core.cases.casefile import (
    Evidence,
    EvidenceKind,
    Figures,
    Link,
    checked_path,
    figures_from,
)  # fmt: skip
from faena.core.cases.page import as_page
from faena.core.cases.pictures import as_image, checked_svg
from faena.core.cases.prose import to_html
from faena.core.errors import BadInput
from faena.core.series.window import Window
from faena.core.units import EpochMs

router = Router(tags=["cases"])


@router.get("/cases", response=list[CaseOut], operation_id="cases")
def get_cases(request: HttpRequest, asked: Query[CasesIn]) -> list[CaseOut]:
    """Over all servers: open ones first, the one that was changed last on top."""
    found = selectors.cases(
        states=asked.state,
        server_id=asked.server,
        about=asked.about or "",
        key=asked.key,
        limit=asked.limit,
        groups=seen_by(request),
    )
    return [case_out(one) for one in found]


@router.post("/cases", response={201: CaseOut}, operation_id="case_make")
def post_case(request: HttpRequest, body: CaseBody) -> Status[CaseOut]:
    """A new case: empty, or with evidence in it."""
    pieces = _pieces(request, body)
    title = body.title.strip() or (pieces[0].evidence.title if pieces else "")
    case = actions.make(title, now_ms(), by=request.user)
    _keep(request, case.pk, pieces)
    return Status(201, case_out(selectors.listed(selectors.case(case.pk))))


@router.post("/cases/import/file", response={201: CaseOut}, operation_id="case_import")
def import_case(
    request: HttpRequest, file: Annotated[UploadedFile, File(description="a page, an archive or a .json of a case")]
) -> Status[CaseOut]:
    """A case from elsewhere: the same evidence, comments and conclusion."""
    require(request.user, Role.OPERATOR, "import a case")
    case = actions.take_in(read_case(file.read(LARGEST + 1)), now_ms(), by=request.user)
    return Status(201, case_out(selectors.listed(case)))


@router.get("/cases/{case_id}", response=CasePageOut, operation_id="case")
def get_case(request: HttpRequest, case_id: int) -> CasePageOut:
    """One case with all of its evidence, in order."""
    row = selectors.case(case_id)
    return CasePageOut(
        case=case_out(selectors.listed(row)),
        conclusion_html=to_html(row.conclusion),
        evidence=[
            EvidenceOut(
                id=one.pk, kind=EvidenceKind(one.kind), label=EvidenceKind(one.kind).label, title=one.title,
                server=one.server, sentence=one.sentence, link=one.link, lines=one.lines,
                picture=as_image(one.svg) if one.svg else "",
                figures=CaseFiguresOut.model_validate(one.figures, from_attributes=False) if one.figures else None,
                note=one.note, note_html=to_html(one.note), at=one.at_ms, by=one.by,
            )
            for one in selectors.evidence(case_id)
        ],
        comments=[
            CaseCommentOut(at=one.at_ms, by=one.by, text=one.text, html=to_html(one.text))
            for one in selectors.comments(case_id)
        ],
    )  # fmt: skip


@router.patch("/cases/{case_id}", response=CaseOut, operation_id="case_change")
def patch_case(request: HttpRequest, case_id: int, body: CaseChangeBody) -> CaseOut:
    """Title, state, conclusion, people."""
    case = actions.change(
        case_id, now_ms(), title=body.title, state=body.state, conclusion=body.conclusion, people=body.people,
        seen_ms=body.seen, by=request.user,
    )  # fmt: skip
    return case_out(selectors.listed(case))


@router.delete("/cases/{case_id}", response=CaseDeletedOut, operation_id="case_delete")
def delete_case(request: HttpRequest, case_id: int) -> CaseDeletedOut:
    """The whole case, for admins."""
    actions.delete(case_id, by=request.user)
    return CaseDeletedOut()


@router.post("/cases/{case_id}/evidence", response={201: CaseOut}, operation_id="case_keep")
def post_evidence(request: HttpRequest, case_id: int, body: KeepBody) -> Status[CaseOut]:
    """Keep evidence, behind what is there."""
    _keep(request, case_id, _pieces(request, body))
    return Status(201, case_out(selectors.listed(selectors.case(case_id))))


@router.put("/cases/{case_id}/evidence/order", response=CasePageOut, operation_id="case_order")
def put_order(request: HttpRequest, case_id: int, body: EvidenceOrderBody) -> CasePageOut:
    """Evidence in another order."""
    actions.order(case_id, body.order, now_ms(), by=request.user)
    return get_case(request, case_id)


@router.put("/cases/{case_id}/evidence/{evidence_id}/note", response=CasePageOut, operation_id="case_annotate")
def put_note(request: HttpRequest, case_id: int, evidence_id: int, body: EvidenceNoteBody) -> CasePageOut:
    """Say something of a piece of evidence, in Markdown."""
    actions.annotate(case_id, evidence_id, body.note, now_ms(), by=request.user)
    return get_case(request, case_id)


@router.delete("/cases/{case_id}/evidence/{evidence_id}", response=CasePageOut, operation_id="case_evidence_remove")
def delete_evidence(request: HttpRequest, case_id: int, evidence_id: int) -> CasePageOut:
    """Take a piece of evidence out."""
    actions.remove(case_id, evidence_id, now_ms(), by=request.user)
    return get_case(request, case_id)


@router.post("/cases/{case_id}/comments", response={201: CasePageOut}, operation_id="case_comment")
def post_comment(request: HttpRequest, case_id: int, body: CaseCommentBody) -> Status[CasePageOut]:
    """Say something, in Markdown."""
    actions.comment(case_id, body.text, now_ms(), by=request.user)
    return Status(201, get_case(request, case_id))


@router.get("/cases/{case_id}/export", operation_id="case_export")
def export_case(request: HttpRequest, case_id: int, asked: Query[CaseExportIn]) -> HttpResponse:
    """The case as files that need no Faena to be read, and that another Faena takes in."""
    row = selectors.case(case_id)
    file, zone = selectors.file_of(row, settings.ENVIRONMENT.address), _zone(asked.zone)
    if asked.form == "page":
        return _download(as_page(file, zone).encode(), "text/html; charset=utf-8", f"case-{case_id}.html")
    return _download(as_archive(file, zone), "application/zip", f"case-{case_id}.zip")


def _download(content: bytes, form: str, name: str) -> HttpResponse:
    response = HttpResponse(content, content_type=form)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError):
        raise BadInput(f"there is no time zone {name}", field="zone") from None


def _pieces(request: HttpRequest, body: KeepBody) -> list[Piece]:
    """Evidence out of a request, looked up and checked before anything is written. Raises NotAllowed, NotFound, BadInput."""
    user, now = require(request.user, Role.OPERATOR, "keep evidence"), now_ms()
    found = list[Piece]()
    if body.alert is not None:
        found.append(casemaking.of_alert(body.alert, now, user.username))
    if body.lead is not None:
        lead, svg = body.lead, checked_svg(body.lead.svg) if body.lead.svg else ""
        window = Window(start=EpochMs(lead.start), end=EpochMs(lead.end))
        found.append(casemaking.of_lead(lead.server, window, lead.identity, svg, now, user.username))
    found += [Piece(evidence=_evidence(one, now, user.username), links=[]) for one in body.evidence]
    links = [
        Link(about=one.about, server=servers.server(one.server).name, key=one.key, title=one.title)
        for one in body.links
    ]
    if links and not found:
        raise BadInput("a case is about what its evidence shows: keep some", field="evidence")
    if links:
        found[0].links.extend(links)
    return found


def _evidence(body: EvidenceBody, now: int, by: str) -> Evidence:
    figures: Figures | None = None
    if body.figures:
        plain: dict[str, Any] = {"columns": body.figures.columns, "rows": body.figures.rows}
        figures = figures_from(plain)
    return Evidence(
        kind=EvidenceKind.VIEW, title=body.title, at=EpochMs(now), by=by, sentence=body.sentence,
        server=servers.server(body.server).name if body.server is not None else "", link=checked_path(body.link),
        lines=body.lines, svg=checked_svg(body.svg) if body.svg else "", figures=figures, note=body.note,
    )  # fmt: skip


def _keep(request: HttpRequest, case_id: int, pieces: Sequence[Piece]) -> None:
    if pieces:
        links = [link for one in pieces for link in one.links]
        actions.keep(case_id, [one.evidence for one in pieces], links, now_ms(), by=request.user)
