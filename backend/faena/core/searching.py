"""What somebody types into the search, and how well a text fits it."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from faena.core.errors import BadInput
from faena.core.labels import Labelled
from faena.core.units import MS_PER_HOUR, EpochMs

LEAST_LETTERS, MOST_LETTERS = 2, 200
BEGINS = 3.0  # how well a text fits that begins with the words
_PART = re.compile(r'(?:(kind|server|since|until):)?(?:"([^"]*)"|(\S+))')
_AGO = re.compile(r"(\d{1,5})(min|h|d)")
_UNITS_MS = {"min": 60_000, "h": MS_PER_HOUR, "d": 24 * MS_PER_HOUR}


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
    """All `words`, in lower case, must be in a text. Empty `kinds` and `servers`: any; servers by parts of their names.

    `since` and `until` None: at any time.
    """

    words: Sequence[str]
    kinds: frozenset[Kind] = frozenset()
    servers: Sequence[str] = ()
    since: EpochMs | None = None
    until: EpochMs | None = None


def read_words(text: str, now: EpochMs) -> Words:
    """`left open kind:lead server:pier-1 since:3d`, with quotation marks around what belongs together. Raises BadInput.

    `since` and `until` are days or minutes of UTC, or how long ago: `2026-11-20`, `2026-11-20T09:20`, `90min`, `12h`, `3d`.
    """
    if len(text) > MOST_LETTERS:
        raise BadInput(f"at most {MOST_LETTERS} letters are searched for", field="words")
    words, kinds, servers = list[str](), set[Kind](), list[str]()
    moments: dict[str, EpochMs] = {}
    for named, quoted, bare in _PART.findall(text):
        part = (quoted or bare).strip().lower()
        if named == "kind":
            kinds |= _kinds(part)
        elif named == "server":
            servers.append(part)
        elif named:
            moments[named] = _moment(named, part, now)
        elif part:
            words.append(part)
    if sum(len(one) for one in words) < LEAST_LETTERS:
        raise BadInput(f"at least {LEAST_LETTERS} letters are searched for", field="words")
    since, until = moments.get("since"), moments.get("until")
    if since is not None and since >= (now if until is None else until):
        raise BadInput("since: must lie before until:, or before now where there is none", field="words")
    return Words(words=words, kinds=frozenset(kinds), servers=servers, since=since, until=until)


def _moment(named: str, part: str, now: EpochMs) -> EpochMs:
    if ago := _AGO.fullmatch(part):
        return EpochMs(now - int(ago[1]) * _UNITS_MS[ago[2]])
    try:
        return EpochMs(int(datetime.fromisoformat(part.upper()).replace(tzinfo=UTC).timestamp() * 1000))
    except (ValueError, OverflowError):
        raise BadInput(
            f"{named}:{part[:40]} cannot be read; write a day of UTC (2026-11-20 or 2026-11-20T09:20) or how long ago (90min, 12h, 3d)",
            field="words",
        ) from None


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
