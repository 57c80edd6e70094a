"""Sections of docs/diagnosis.md that benches write: each from its mark to the next one."""

import re
from pathlib import Path

DOCUMENT = Path(__file__).parents[1] / "docs" / "diagnosis.md"


def mark_of(command: str) -> str:
    """The line above a section."""
    return f"<!-- what follows is written by {command} -->"


def write_section(command: str, text: str) -> None:
    """In place of what the same command wrote before; at the end where it wrote nothing yet."""
    found = re.split(r"^(<!-- what follows is written by .* -->)$", DOCUMENT.read_text(), flags=re.MULTILINE)
    head, marks, texts = found[0], found[1::2], found[2::2]
    sections = dict(zip(marks, texts, strict=True)) | {mark_of(command): text}
    DOCUMENT.write_text(
        "\n\n".join([head.strip(), *(f"{mark}\n\n{one.strip()}" for mark, one in sections.items())]) + "\n"
    )
