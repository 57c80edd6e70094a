"""What the API tells and takes of a case: its evidence as it was, what is kept in it, what is changed."""

from typing import Annotated, Literal

from ninja import Field, Schema

from faena.api.out import Out
from faena.apps.cases.selectors import Listed
from faena.core.cases.casefile import MOST_ROWS, About, Cell, EvidenceKind


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
    """What somebody said, as it was written in Markdown and as HTML."""

    at: int
    by: str
    text: str
    html: str


class CasePageOut(Out):
    """One case with all that is in it."""

    case: CaseOut
    conclusion_html: str
    evidence: list[EvidenceOut]
    comments: list[CaseCommentOut]


class CaseFiguresBody(Schema):
    """What a picture shows, as rows of as many cells as there are columns."""

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
    """Something that the case is about, by its `key` among its kind."""

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
    """A change of a case: what is given is changed. `seen`: when the case was changed last, as far as the writer of a conclusion knows."""

    title: str | None = None
    state: str | None = None
    conclusion: str | None = None
    people: list[str] | None = None
    seen: int | None = None


class EvidenceNoteBody(Schema):
    """What somebody says of a piece of evidence, in Markdown."""

    note: Annotated[str, Field(max_length=20_000)]


class EvidenceOrderBody(Schema):
    """Numbers of evidence, the first on top; what is not named stays behind."""

    order: Annotated[list[int], Field(max_length=200)]


class CaseCommentBody(Schema):
    """What somebody says, in Markdown."""

    text: Annotated[str, Field(max_length=20_000)]


class CasesIn(Schema):
    """Which cases are listed. `state`: open, closed; both where none is given. `about` with `key`: cases about one thing; without: about any of that kind."""

    state: list[str] = Field(default_factory=list)
    server: int | None = None
    about: About | None = None
    key: str = ""
    limit: Annotated[int, Field(ge=1, le=500)] = 200


class CaseDeletedOut(Out):
    """The case is gone."""

    deleted: bool = True


def case_out(told: Listed) -> CaseOut:
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


class CaseExportIn(Schema):
    """In which form a case is exported. `page` is one file of HTML, `archive` a zip of Markdown with its pictures and figures. `zone` an IANA name."""

    form: Literal["page", "archive"] = "page"
    zone: Annotated[str, Field(max_length=64)] = "UTC"
