"""Cases: the record of an investigation, over all servers."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from ninja import Field, File, Query, Router, Schema, Status
from ninja.files import UploadedFile

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.answers import casemaking
from faena.apps.answers.casemaking import Piece
from faena.apps.cases import actions, selectors
from faena.apps.cases.archive import LARGEST, as_archive, read_case
from faena.apps.cases.selectors import Listed
from faena.apps.servers import selectors as servers
from faena.core.cases.casefile import (
    MOST_ROWS,
    About,
    Cell,
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


class CaseLinkOut(Out):
    """What a case is about; `server` null: that server is not known here, or not any more."""

    about: About
    label: str
    server: int | None
    server_name: str
    key: str
    title: str


class CaseOut(Out):
    """A case in a list. Moments in ms since 1970; `evidence` and `comments` count. `address`: where it was imported from."""

    id: int
    title: str
    state: str
    conclusion: str
    people: list[str]
    made: int
    by: str
    changed: int
    address: str
    links: list[CaseLinkOut]
    evidence: int
    comments: int


class CaseFiguresOut(Out):
    """The figures behind a picture; null is a gap."""

    columns: list[str]
    rows: list[list[Cell]]


class EvidenceOut(Out):
    """What was kept, as it was. `picture` is the address of an image, "" without one; `note` as it was written, and as HTML."""

    id: int
    kind: EvidenceKind
    label: str
    title: str
    server: str
    sentence: str
    link: str
    lines: list[str]
    picture: str
    figures: CaseFiguresOut | None
    note: str
    note_html: str
    at: int
    by: str


class CaseCommentOut(Out):
    at: int
    by: str
    text: str
    html: str


class CasePageOut(Out):
    case: CaseOut
    conclusion_html: str
    evidence: list[EvidenceOut]
    comments: list[CaseCommentOut]


class CaseFiguresBody(Schema):
    columns: Annotated[list[str], Field(max_length=60)]
    rows: Annotated[list[list[Cell]], Field(max_length=MOST_ROWS)]


class EvidenceBody(Schema):
    """A view as it is seen: `link` is its path in Faena, `svg` its picture, `figures` what the picture shows."""

    title: Annotated[str, Field(min_length=1, max_length=200)]
    server: int | None = None
    sentence: Annotated[str, Field(max_length=2000)] = ""
    link: Annotated[str, Field(max_length=2000)] = ""
    lines: Annotated[list[str], Field(max_length=100)] = Field(default_factory=list)
    svg: str = ""
    figures: CaseFiguresBody | None = None
    note: Annotated[str, Field(max_length=20_000)] = ""


class CaseLeadBody(Schema):
    """A lead of a window, in ms since 1970; `svg` a picture of it."""

    server: int
    start: int
    end: int
    identity: Annotated[str, Field(max_length=40)]
    svg: str = ""


class CaseLinkBody(Schema):
    about: About
    server: int
    key: Annotated[str, Field(max_length=200)]
    title: Annotated[str, Field(max_length=200)]


class KeepBody(Schema):
    """What to keep: views, a lead with its chain, an alert; and what that makes the case about."""

    evidence: Annotated[list[EvidenceBody], Field(max_length=20)] = Field(default_factory=list)
    lead: CaseLeadBody | None = None
    alert: int | None = None
    links: Annotated[list[CaseLinkBody], Field(max_length=20)] = Field(default_factory=list)


class CaseBody(KeepBody):
    """A new case; without a title that of its lead or alert."""

    title: Annotated[str, Field(max_length=200)] = ""


class CaseChangeBody(Schema):
    """What is given is changed. `seen`: when the case was changed last, as far as the writer of a conclusion knows."""

    title: str | None = None
    state: str | None = None
    conclusion: str | None = None
    people: list[str] | None = None
    seen: int | None = None


class EvidenceNoteBody(Schema):
    note: Annotated[str, Field(max_length=20_000)]


class EvidenceOrderBody(Schema):
    order: Annotated[list[int], Field(max_length=200)]


class CaseCommentBody(Schema):
    text: Annotated[str, Field(max_length=20_000)]


class CasesIn(Schema):
    """`state`: open, closed; both where none is given. `about` with `key`: cases about one thing; without: about any of that kind."""

    state: list[str] = Field(default_factory=list)
    server: int | None = None
    about: About | None = None
    key: str = ""
    limit: Annotated[int, Field(ge=1, le=500)] = 200


class CaseDeletedOut(Out):
    deleted: bool = True


def _case(told: Listed) -> CaseOut:
    one = told.case
    return CaseOut(
        id=one.pk, title=one.title, state=one.state, conclusion=one.conclusion, people=one.people, made=one.made_ms,
        by=one.made_by, changed=one.changed_ms, address=one.address, evidence=told.evidence, comments=told.comments,
        links=[
            CaseLinkOut(
                about=About(link.about), label=About(link.about).label, server=link.server_id,
                server_name=link.server_name, key=link.key, title=link.title,
            )
            for link in told.links
        ],
    )  # fmt: skip


@router.get("/cases", response=list[CaseOut], operation_id="cases")
def get_cases(request: HttpRequest, asked: Query[CasesIn]) -> list[CaseOut]:
    """Over all servers: open ones first, the one that was changed last on top."""
    found = selectors.cases(
        states=asked.state, server_id=asked.server, about=asked.about or "", key=asked.key, limit=asked.limit
    )
    return [_case(one) for one in found]


@router.post("/cases", response={201: CaseOut}, operation_id="case_make")
def post_case(request: HttpRequest, body: CaseBody) -> Status[CaseOut]:
    """A new case: empty, or with evidence in it."""
    pieces = _pieces(request, body)
    title = body.title.strip() or (pieces[0].evidence.title if pieces else "")
    case = actions.make(title, now_ms(), by=request.user)
    _keep(request, case.pk, pieces)
    return Status(201, _case(selectors.listed(actions.of(case.pk))))


@router.post("/cases/import/file", response={201: CaseOut}, operation_id="case_import")
def import_case(
    request: HttpRequest, file: Annotated[UploadedFile, File(description="a page, an archive or a .json of a case")]
) -> Status[CaseOut]:
    """A case from elsewhere: the same evidence, comments and conclusion."""
    require(request.user, Role.OPERATOR, "import a case")
    case = actions.take_in(read_case(file.read(LARGEST + 1)), now_ms(), by=request.user)
    return Status(201, _case(selectors.listed(case)))


@router.get("/cases/{case_id}", response=CasePageOut, operation_id="case")
def get_case(request: HttpRequest, case_id: int) -> CasePageOut:
    """One case with all of its evidence, in order."""
    row = actions.of(case_id)
    return CasePageOut(
        case=_case(selectors.listed(row)),
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
    return _case(selectors.listed(case))


@router.delete("/cases/{case_id}", response=CaseDeletedOut, operation_id="case_delete")
def delete_case(request: HttpRequest, case_id: int) -> CaseDeletedOut:
    """The whole case, for admins."""
    actions.delete(case_id, by=request.user)
    return CaseDeletedOut()


@router.post("/cases/{case_id}/evidence", response={201: CaseOut}, operation_id="case_keep")
def post_evidence(request: HttpRequest, case_id: int, body: KeepBody) -> Status[CaseOut]:
    """Keep evidence, behind what is there."""
    _keep(request, case_id, _pieces(request, body))
    return Status(201, _case(selectors.listed(actions.of(case_id))))


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


class CaseExportIn(Schema):
    """`page` is one file of HTML, `archive` a zip of Markdown with its pictures and figures. `zone` an IANA name."""

    form: Literal["page", "archive"] = "page"
    zone: Annotated[str, Field(max_length=64)] = "UTC"


@router.get("/cases/{case_id}/export", operation_id="case_export")
def export_case(request: HttpRequest, case_id: int, asked: Query[CaseExportIn]) -> HttpResponse:
    """The case as files that need no Faena to be read, and that another Faena takes in."""
    row = actions.of(case_id)
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
