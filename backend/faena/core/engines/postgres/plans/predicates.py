"""What a condition of a plan asks of which columns, as far as its text tells."""

import re
from dataclasses import dataclass

from faena.core.engines.postgres.naming import bare, identifier

_NAME = r"(?:\"(?:[^\"]|\"\")+\"|[a-z_][\w$]*)"
_COLUMN = rf"(?:(?P<alias>{_NAME})\.)?(?P<column>{_NAME})"
_OPERATOR = r"(?P<op>=|<>|<=|>=|<|>|~~\*?|!~~\*?|IS NULL|IS NOT NULL)"
_PLAIN = re.compile(rf"\(*{_COLUMN}\)*(?:::(?:text|character varying|bpchar|varchar))?\s*{_OPERATOR}\s*(?P<value>.*)")
# A call on a column beside an operator: lower((email)::text) = …, date_trunc('day', at) >= …
_FUNCTION = re.compile(
    r"\b(?P<function>[a-z_]\w{0,62}+)\((?=[^()]{0,200}(?:\([^()]{0,200}\))?[^()]{0,200}\b[a-z_])"
    r"(?P<inside>[^=<>~]{0,300})\)\s?(?:=|<>|<=|>=|<|>|~~)"
)
_NO_FUNCTIONS = {"any", "all", "in", "not", "and", "or", "array", "row", "exists", "now", "current_date", "hashed"}
_CAST = re.compile(
    rf"\((?:{_NAME}\.)?(?P<column>{_NAME})\)::(?P<type>numeric|double precision|real|integer|bigint|smallint|date|timestamp[a-z ]*|time[a-z ]*)\s*(?:=|<>|<=|>=|<|>)"
)
_WIDENED = ("numeric", "double precision", "real", "integer", "bigint", "smallint")
_SPACES = re.compile(r"\s++")
MOST_JUDGED = 20_000  # characters of a condition; of what comes behind them nothing is said
_WILDCARD = re.compile(r"~~\*?\s*'%")


@dataclass(frozen=True, slots=True)
class Predicate:
    """One comparison of a plain column. `equal` can stand first in an index; `prefix`: with a pattern like 'abc%'."""

    column: str
    equal: bool
    prefix: bool = False

    @property
    def key(self) -> str:
        """As a column of an index. A pattern needs an order by bytes, which only the C locale has by itself."""
        return f"{identifier(self.column)} text_pattern_ops" if self.prefix else identifier(self.column)


def conjuncts(condition: str) -> list[str]:
    """The parts of a condition that AND joins at its outermost level."""
    text = _unbracketed(_SPACES.sub(" ", condition[:MOST_JUDGED]))
    return [_unbracketed(part) for part in _split(text, " AND ")]


def alternatives(condition: str) -> list[str]:
    """The parts that OR joins at the outermost level of any conjunct; empty when there are none."""
    for part in conjuncts(condition):
        found = _split(part, " OR ")
        if len(found) > 1:
            return [_unbracketed(one) for one in found]
    return []


def _unbracketed(text: str) -> str:
    """Without brackets around the whole; each bracket's partner is found once, however many there are."""
    text = text.strip()
    if not text.startswith("("):
        return text
    partner = _partners(text)
    start, end = 0, len(text)
    while start < end and text[start] == "(" and partner.get(start) == end - 1:
        start, end = start + 1, end - 1
        while start < end and text[start] == " ":
            start += 1
        while end > start and text[end - 1] == " ":
            end -= 1
    return text[start:end]


def _partners(text: str) -> dict[int, int]:
    """Where each bracket that is opened outside of quotes closes."""
    found: dict[int, int] = {}
    opened: list[int] = []
    quoted = False
    for i, letter in enumerate(text):
        if letter == "'":
            quoted = not quoted
        elif not quoted and letter == "(":
            opened.append(i)
        elif not quoted and letter == ")" and opened:
            found[opened.pop()] = i
    return found


def _split(text: str, word: str) -> list[str]:
    parts, depth, quoted, start = [], 0, False, 0
    for i, letter in enumerate(text):
        if letter == "'":
            quoted = not quoted
        elif not quoted and letter == "(":
            depth += 1
        elif not quoted and letter == ")":
            depth -= 1
        elif not quoted and depth == 0 and text.startswith(word, i):
            parts.append(text[start:i])
            start = i + len(word)
    return [*parts, text[start:]]


def predicates(condition: str) -> list[Predicate]:
    """Comparisons of plain columns, equality first: the order in which an index would want them."""
    found: dict[str, Predicate] = {}
    for part in conjuncts(condition):
        match = _PLAIN.fullmatch(part)
        if match and match["op"] not in ("<>", "!~~", "~~*", "!~~*", "IS NOT NULL"):
            column = bare(match["column"])
            equal = match["op"] in ("=", "IS NULL")
            if column not in found or equal:
                found[column] = Predicate(column, equal, match["op"] == "~~")
    return sorted(found.values(), key=lambda one: not one.equal)


def function_on_column(condition: str) -> str | None:
    """Name of a function that wraps a column beside an operator; "a cast to date" for casts that lose precision."""
    for match in _FUNCTION.finditer(_SPACES.sub(" ", condition[:MOST_JUDGED])):
        if match["function"] not in _NO_FUNCTIONS and re.search(r"\b[a-z_][\w]*\b", _without_strings(match["inside"])):
            return match["function"]
    for match in _CAST.finditer(condition[:MOST_JUDGED]):
        if match["type"] not in _WIDENED:
            return f"a cast to {match['type']}"
    return None


def implicit_cast(condition: str) -> tuple[str, str] | None:
    """Column and the type it is turned into before it is compared; casts that an index still serves are none."""
    for match in _CAST.finditer(condition[:MOST_JUDGED]):
        if match["type"] in _WIDENED:
            return bare(match["column"]), match["type"]
    return None


def leading_wildcard(condition: str) -> bool:
    return bool(_WILDCARD.search(condition))


def _without_strings(text: str) -> str:
    return re.sub(r"'[^']*'(?:::[a-z ]+)?", "", text)


@dataclass(frozen=True, slots=True)
class Comparison:
    """One comparison that an index can serve. `column` is a column or an expression over one; `value` None: not known."""

    column: str
    operator: str
    value: str | None
    of: str  # the bare column in it
    alias: str = ""
    values: int = 1  # in a list, of which one must fit

    @property
    def prefix(self) -> bool:
        """A pattern with a known beginning."""
        return self.operator == "~~"

    @property
    def equal(self) -> bool:
        return self.operator in ("=", "IS NULL", "= ANY")

    @property
    def expression(self) -> bool:
        return self.column != self.of


_COMPARED = re.compile(r"(?P<left>.+?)\s*(?P<op>=|<=|>=|<|>|IS NULL)\s*(?P<any>ANY\s*)?(?P<right>.*)", re.DOTALL)
_BARE = re.compile(rf"\(*{_COLUMN}\)*(?:::(?:text|character varying|bpchar|varchar))?")
_WRAPPED = re.compile(rf"(?P<call>[a-z_]\w*)\(\(*{_COLUMN}\)*(?:::text)?\)")
_LITERAL = re.compile(
    r"\(*'(?P<text>(?:[^']|'')*)'(?:::[\w\" .\[\]()]+)?\)*|\(*(?P<number>-?\d+(?:\.\d+)?)\)*(?:::\w+)?"
)
_KEY = re.compile(
    rf"(?:{_NAME}\.)?(?P<column>{_NAME})(?P<way>(?: COLLATE \S+)?(?: USING \S+)?(?: (?:ASC|DESC))?(?: NULLS (?:FIRST|LAST))?)"
)
_LINKED = re.compile(rf"\(*(?P<a>{_NAME})\.(?P<x>{_NAME})\)*\s*=\s*\(*(?P<b>{_NAME})\.(?P<y>{_NAME})\)*")


def comparisons(condition: str) -> list[Comparison]:
    """Of a column with something that is not a column of the same table, as far as the condition's AND goes."""
    found = []
    for part in conjuncts(condition):
        match = _COMPARED.fullmatch(part)
        if match is None or _split(part, " OR ")[1:]:
            continue
        left = _BARE.fullmatch(match["left"].strip())
        call = _WRAPPED.fullmatch(match["left"].strip()) if left is None else None
        side = left or call
        if side is None:
            continue
        column, alias = bare(side["column"]), bare(side["alias"] or "")
        expression = f"{call['call']}({column})" if call else column
        operator = match["op"] + (" ANY" if match["any"] else "")
        literal = _LITERAL.fullmatch(match["right"].strip())
        value = None
        if literal is not None and not match["any"]:
            value = literal["number"] if literal["text"] is None else literal["text"].replace("''", "'")
        found.append(Comparison(expression, operator, value, column, alias))
    return found


def sort_key(key: str) -> tuple[str, str] | None:
    """Column and way ("", " DESC", " NULLS FIRST" …) of a key of a sort; None for an expression."""
    match = _KEY.fullmatch(key)
    return None if match is None else (bare(match["column"]), match["way"])


def links(condition: str) -> list[tuple[tuple[str, str], tuple[str, str]]]:
    """Equal columns of two tables, each as (alias, column)."""
    found = []
    for part in conjuncts(condition):
        match = _LINKED.fullmatch(part)
        if match:
            a, x, b, y = (bare(match[name]) for name in ("a", "x", "b", "y"))
            found.append(((a, x), (b, y)))
    return found
