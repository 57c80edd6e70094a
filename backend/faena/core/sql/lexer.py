"""Cuts SQL into tokens by the grammar of PostgreSQL's own lexer, in one pass, whatever it is given.

The text may be cut off anywhere, as servers cut it at track_activity_query_size, and may be no SQL at all. Where the
lexer cannot be sure of what follows, it stops and says so: what stands outside of a literal for one reading can stand
inside for another, and a literal that is taken for a name would be shown.
"""

import re
from enum import IntEnum
from typing import NamedTuple


class Kind(IntEnum):
    """What a token is. SPACE and COMMENT tell nothing; STRING and NUMBER are literals."""

    SPACE = 0
    COMMENT = 1
    WORD = 2  # a keyword or a name without quotes
    NAME = 3  # a name in double quotes, also U&"…"
    STRING = 4  # also E'…', B'…', X'…', N'…', U&'…' and $tag$…$tag$
    NUMBER = 5
    PLACE = 6  # $1
    SIGN = 7  # an operator's or a bracket's single character
    PLAIN = 8  # of `pieces_of` alone: words, spaces and signs in one


class Token(NamedTuple):
    """`text[start:end]` of the text it was cut from."""

    kind: Kind
    start: int
    end: int


class Tokens(NamedTuple):
    """`whole`: the text was read to its end without doubt; else the tokens are those before the doubt."""

    tokens: list[Token]
    whole: bool


# Any character beyond ASCII can be part of a name, as for the server. Possessive throughout: no way back, so no text
# can make it slow. The order matters: a prefixed string before a word, a comment before an operator.
_NAMED = r"A-Za-z_\u0080-\U0010ffff"
_WORD = rf"[{_NAMED}][{_NAMED}0-9$]*+"
_LITERALS = (
    r"|(?P<LINE>--[^\n\r]*+)"
    r"|(?P<BLOCK>/\*)"
    r"|(?P<ESCAPED>[eE]'(?:[^'\\]++|''|\\[\s\S])*+')"
    r"|(?P<STRING>(?:[bBxXnN]|[uU]&)?+'(?:[^']++|'')*+')"
    r"|(?P<NAME>(?:[uU]&)?+\"(?:[^\"]++|\"\")*+\")"
    r"|(?P<UNCLOSED>(?:[eEbBxXnN]|[uU]&)?+'|(?:[uU]&)?+\")"
    rf"|(?P<WORD>{_WORD})"
    r"|(?P<PLACE>\$[0-9]++)"
    rf"|(?P<DOLLAR>\$(?:[{_NAMED}][{_NAMED}0-9]*+)?+\$)"
    # A number takes what hangs on to it along: 0x1F, 1_000, 1.5e3, and what is none for any server.
    rf"|(?P<NUMBER>(?:[0-9][0-9_]*+(?:\.[0-9_]*+)?+|\.[0-9]++)(?:[eE][+-]?+[0-9]++)?+[{_NAMED}0-9]*+)"
    r"|(?P<SIGN>[\s\S])"
)
_TOKEN = re.compile(r"(?P<SPACE>[ \t\n\r\f\v]++)" + _LITERALS)
# What stands between literals, in one piece: a statement is a few of these, and taking literals out of it is quick.
_PIECE = re.compile(
    rf"(?P<PLAIN>(?:(?![eEbBxXnN]'|[uU]&['\"]){_WORD}|[ \t\n\r\f\v,()=<>*+%;:\[\]!@#^&|~`?{{}}]++|\.(?![0-9]))++)"
    + _LITERALS
)
_IN_COMMENT = re.compile(r"/\*|\*/")
# A quote behind an odd number of backslashes ends a string or does not, by a setting that any session may change.
_DOUBTFUL = re.compile(r"(?<!\\)(?:\\\\)*+\\'")
_KINDS = {
    "PLAIN": Kind.PLAIN, "SPACE": Kind.SPACE, "LINE": Kind.COMMENT, "ESCAPED": Kind.STRING, "STRING": Kind.STRING, "NAME": Kind.NAME,
    "WORD": Kind.WORD, "PLACE": Kind.PLACE, "NUMBER": Kind.NUMBER, "SIGN": Kind.SIGN,
}  # fmt: skip


def tokens_of(text: str) -> Tokens:
    """All tokens in order, without gaps between them, up to the end or to where reading it is in doubt."""
    return _cut(text, _TOKEN)


def pieces_of(text: str) -> Tokens:
    """As `tokens_of`, with all between literals, comments and quoted names in pieces as large as can be."""
    return _cut(text, _PIECE)


def _cut(text: str, pattern: re.Pattern[str]) -> Tokens:
    found: list[Token] = []
    at, end, match_at = 0, len(text), pattern.match
    while at < end:
        match = match_at(text, at)
        assert match is not None  # any character is a SIGN
        assert match.lastgroup is not None
        name, stop = match.lastgroup, match.end()
        kind = _KINDS.get(name)
        if kind is Kind.STRING and name == "STRING" and _DOUBTFUL.search(text, at, stop):
            return Tokens(found, False)
        if kind is None:
            stop, kind = _beyond(text, at, stop, name)
        elif kind is Kind.SIGN and text[at] in "\\\0":
            return Tokens(found, False)  # outside of literals no server takes them, so we are not where we think
        if stop < 0:
            return Tokens(found, False)
        found.append(Token(kind, at, stop))
        at = stop
    return Tokens(found, True)


def _beyond(text: str, at: int, stop: int, name: str) -> tuple[int, Kind]:
    """Where a comment in marks or a dollar-quoted string ends; -1 when it does not."""
    match name:
        case "BLOCK":
            return _end_of_comment(text, stop), Kind.COMMENT
        case "DOLLAR":
            closing = text.find(text[at:stop], stop)
            return (closing + stop - at if closing >= 0 else -1), Kind.STRING
        case _:
            return -1, Kind.STRING


def _end_of_comment(text: str, at: int) -> int:
    """Comments in marks nest."""
    depth = 1
    for mark in _IN_COMMENT.finditer(text, at):
        depth += 1 if mark[0] == "/*" else -1
        if depth == 0:
            return mark.end()
    return -1
