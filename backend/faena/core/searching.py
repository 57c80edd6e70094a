"""What somebody types into the search, and how well a text fits it."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from faena.core.errors import BadInput
from faena.core.labels import Labelled

LEAST_LETTERS, MOST_LETTERS = 2, 200
BEGINS = 3.0  # how well a text fits that begins with the words
_PART = re.compile(r'(?:(kind|server):)?(?:"([^"]*)"|(\S+))')


class Kind(Labelled):
    """What can be found, in the order in which equals are listed."""

    SERVER = "server", "server"
    SESSION = "session", "sessions"
    TRACE = "trace", "request"
    CASE = "case", "case"
    LEAD = "lead", "lead"
    ALERT = "alert", "alert"
    PATTERN = "pattern", "deadlock pattern"
    CHANGE = "change", "change"
    ENDPOINT = "endpoint", "endpoint"
    PROGRAM = "program", "program"
    TABLES = "tables", "tables"
    INDEX = "index", "index"
    USER = "user", "user"
    CLIENT = "client", "client host"
    DATABASE = "database", "database"
    WAIT = "wait", "wait event"
    STATEMENT = "statement", "statement"
    LOG = "log", "log message"


@dataclass(frozen=True, slots=True, kw_only=True)
class Words:
    """All `words`, in lower case, must be in a text. Empty `kinds` and `servers`: any; servers by parts of their names."""

    words: Sequence[str]
    kinds: frozenset[Kind] = frozenset()
    servers: Sequence[str] = ()


def read_words(text: str) -> Words:
    """`left open kind:lead server:pier-1`, with quotation marks around what belongs together. Raises BadInput."""
    if len(text) > MOST_LETTERS:
        raise BadInput(f"at most {MOST_LETTERS} letters are searched for", field="words")
    words, kinds, servers = list[str](), set[Kind](), list[str]()
    for named, quoted, bare in _PART.findall(text):
        part = (quoted or bare).strip().lower()
        if named == "kind":
            kinds |= _kinds(part)
        elif named == "server":
            servers.append(part)
        elif part:
            words.append(part)
    if sum(len(one) for one in words) < LEAST_LETTERS:
        raise BadInput(f"at least {LEAST_LETTERS} letters are searched for", field="words")
    return Words(words=words, kinds=frozenset(kinds), servers=servers)


def _kinds(part: str) -> set[Kind]:
    found = {one for one in Kind if part and (one.value.startswith(part) or one.label.startswith(part))}
    if not found:
        raise BadInput(f"there is no kind {part[:40]!r}; there are {', '.join(Kind)}", field="words")
    return found


def fits(text: str, words: Sequence[str]) -> float:
    """0.0 where a word is not in the text; else the more the better: the text itself, its beginning, that of a word.

    Of two that fit alike the shorter is better.
    """
    low, whole = text.lower(), 0.0
    for word in words:
        at = low.find(word)
        if at < 0:
            return 0.0
        begins = at == 0 or not low[at - 1].isalnum()
        whole += 4.0 if low == word else BEGINS if at == 0 else 2.0 if begins else 1.0
    return whole / len(words) + 1.0 / (1.0 + len(low))
