"""A case as one page of HTML that needs nothing else: to be opened from a disk, printed, sent, and read in again."""

import json
import re
from collections.abc import Iterator
from datetime import tzinfo
from html import escape
from typing import Any

from faena.core.cases.casefile import CaseFile, Evidence, from_plain, to_plain
from faena.core.cases.markdown import SHOWN_ROWS
from faena.core.cases.moments import moment
from faena.core.cases.pictures import as_image
from faena.core.cases.prose import to_html
from faena.core.errors import BadInput

# Nothing on the page may run or be fetched: the browser that opens it is told so as well.
_POLICY = "default-src 'none'; img-src data:; style-src 'unsafe-inline'"
_STYLE = """
@page { size: A4; margin: 18mm }
body { font: 11pt/1.5 system-ui, sans-serif; color: #222b3a; max-width: 46em; margin: 2em auto; padding: 0 1em }
h1 { font-size: 1.5em; line-height: 1.25 } h2 { font-size: 1.15em; margin: 1.6em 0 .2em }
.quiet { color: #5c6470; font-size: .9em } section { break-inside: avoid-page } h2 { break-after: avoid-page }
img { max-width: 100%; border: 1px solid #d7d3ca } pre { white-space: pre-wrap; overflow-wrap: anywhere }
pre, code { font-size: .92em; background: #f3f1ec } table { border-collapse: collapse; font-size: .85em }
th, td { text-align: left; padding: .1em .7em .1em 0; border-bottom: 1px solid #e4e0d8; vertical-align: top }
.conclusion { border-left: 3px solid #0f5c9c; padding-left: 1em } a { color: #0f5c9c } details { font-size: .9em }
@media print { a { color: inherit } details { display: none } body { margin: 0; padding: 0 } }
"""
_HELD = re.compile(r'<script type="application/json" id="case">(.*?)</script>', re.S)


def as_page(case: CaseFile, zone: tzinfo) -> str:
    """The page; the case as JSON is inside of it."""
    return "\n".join(_lines(case, zone)) + "\n"


def from_page(text: str) -> CaseFile:
    """The case inside of such a page, or of the JSON alone. Raises BadInput."""
    held = _HELD.search(text)
    try:
        told: Any = json.loads(held[1] if held else text)
    except (ValueError, RecursionError):
        raise BadInput(
            "there is no case of Faena in this file: give a page or a .json that Faena made", field="file"
        ) from None
    return from_plain(told)


def _lines(case: CaseFile, zone: tzinfo) -> Iterator[str]:
    yield '<!doctype html><html lang="en"><head><meta charset="utf-8">'
    yield f'<meta http-equiv="Content-Security-Policy" content="{_POLICY}">'
    yield f"<title>{escape(case.title)}</title><style>{_STYLE}</style></head><body><main>"
    yield f"<h1>{escape(case.title)}</h1>"
    people = f" With {escape(', '.join(case.people))}." if case.people else ""
    yield f'<p class="quiet">{case.state.label.capitalize()}. Begun by {escape(case.by or "nobody")} {moment(case.made, zone)}.{people}</p>'
    if case.links:
        yield "<ul>"
        for link in case.links:
            yield f"<li>{link.about.label} on {escape(link.server)}: {escape(link.title)}</li>"
        yield "</ul>"
    if case.conclusion:
        yield f'<section class="conclusion"><h2>Conclusion</h2>{to_html(case.conclusion)}</section>'
    for number, one in enumerate(case.evidence, 1):
        yield from _evidence(number, one, case.address, zone)
    if case.comments:
        yield "<h2>Comments</h2>"
    for comment in case.comments:
        yield f'<section><p class="quiet">{escape(comment.by)}, {moment(comment.at, zone)}</p>{to_html(comment.text)}</section>'
    yield f'</main><script type="application/json" id="case">{_inside(case)}</script></body></html>'


def _evidence(number: int, one: Evidence, address: str, zone: tzinfo) -> Iterator[str]:
    where = f" on {escape(one.server)}" if one.server else ""
    yield f"<section><h2>{number}. {escape(one.title)}</h2>"
    yield f'<p class="quiet">{one.kind.label.capitalize()}{where}, kept by {escape(one.by)} {moment(one.at, zone)}.'
    if one.link:
        yield f' <a href="{escape(address + one.link)}">In Faena</a>'
    yield "</p>"
    if one.sentence:
        yield f"<p>{escape(one.sentence)}</p>"
    if one.lines:
        yield "<ol>" + "".join(f"<li>{escape(line)}</li>" for line in one.lines) + "</ol>"
    if one.svg:
        yield f'<p><img src="{as_image(one.svg)}" alt="{escape(one.sentence or one.title)}"></p>'
    if one.figures:
        table = "".join(_table(one))
        yield f"<details><summary>figures</summary>{table}</details>" if one.svg else table
    if one.note:
        yield to_html(one.note)
    yield "</section>"


def _table(one: Evidence) -> Iterator[str]:
    assert one.figures is not None
    yield "<table><tr>" + "".join(f"<th>{escape(name)}</th>" for name in one.figures.columns) + "</tr>"
    for row in one.figures.rows[: None if one.svg else SHOWN_ROWS]:
        yield "<tr>" + "".join(f"<td>{'–' if cell is None else escape(str(cell))}</td>" for cell in row) + "</tr>"
    yield "</table>"
    if not one.svg and (left := len(one.figures.rows) - SHOWN_ROWS) > 0:
        yield f'<p class="quiet">{left} more rows are in the file, not on the page.</p>'


def _inside(case: CaseFile) -> str:
    """As JSON in which nothing ends the element around it."""
    return json.dumps(to_plain(case), ensure_ascii=False).replace("<", "\\u003c").replace("\u2028", "\\u2028")
