"""Statement texts: normalised and fingerprinted."""

import hashlib
import re

from faena.core.units import QueryId

_COMMENT = re.compile(r"--[^\n]*|/\*.*?\*/", re.DOTALL)
_STRING = re.compile(r"\$([A-Za-z_]\w*|)\$.*?\$\1\$|[eE]?'(?:[^'\\]|''|\\.)*'", re.DOTALL)
_NUMBER = re.compile(r"(?<![\w$.])-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?\b")
_PLACE = re.compile(r"\$\d+")
_LIST = re.compile(r"\(\s*\?(?:\s*,\s*\?)+\s*\)")
_SPACE = re.compile(r"\s+")


def normalise(text: str) -> str:
    """The text without comments, literals and placeholders, on one line; lists of literals shrink to one.

    A running statement and the server's own stored form of it ($1 for its literals) come out the same.
    """
    bare = _PLACE.sub("?", _STRING.sub("?", _COMMENT.sub(" ", text)))
    return _LIST.sub("(?)", _SPACE.sub(" ", _NUMBER.sub("?", bare))).strip().rstrip(";")


def fingerprint(text: str) -> QueryId:
    """A stable signed 64-bit number of the normalised text, for servers that give no identifier of their own."""
    digest = hashlib.blake2b(normalise(text).lower().encode(), digest_size=8).digest()
    return QueryId(int.from_bytes(digest, "big", signed=True))


def gist(text: str, limit: int = 80) -> str:
    """One line for a list: spaces folded, the middle of a long select list left out, cut at `limit` characters."""
    line = _SPACE.sub(" ", _COMMENT.sub(" ", text)).strip()
    match = re.match(r"(?is)^(select)\s+(.{12,}?)\s+(from\s.*)$", line)
    if match and len(line) > limit:
        line = f"{match[1]} … {match[3]}"
    return line if len(line) <= limit else line[: limit - 1].rstrip() + "…"
