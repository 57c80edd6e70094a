"""A case as an archive: Markdown, its pictures and figures as files, and the case itself to be read in again."""

import csv
import io
import json
import zipfile
import zlib
from datetime import tzinfo

from faena.core.cases.casefile import CaseFile, Figures, to_plain
from faena.core.cases.markdown import as_markdown
from faena.core.cases.page import from_page
from faena.core.errors import BadInput
from faena.core.spreadsheets import harmless

LARGEST = 64_000_000  # bytes of a case, unpacked
_CASE, _TEXT = "case.json", "case.md"


def as_archive(case: CaseFile, zone: tzinfo) -> bytes:
    """A zip of case.md, pictures/, figures/ and case.json."""
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(_TEXT, as_markdown(case, zone))
        for number, one in enumerate(case.evidence, 1):
            if one.svg:
                archive.writestr(f"pictures/{number}.svg", one.svg)
            if one.figures:
                archive.writestr(f"figures/{number}.csv", as_csv(one.figures))
        archive.writestr(_CASE, json.dumps(to_plain(case), ensure_ascii=False))
    return kept.getvalue()


def read_case(content: bytes) -> CaseFile:
    """A case from a page, an archive or its JSON. Raises BadInput."""
    if content.startswith(b"PK"):
        content = _member(content)
    if len(content) > LARGEST:
        raise BadInput(f"this is larger than {LARGEST // 1_000_000} MB, which no case is", field="file")
    try:
        return from_page(content.decode())
    except UnicodeDecodeError:
        raise BadInput("there is no case of Faena in this file: it is no text", field="file") from None


def _member(content: bytes) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            if archive.getinfo(_CASE).file_size > LARGEST:
                raise BadInput(f"this unpacks to more than {LARGEST // 1_000_000} MB, which no case does", field="file")
            with archive.open(_CASE) as held:
                return held.read(LARGEST + 1)
    except (KeyError, zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, zlib.error):
        raise BadInput(
            f"there is no case of Faena in this archive: {_CASE} is missing or broken", field="file"
        ) from None


def as_csv(figures: Figures) -> str:
    """One line a row; what a spreadsheet would run as a formula has an apostrophe before it."""
    kept = io.StringIO()
    writer = csv.writer(kept)
    writer.writerow(figures.columns)
    writer.writerows([harmless(cell) for cell in row] for row in figures.rows)
    return kept.getvalue()
