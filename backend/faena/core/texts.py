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


_NAME = r'((?:"[^"]+"|[A-Za-z_][\w$]*)(?:\.(?:"[^"]+"|[A-Za-z_][\w$]*))?)'
_TARGETS = tuple(
    re.compile(pattern.replace(" ", r"\s+") + r"\s+" + _NAME, re.IGNORECASE)
    for pattern in (
        r"\bupdate(?: only)?", r"\bdelete from(?: only)?", r"\binsert into", r"\block table(?: only)?",
        r"\b(?:alter|truncate|drop|analyze|vacuum|reindex|cluster)(?: table)?(?: if exists)?(?: only)?",
        r"\bcreate(?: unique)? index\b.*? on(?: only)?", r"\bfrom(?: only)?", r"\block",
    )
)  # fmt: skip


def target_of(text: str) -> str:
    """The table that a statement changes or locks, by its words alone; "" when it names none.

    Quicker than a parser and good for a name: what stands first after the verb, or after FROM.
    """
    bare = _COMMENT.sub(" ", text[:4000])
    for pattern in _TARGETS:
        if found := pattern.search(bare):
            return found[1].replace('"', "")
    return ""
