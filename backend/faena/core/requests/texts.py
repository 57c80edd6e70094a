"""Statements as they are compared within a request: without what differs from run to run.

Not `core.sql`: that follows one server's grammar to keep literals out of the store; here texts of any SQL database come
in, and placeholders of any driver, and what cannot be read must still be comparable.
"""

import re
from functools import lru_cache

# In the order in which they are tried at each place; what none of them takes stays as it is.
_TOKEN = re.compile(
    r"""
    (?P<comment> --[^\n]* | /\*.*?(?:\*/|$) )
  | (?P<tagged> (?P<tag>\$(?:[a-z_]\w*)?\$) .*? (?:(?P=tag)|$) )
  | (?P<text> (?:\b(?:e|n|b|x|u&))?'(?:[^'\\]|''|\\.)*(?:'|$) )
  | (?P<cast> ::\s*"?[a-z_][\w.]*"?(?:\[\])* )
  | "(?P<quoted>(?:[^"]|"")*)" | `(?P<ticked>[^`]*)` | (?<![\w\])])\[(?P<bracketed>[a-z_][\w\ ]*)\]
  | (?P<name> [a-z_][\w$]* )
  | (?P<placeholder> \$\d+ | \? | %s | %\(\w*\)s | (?<!:):[a-z_]\w* | @[a-z_]\w* )
  | (?P<number> (?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?\w* )
  | (?P<blank> \s+ )
    """,
    re.VERBOSE | re.DOTALL | re.IGNORECASE,
)
_LIST = re.compile(r"\?(?:\s*,\s*\?)+")
_ROWS = re.compile(r"\(\s*\?\s*\)(?:\s*,\s*\(\s*\?\s*\))+")
_VALUES = re.compile(r"\bvalues\s*\(")
_CONTROL = ("begin", "commit", "rollback", "savepoint", "release", "set", "reset", "show", "start transaction", "end")


def _mask(found: re.Match[str]) -> str:
    kind = found.lastgroup
    for name in ("quoted", "ticked", "bracketed"):
        if (inner := found.group(name)) is not None:
            return inner
    if kind in ("comment", "blank"):
        return " "
    if kind in ("name", "cast"):
        return found.group()
    return "?"


def _bare(text: str) -> str:
    """Literals and placeholders as `?`, comments out, names without quotes, blanks collapsed, lower case."""
    return " ".join(_TOKEN.sub(_mask, text).lower().split())


def with_question_marks(text: str) -> str:
    """The text with ? for the placeholders of drivers, which a server's own grammar does not know."""
    return _TOKEN.sub(lambda found: "?" if found.lastgroup == "placeholder" else found.group(), text)


@lru_cache(maxsize=4096)
def normalised(text: str) -> str:
    """The form by which runs of one statement are told to be alike."""
    bare = _bare(text).rstrip("; ")
    return _ROWS.sub("(?)", _LIST.sub("?", bare))


@lru_cache(maxsize=4096)
def is_batch(text: str) -> bool:
    """Whether one run of it does the work of several: several statements, or several rows to insert."""
    bare = _bare(text).rstrip("; ")
    if ";" in bare:
        return True
    begins = _VALUES.search(bare)
    return begins is not None and _rows(bare, begins.end() - 1) > 1


def _rows(text: str, at: int) -> int:
    """How many bracketed rows follow each other from here, with commas between them."""
    rows, depth = 0, 0
    for place in range(at, len(text)):
        letter = text[place]
        if letter == "(":
            depth += 1
            rows += depth == 1
        elif letter == ")":
            depth -= 1
        elif depth == 0 and letter not in ", ":
            break
    return rows


def is_control(text: str) -> bool:
    """Whether a normalised statement only steers the transaction or the session."""
    return any(text == word or text.startswith(f"{word} ") for word in _CONTROL)
