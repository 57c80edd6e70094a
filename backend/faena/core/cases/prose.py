"""What people write of a case: Markdown, of which nothing becomes a tag, a script or a picture from elsewhere."""

from functools import cache

from markdown_it import MarkdownIt


def to_html(text: str) -> str:
    """Paragraphs, lists, code, tables and links; HTML in it stays the text that it is, and pictures are left out."""
    return str(_reader().render(text))


@cache
def _reader() -> MarkdownIt:
    # html: shown as text. The library refuses links to javascript: and the like; images would be fetched from elsewhere.
    return MarkdownIt("commonmark", {"html": False}).enable("table").disable("image")
