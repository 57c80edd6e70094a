"""Pictures of evidence: SVG that somebody's browser made, which is never more than a picture.

It is shown as an image only, where no browser runs a script of it or fetches anything. So what is checked is that it is
a picture at all, and that it is not too large.
"""

import base64
from typing import Any
from xml.etree import ElementTree

from faena.core.errors import BadInput

LARGEST_SVG = 2_000_000  # bytes
_ROOT = "{http://www.w3.org/2000/svg}svg"


def checked_svg(told: Any) -> str:
    """The picture. Raises BadInput."""
    if not isinstance(told, str) or len(told.encode(errors="surrogatepass")) > LARGEST_SVG:
        raise BadInput(f"a picture is SVG of at most {LARGEST_SVG // 1_000_000} MB", field="svg")
    if "<!DOCTYPE" in told or "<!ENTITY" in told:
        raise BadInput("a picture declares no entities", field="svg")
    try:
        root = ElementTree.fromstring(told)
    except (ElementTree.ParseError, ValueError):
        raise BadInput("this picture is no SVG", field="svg") from None
    if root.tag != _ROOT:
        raise BadInput("this picture is no SVG", field="svg")
    return told.replace("\0", "")


def around(png: str, width: int, height: int) -> str:
    """An SVG that shows a picture made elsewhere: a PNG in base 64, so many pixels wide and high."""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}">'
        f'<image width="{width}" height="{height}" href="data:image/png;base64,{png}"/></svg>'
    )


def as_image(svg: str) -> str:
    """The picture as the address of an image, with all that it takes inside."""
    return f"data:image/svg+xml;base64,{base64.b64encode(svg.encode()).decode()}"
