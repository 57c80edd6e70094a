"""A server's log_line_prefix as a pattern, given or found out."""

import re
from collections.abc import Callable, Sequence
from operator import itemgetter

from faena.sources.logs.languages import WORDS, WORDS_WITH_SPACES, WORDS_WITHOUT_SPACES

# What each escape of log_line_prefix looks like. Names can hold nearly anything; those that hold what prefixes are
# made of are matched with patience (LOOSE), all others at once. With patience a name goes on to the first place where
# what follows it in the prefix stands, and never further: a line that fits nowhere is given up in one pass.
_ESCAPES = {
    "a": r"(?P<program>[^\n,:|\[\]@=]*)",
    "u": r"(?P<user>[^\s,:|\[\]@=/]*)",
    "d": r"(?P<database>[^\s,:|\[\]@=/]*)",
    "r": r"(?P<client>[^\s,:|@=()]*(?:\(\d+\))?)",
    "h": r"(?P<client>[^\s,|@=()]*)",
    "b": r"(?P<backend>[a-z ]*)",
    "p": r"(?P<pid>\d{1,9})",
    "P": r"\d*",
    "t": r"(?P<at>\d{4}-\d\d-\d\d [\d:]{8} [A-Za-z0-9+-]+(?::\d\d(?=\D))?)",
    "m": r"(?P<at>\d{4}-\d\d-\d\d [\d:]{8}\.\d{3} [A-Za-z0-9+-]+(?::\d\d(?=\D))?)",
    "n": r"(?P<epoch>\d{1,11}\.\d{3})",
    "i": r"(?P<tag>[^\n]{0,64}?)",
    "e": r"(?P<sqlstate>[0-9A-Z]{5})",
    "c": r"(?P<session>[0-9a-f]+\.[0-9a-f]+)",
    "l": r"\d+",
    "s": r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d [A-Za-z0-9+:-]+",
    "v": r"(?:-?\d+/\d+)?",
    "x": r"\d+",
    "Q": r"(?P<query_id>-?\d{1,19})",
}
_LOOSE = {
    "a": r"(?P<program>[^\n]*?)",
    "u": r"(?P<user>[^\n]*?)",
    "d": r"(?P<database>[^\n]*?)",
    "r": r"(?P<client>[^\s(]*+(?:\(\d+\))?+)",
    "h": r"(?P<client>\S*?)",
}
_PATIENT = frozenset("audh")
# Tried in this order when nobody says how a log was written; the first that fits nearly every line wins.
COMMON: tuple[str, ...] = (
    "%m [%p] ",
    "%m [%p] %q%u@%d ",
    "%m [%p] %q[user=%u,db=%d,app=%a] ",
    "%m [%p] %q%u@%d %a ",
    "%m [%p] %q%u@%d/%a ",
    "%m [%p]: %q%u@%d ",
    "%m [%p] user=%u,db=%d,app=%a,client=%h ",
    "%t [%p]: [%l-1] user=%u,db=%d,app=%a,client=%h ",
    "%t [%p]: user=%u,db=%d,app=%a,client=%h ",
    "%t [%p]: [%l-1] user=%u,db=%d ",
    "%t [%p]: [%l] %u@%d ",
    "%t [%p] %q%u@%d ",
    "%t [%p] ",
    "%t:%r:%u@%d:[%p]:",
    "%m:%r:%u@%d:[%p]:",
    "%m %u@%d %h %p ",
    "%m %p %u %d %a %h ",
    "%t ",
    "%m ",
)
SEVERITIES = ("LOG", "ERROR", "FATAL", "PANIC", "WARNING", "NOTICE", "INFO", *(f"DEBUG{i}" for i in range(1, 6)))
FOLLOW_UPS = ("DETAIL", "HINT", "CONTEXT", "STATEMENT", "QUERY", "LOCATION", "BACKTRACE")
# Servers that speak another language have other words there, set off by the same two spaces.
_TEXT = r"[^\n]*+(?:\n\t[^\n]*+)*+"
_WORD = rf"(?:[^\s:]{{1,24}}|{'|'.join(map(re.escape, WORDS_WITH_SPACES))})"
_NO_SPACES = "|".join(map(re.escape, WORDS_WITHOUT_SPACES))
_HEAD = rf"(?P<severity>{_WORD}(?=:  )|{_NO_SPACES}):(?:  )?+(?P<message>{_TEXT})"
NEVER = r"((?!))?"
FIELDS = ("at", "epoch", "pid", "user", "database", "program", "client", "query_id")
ENTRY_FIELDS = (*FIELDS, "severity", "message", "sqlstate", "detail")
EXECUTION_FIELDS = (*FIELDS, "took", "execute", "statement", "parameters")
_EXECUTION = rf"LOG:  duration: (?P<took>\d{{1,12}}+\.\d{{1,6}}+) ms  (?:statement|(?P<execute>execute) [^:\n]*+): (?P<statement>{_TEXT})"


def pattern_of(prefix: str, *, loose: bool = False) -> re.Pattern[str]:
    """The whole of an entry: prefix, severity, message, and a DETAIL that follows at once.

    Background processes stop at %q. An escape that stands twice is read once. The last line end is not part of it, and
    its last group never matches: what `fields_of` gives for what the prefix does not tell.
    """
    body, again = _bodies(prefix, loose=loose)
    return re.compile(rf"{body}{_HEAD}(?:\n{again}DETAIL:  (?P<detail>{_TEXT}))?{NEVER}")


def execution_pattern_of(prefix: str) -> re.Pattern[str]:
    """As `pattern_of`, of an execution that is told in one entry: by far the most entries of a log that has any.

    A time stamp is only measured here, its reader tells whether it is one; and the prefix before DETAIL mostly is the
    same to the letter.
    """
    body, again = _bodies(prefix, loose=False)
    body = body.replace(_ESCAPES["m"], r"(?P<at>.{10} .{8}\.\d{3} [A-Za-z0-9+-]+(?::\d\d(?=\D))?)")
    follows = rf"(?:\n(?:(?P=prefix)|{again})DETAIL:  [Pp]arameters: (?P<parameters>{_TEXT}))?"
    return re.compile(rf"(?P<prefix>{body}){_EXECUTION}{follows}{NEVER}")


def fields_of(pattern: re.Pattern[str], names: Sequence[str]) -> Callable[[Sequence[str]], tuple[str, ...]]:
    """Takes the groups of a match apart: the named ones, in that order."""
    never = pattern.groups
    return itemgetter(*(pattern.groupindex.get(name, never) - 1 for name in names))


def _bodies(prefix: str, *, loose: bool) -> tuple[str, str]:
    """The prefix as it stands first, and as it stands again, where nothing is taken from it."""
    body = _body(prefix, loose=loose)
    return body, re.sub(r"\?P<\w+>", "?:", body)


def _body(prefix: str, *, loose: bool) -> str:
    before, stop, after = prefix.partition("%q")
    seen: set[str] = set()
    escapes = _ESCAPES | _LOOSE if loose else _ESCAPES
    body = _piece(before, seen, escapes, last=not stop)
    return body + (f"(?:{_piece(after, seen, escapes, last=True)})?" if stop else "")


_BEFORE_SEVERITY = rf"(?=(?:{_WORD}:  |(?:{_NO_SPACES}):))"


def _piece(prefix: str, seen: set[str], escapes: dict[str, str], *, last: bool) -> str:
    """`last`: the severity follows."""
    found: list[str] = []
    parts = re.findall(r"([^%]+)|%(-?\d*)([a-zA-Z%])", prefix)
    patient = False  # the part before is a name that goes on to the first place where this one stands
    for i, (literal, padding, escape) in enumerate(parts):
        if literal or escape == "%":
            told = re.escape(literal or "%")
            ends = _BEFORE_SEVERITY if last and i == len(parts) - 1 else ""
            found.append(f"{told}{ends})" if patient else told)
            patient = False
        elif escape in escapes:
            name = re.search(r"\?P<(\w+)>", escapes[escape])
            body = escapes[escape]
            if name and name[1] in seen:
                body = body.replace(name[0], "?:", 1)
            seen.update(name.groups() if name else ())
            body = rf" *+{body} *" if padding else body
            if patient:
                found.append(")")
            patient = escapes is not _ESCAPES and escape in _PATIENT
            found.append(f"(?>{body}" if patient else body)
    if patient:
        found.append(f"{_BEFORE_SEVERITY if last else ''})")
    return "".join(found)


def recognise_prefix(lines: Sequence[str]) -> str | None:
    """Which of the common prefixes fits nine of ten lines, most told first; None when none does."""
    heads = [line for line in lines if line and line[0] not in "\t\n"][:200]
    best, told = None, -1
    for prefix in COMMON:
        pattern = pattern_of(prefix)
        fits = [match for line in heads if (match := pattern.match(line)) and _sound(match)]
        if fits and len(fits) >= 0.9 * len(heads):
            groups = max(sum(value is not None for value in match.groups()) for match in fits)
            if groups > told:
                best, told = prefix, groups
    return best


def _sound(match: re.Match[str]) -> bool:
    """No field swallowed a part of the next: names of users and databases hold no brackets, commas or colons."""
    named = match.groupdict()
    if any(re.search(r"[\[\],:=]", named.get(name) or "") for name in ("user", "database")):
        return False
    return match["severity"].isupper() or match["severity"] in WORDS
