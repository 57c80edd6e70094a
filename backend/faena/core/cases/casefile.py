"""A case as a whole, and the same as JSON: what an export holds and an import reads."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, TypeVar

from faena.core.cases.pictures import checked_svg
from faena.core.errors import BadInput
from faena.core.labels import Labelled
from faena.core.units import EpochMs

FORMAT, VERSION = "faena case", 1
LONGEST_TITLE, LONGEST_TEXT, LONGEST_LINE = 200, 20_000, 2000
MOST_EVIDENCE, MOST_COMMENTS, MOST_LINKS, MOST_LINES = 200, 1000, 200, 100
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 2000, 60, 2000
Cell = str | float | int | None
T = TypeVar("T")
L = TypeVar("L", bound=Labelled)


class CaseState(Labelled):
    """How far an investigation is."""

    OPEN = "open", "open"
    CLOSED = "closed", "closed", "the conclusion says what it was"


class EvidenceKind(Labelled):
    """What was kept."""

    VIEW = "view", "view", "a chart or a table as it was seen"
    LEAD = "lead", "lead", "what Faena found, with its chain"
    ALERT = "alert", "alert", "what fired, and what was told of it"


class About(Labelled):
    """What a case can be about, so that the way leads there and back."""

    LEAD = "lead", "lead"
    ALERT = "alert", "alert"
    PATTERN = "pattern", "deadlock pattern"
    STATEMENT = "statement", "statement"
    CHANGE = "change", "change"


@dataclass(frozen=True, slots=True, kw_only=True)
class Figures:
    """The figures behind a picture: each row has a cell for each column; None is a gap."""

    columns: Sequence[str]
    rows: Sequence[Sequence[Cell]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """Something kept as it was, so that it stays readable when the samples are gone.

    `link` is a path of the installation that it comes from, `at` when it was kept, `lines` sentences in order, `svg` a
    picture or "", `note` what somebody says of it, in Markdown.
    """

    kind: EvidenceKind
    title: str
    at: EpochMs
    by: str
    server: str = ""
    sentence: str = ""
    link: str = ""
    lines: Sequence[str] = ()
    svg: str = ""
    figures: Figures | None = None
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Comment:
    """What somebody said, in Markdown."""

    at: EpochMs
    by: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """What a case is about. `key` names it on its server: a lead's identity, a pattern, a statement's number."""

    about: About
    server: str
    key: str
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CaseFile:
    """All of a case. `address` is the installation it comes from, without a slash at its end."""

    title: str
    state: CaseState
    made: EpochMs
    by: str
    address: str = ""
    conclusion: str = ""
    people: Sequence[str] = ()
    evidence: Sequence[Evidence] = ()
    comments: Sequence[Comment] = ()
    links: Sequence[Link] = ()


def to_plain(case: CaseFile) -> dict[str, Any]:
    """As JSON has it."""
    return {"format": FORMAT, "version": VERSION, **asdict(case)}


def from_plain(told: Any) -> CaseFile:
    """A case from what an export holds, whoever made the file. Raises BadInput, which names the part at fault."""
    whole = _object(told, "the file")
    if whole.get("format") != FORMAT:
        raise BadInput("this is no case of Faena: a case says so in “format”", field="file")
    if whole.get("version") != VERSION:
        raise BadInput(
            f"this case is of version {whole.get('version')!s:.20}; this Faena reads {VERSION}", field="file"
        )
    return CaseFile(
        title=_text(whole, "title", LONGEST_TITLE) or "A case without a title",
        state=_member(CaseState, whole, "state"),
        made=_moment(whole, "made"),
        by=_text(whole, "by", 150),
        address=_text(whole, "address", 300),
        conclusion=_text(whole, "conclusion", LONGEST_TEXT),
        people=[str(one)[:150] for one in _list(whole, "people", 100)],
        evidence=_each(whole, "evidence", MOST_EVIDENCE, _evidence),
        comments=_each(whole, "comments", MOST_COMMENTS, _comment),
        links=_each(whole, "links", MOST_LINKS, _link),
    )


def figures_from(told: Any) -> Figures:
    """Columns and rows as they were sent. Raises BadInput."""
    whole = _object(told, "figures")
    columns = [str(one)[:200] for one in _list(whole, "columns", MOST_COLUMNS)]
    rows = [_row(one, len(columns)) for one in _list(whole, "rows", MOST_ROWS)]
    return Figures(columns=columns, rows=rows)


def _row(told: Any, width: int) -> list[Cell]:
    if not isinstance(told, list) or len(told) != width:
        raise BadInput(f"a row of figures has {width} cells, one for each column", field="figures")
    return [one if one is None or isinstance(one, int | float) else str(one)[:LONGEST_CELL] for one in told]


def _evidence(told: Mapping[str, Any]) -> Evidence:
    return Evidence(
        kind=_member(EvidenceKind, told, "kind"), title=_text(told, "title", LONGEST_TITLE), at=_moment(told, "at"),
        by=_text(told, "by", 150), server=_text(told, "server", 80), sentence=_text(told, "sentence", LONGEST_LINE),
        link=checked_path(_text(told, "link", LONGEST_LINE)),
        lines=[str(one)[:LONGEST_LINE] for one in _list(told, "lines", MOST_LINES)],
        svg=checked_svg(svg) if (svg := told.get("svg")) else "",
        figures=figures_from(told["figures"]) if told.get("figures") else None, note=_text(told, "note", LONGEST_TEXT),
    )  # fmt: skip


def _comment(told: Mapping[str, Any]) -> Comment:
    return Comment(at=_moment(told, "at"), by=_text(told, "by", 150), text=_text(told, "text", LONGEST_TEXT))


def _link(told: Mapping[str, Any]) -> Link:
    return Link(
        about=_member(About, told, "about"), server=_text(told, "server", 80), key=_text(told, "key", 200),
        title=_text(told, "title", LONGEST_TITLE),
    )  # fmt: skip


def checked_path(link: str) -> str:
    """A path inside of Faena, "" for none: a case leads nobody elsewhere. Raises BadInput."""
    if link and (not link.startswith("/") or link.startswith("//") or "\\" in link):
        raise BadInput("a link of a case is a path inside of Faena, such as /servers/1/load", field="link")
    return link


def _each(told: Mapping[str, Any], name: str, most: int, read: Callable[[Mapping[str, Any]], T]) -> list[T]:
    return [read(_object(one, name)) for one in _list(told, name, most)]


def _object(told: Any, what: str) -> Mapping[str, Any]:
    if not isinstance(told, dict):
        raise BadInput(f"{what}: an object was expected", field="file")
    return told


def _list(told: Mapping[str, Any], name: str, most: int) -> list[Any]:
    found = told.get(name) or []
    if not isinstance(found, list) or len(found) > most:
        raise BadInput(f"{name}: a list of at most {most} was expected", field=name)
    return found


def _text(told: Mapping[str, Any], name: str, most: int) -> str:
    found = told.get(name) or ""
    if not isinstance(found, str) or len(found) > most:
        raise BadInput(f"{name}: a text of at most {most} characters was expected", field=name)
    return found.replace("\0", "")


def _moment(told: Mapping[str, Any], name: str) -> EpochMs:
    found = told.get(name)
    if not isinstance(found, int) or not 0 <= found < 2**53:
        raise BadInput(f"{name}: a moment in milliseconds since 1970 was expected", field=name)
    return EpochMs(found)


def _member(kind: type[L], told: Mapping[str, Any], name: str) -> L:
    try:
        return kind(told.get(name, ""))
    except ValueError:
        raise BadInput(f"{name}: one of {', '.join(kind)} was expected", field=name) from None
