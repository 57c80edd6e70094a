"""A case as Markdown, with its pictures as files beside it."""

from collections.abc import Iterator
from datetime import tzinfo

from faena.core.cases.casefile import CaseFile, Evidence
from faena.core.cases.moments import moment

SHOWN_ROWS = 40  # of the figures behind a picture; all of them are in the file beside it


def as_markdown(case: CaseFile, zone: tzinfo) -> str:
    """The text. The picture of the first evidence is named pictures/1.svg, its figures figures/1.csv, and so on."""
    return "\n".join(_lines(case, zone)) + "\n"


def _lines(case: CaseFile, zone: tzinfo) -> Iterator[str]:
    yield f"# {_inline(case.title)}"
    yield ""
    yield f"{case.state.label.capitalize()}. Begun by {_inline(case.by or 'nobody')} {moment(case.made, zone)}."
    if case.people:
        yield f"With {', '.join(_inline(one) for one in case.people)}."
    for link in case.links:
        yield f"- {link.about.label} on {_inline(link.server)}: {_inline(link.title)}"
    if case.conclusion:
        yield from ("", "## Conclusion", "", case.conclusion)
    for number, one in enumerate(case.evidence, 1):
        yield from _evidence(number, one, case.address, zone)
    if case.comments:
        yield from ("", "## Comments")
    for comment in case.comments:
        yield from ("", f"**{_inline(comment.by)}**, {moment(comment.at, zone)}", "", comment.text)


def _evidence(number: int, one: Evidence, address: str, zone: tzinfo) -> Iterator[str]:
    yield from ("", f"## {number}. {_inline(one.title)}", "")
    where = f" on {_inline(one.server)}" if one.server else ""
    yield f"{one.kind.label.capitalize()}{where}, kept by {_inline(one.by)} {moment(one.at, zone)}."
    if one.sentence:
        yield from ("", _inline(one.sentence))
    if one.lines:
        yield ""
        yield from (f"{place}. {_inline(line)}" for place, line in enumerate(one.lines, 1))
    if one.svg:
        yield from ("", f"![{_inline(one.title)}](pictures/{number}.svg)")
    elif one.figures:
        yield ""
        yield from _table(one)
    if one.figures:
        yield from ("", f"[Figures](figures/{number}.csv)")
    if one.link:
        yield from ("", f"[In Faena]({address}{one.link})")
    if one.note:
        yield from ("", one.note)


def _table(one: Evidence) -> Iterator[str]:
    assert one.figures is not None
    yield "| " + " | ".join(_cell(name) for name in one.figures.columns) + " |"
    yield "|" + " --- |" * len(one.figures.columns)
    for row in one.figures.rows[:SHOWN_ROWS]:
        yield "| " + " | ".join(_cell("–" if cell is None else str(cell)) for cell in row) + " |"
    if (left := len(one.figures.rows) - SHOWN_ROWS) > 0:
        yield from ("", f"{left} more rows are in the file of its figures.")


def _inline(text: str) -> str:
    """One line in which nothing is a mark of Markdown or of HTML."""
    return "".join(f"\\{one}" if one in "\\`*_[]<>#|" else one for one in " ".join(text.split()))


def _cell(text: str) -> str:
    return _inline(text[:200])
