"""What an index could serve of a condition: the comparisons of one table, by the types of its columns.

A condition that is not understood whole yields nothing. An index is wrong for it more often than right.
"""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from faena.core.engines.postgres.naming import bare, identifier
from faena.core.engines.postgres.plans.predicates import Comparison, alternatives, comparisons, conjuncts
from faena.core.plans.schema import TableFacts

# Functions whose value hangs on nothing but their arguments, so that an index may be built of them.
_IMMUTABLE = frozenset(
    ("lower", "upper", "abs", "length", "char_length", "octet_length", "md5", "btrim", "ltrim", "rtrim", "reverse", "initcap", "left",
     "right", "substr", "substring", "replace", "strpos", "split_part", "round", "floor", "ceil", "trunc", "sign", "mod", "coalesce",
     "nullif", "array_length", "cardinality", "jsonb_array_length", "jsonb_extract_path_text", "jsonb_typeof", "sha256")
)  # fmt: skip
_OF_MOMENTS = frozenset(("date_trunc", "date_part", "extract", "date"))  # only where no time zone comes in
_CASTS = frozenset(
    ("text", "character varying", "integer", "bigint", "smallint", "numeric", "double precision", "real", "boolean")
)
_STEADY = _IMMUTABLE | {
    "now",
    "to_timestamp",
    "make_date",
    "make_timestamp",
    "to_date",
    "any",
    "date",
    "date_trunc",
    "extract",
}
_CALL = re.compile(r"\b([a-z_]\w*)\(")
_TOKEN = re.compile(
    r"(?P<space>\s+)|(?P<text>'(?:[^']|'')*')|(?P<number>\d+(?:\.\d+)?)|"
    r"(?P<cast>::(?:double precision|character varying|timestamp without time zone|[a-z_]\w*)(?:\(\d+(?:,\d+)?\))?(?:\[\])?)|"
    r'(?P<call>[a-z_]\w*(?=\())|(?P<name>(?:(?:"(?:[^"]|"")+"|[a-z_][\w$]*)\.)?(?:"(?:[^"]|"")+"|[a-z_][\w$]*))|'
    r"(?P<operator>->>|->|#>>|#>|[-+*/%])|(?P<mark>[(),])|(?P<from>FROM\b)",
    re.IGNORECASE,
)
_SIDES = re.compile(r"(?P<left>.+?) (?P<op>=|<=|>=|<|>) (?P<any>ANY )?(?P<right>.*)", re.DOTALL)
_LISTED = re.compile(r"\(?'\{(?P<items>.*)\}'(?:::[\w \[\]]+)?\)?", re.DOTALL)
_PATTERN = re.compile(
    r"\(*(?P<column>\"(?:[^\"]|\"\")+\"|[\w$.]+)\)*(?:::text)? (?P<op>~~\*?|~\*?) '(?P<pattern>(?:[^']|'')*)'(?:::text)?"
)
_CONTAINS = re.compile(
    r"\(*(?P<column>\"(?:[^\"]|\"\")+\"|[\w$.]+)\)* (?P<op>@>|&&|\?|\?\||\?&|@@|@\?) (?P<value>.+)", re.DOTALL
)
_FLAG = re.compile(r"(?P<no>NOT )?\(?(?P<column>\"(?:[^\"]|\"\")+\"|[\w$.]+)\)?")
_THERE = re.compile(r"\(?(?P<column>\"(?:[^\"]|\"\")+\"|[\w$.]+)\)? IS NOT NULL")
MOST_LISTED = 1000


@dataclass(frozen=True, slots=True)
class Flag:
    """A condition that few rows meet and that has no value to search by: what a partial index is made for."""

    condition: str
    of: str
    share: float


@dataclass(frozen=True, slots=True)
class Inverted:
    """A condition that only an index of parts serves. `parts` that are looked up; `extension` that it takes."""

    column: str
    operator_class: str
    parts: int
    condition: str
    extension: str = ""


@dataclass(frozen=True, slots=True)
class Terms:
    """What can be served of a condition, and whether that is all of it."""

    compared: Sequence[Comparison] = ()
    flags: Sequence[Flag] = ()
    inverted: Sequence[Inverted] = ()
    either: Sequence[Sequence[Comparison]] = ()  # of one OR: what each of its parts can be searched by
    left: int = 0  # conditions that nothing here serves


def terms_of(table: TableFacts, alias: str, condition: str) -> Terms:
    """Of the conditions that AND joins, as far as they are about this table."""
    compared, flags, inverted, either, left = (
        list[Comparison](),
        list[Flag](),
        list[Inverted](),
        list[list[Comparison]](),
        0,
    )
    for part in conjuncts(condition):
        if found := list(_compared(table, alias, part)):
            compared += found
        elif flag := _flag(table, alias, part):
            flags.append(flag)
        elif special := _inverted(table, alias, part):
            inverted.append(special)
            left += 1
        elif parts := _either(table, alias, part):
            either = parts
            left += 1
        else:
            left += 1
    return Terms(compared, flags, inverted, either, left)


def _compared(table: TableFacts, alias: str, part: str) -> Iterator[Comparison]:
    """A comparison that an order serves: of a column in its own type, or of an expression of nothing but columns."""
    if pattern := _PATTERN.fullmatch(part):
        prefix = _prefix(pattern["pattern"]) if pattern["op"] == "~~" else ""
        name = _column(table, alias, pattern["column"])
        if prefix and name is not None:
            yield Comparison(name, "~~", prefix, name)
        return
    if any(
        one not in _STEADY for one in _CALL.findall(re.sub(r"'(?:[^']|'')*'", "''", part.lower().replace("any (", "")))
    ):
        return  # what differs from row to row is looked up in no index
    for one in comparisons(part):
        name = _column(
            table, alias, f"{identifier(one.alias)}.{identifier(one.of)}" if one.alias else identifier(one.of)
        )
        if name is None or one.expression or not _as_it_is(table, name, part):
            continue
        yield replace(one, column=name, of=name, values=_values(part) if one.operator == "= ANY" else 1)
        return
    sides = _SIDES.fullmatch(part)
    if sides is None or sides["any"]:
        return
    written = expression(table, alias, sides["left"])
    if written is not None and not _mentions(table, alias, sides["right"]):
        key, of = written
        yield Comparison(key, sides["op"], None, of)


def _column(table: TableFacts, alias: str, written: str) -> str | None:
    """The column of this table that is meant; None for another's."""
    owner, _, name = written.rpartition(".") if '"' not in written else _quoted_parts(written)
    if owner and bare(owner) != alias:
        return None
    column = bare(name)
    return column if column in table.columns or not table.columns else None


def _quoted_parts(written: str) -> tuple[str, str, str]:
    found = re.fullmatch(r'(?:("(?:[^"]|"")+"|[\w$]+)\.)?("(?:[^"]|"")+"|[\w$]+)', written)
    return (found[1] or "", ".", found[2]) if found else ("", "", written)


def _as_it_is(table: TableFacts, column: str, part: str) -> bool:
    """Whether a column is compared in its own type. To text only a varchar is turned without its index being lost."""
    if not re.search(
        rf"\(?{re.escape(identifier(column))}\)?::(?:text|character varying|bpchar|varchar)\s*(?:=|<|>)", part
    ):
        return True
    facts = table.columns.get(column)
    return facts is not None and (facts.type.startswith("character varying") or not facts.type)


def _values(part: str) -> int:
    """How many values an IN list or an array holds; several where they come with the call."""
    listed = re.search(r"ANY \((.*)\)$", part, re.DOTALL)
    items = _LISTED.fullmatch(listed[1].strip()) if listed else None
    if items is None:
        return 10
    return min(MOST_LISTED, items["items"].count(",") + 1)


def _prefix(pattern: str) -> str:
    """What a pattern begins with before its first wildcard; of one that is not known, something."""
    if pattern == "?":
        return pattern
    return re.split(r"[%_\\]", pattern, maxsplit=1)[0]


def expression(table: TableFacts, alias: str, written: str) -> tuple[str, str] | None:
    """An expression as an index has it, and the column in it; None where an index cannot be built of it."""
    out, columns, at = list[str](), list[str](), 0
    while at < len(written):
        token = _TOKEN.match(written, at)
        if token is None:
            return None
        at = token.end()
        if token.lastgroup == "call":
            call = token["call"].lower()
            if call not in _IMMUTABLE and call not in _OF_MOMENTS:
                return None
            out.append(call)
        elif token.lastgroup == "cast":
            kind = token["cast"][2:].partition("(")[0]
            # A literal's cast only names its type.
            if kind not in _CASTS and not out[-1:][0].startswith("'"):
                return None
            out.append(token["cast"])
        elif token.lastgroup == "name":
            column = _column(table, alias, token["name"])
            if column is None or column not in table.columns:
                return None
            columns.append(column)
            out.append(identifier(column))
        else:
            out.append(token[0])
    if len(set(columns)) != 1 or not _immutable(table, columns[0], out):
        return None
    known = bool(table.columns[columns[0]].type)
    return (_simple(out, columns[0]) if known else None) or f"({''.join(out).strip()})", columns[0]


def _immutable(table: TableFacts, column: str, out: Sequence[str]) -> bool:
    kind = table.columns[column].type
    if not kind:  # told by a plan alone: only what is the same for each type that it can have
        words = re.sub(r"'(?:[^']|'')*'::\w+", "", "".join(out))
        cast = "::" in words and out[0] not in ("lower", "upper")  # which take texts, so that is what it was made
        return not cast and not any(one in _OF_MOMENTS or one in ("+", "-") for one in out)
    if any(one in _OF_MOMENTS for one in out):
        return kind in ("timestamp without time zone", "date")
    # A moment turned into text hangs on the session's settings.
    return not kind.startswith(("timestamp", "date", "time", "interval"))


def _simple(out: Sequence[str], column: str) -> str | None:
    """A function of the bare column, which needs no brackets around it."""
    words = "".join(out).strip()
    name = re.escape(identifier(column))
    found = re.fullmatch(rf"\(*([a-z_]\w*)\(\(*{name}\)*(?:::text)?\)\)*", words)
    return (
        f"{found[1]}({column})" if found and found[1] in _IMMUTABLE and found[1] not in ("coalesce", "nullif") else None
    )


def _mentions(table: TableFacts, alias: str, text: str) -> bool:
    """Whether a column of this table stands in a text."""
    plain = re.sub(r"'(?:[^']|'')*'", "''", text)
    names = re.findall(r'(?:("(?:[^"]|"")+"|[a-z_][\w$]*)\.)?("(?:[^"]|"")+"|[a-z_][\w$]*)(?!\()', plain)
    return any((not owner or bare(owner) == alias) and bare(name) in table.columns for owner, name in names)


def _flag(table: TableFacts, alias: str, part: str) -> Flag | None:
    if there := _THERE.fullmatch(part):
        name = _column(table, alias, there["column"])
        facts = table.columns.get(name) if name else None
        return (
            None
            if facts is None or name is None
            else Flag(f"{identifier(name)} IS NOT NULL", name, 1 - facts.null_share)
        )
    if found := _FLAG.fullmatch(part):
        name = _column(table, alias, found["column"])
        facts = table.columns.get(name) if name else None
        if facts is None or name is None or facts.type != "boolean":
            return None
        value = "f" if found["no"] else "t"
        rest = max(0.0, 1 - facts.null_share - sum(facts.common.values()))
        return Flag(f"{'NOT ' if found['no'] else ''}{identifier(name)}", name, facts.common.get(value, rest))
    return None


def _inverted(table: TableFacts, alias: str, part: str) -> Inverted | None:
    if pattern := _PATTERN.fullmatch(part):
        name = _column(table, alias, pattern["column"])
        letters = max((len(one) for one in re.findall(r"[^\W_]+", pattern["pattern"])), default=0)
        if name is None or letters < 3:  # fewer make no trigram to look up
            return None
        return Inverted(name, "gin_trgm_ops", max(1, letters - 2), part, "pg_trgm")
    if found := _CONTAINS.fullmatch(part):
        name = _column(table, alias, found["column"])
        facts = table.columns.get(name) if name else None
        if facts is None or name is None:
            return None
        served = (
            {"@>", "&&"}
            if facts.type.endswith("[]")
            else {"@>", "?", "?|", "?&", "@?", "@@"}
            if facts.type == "jsonb"
            else {"@@"}
            if facts.type == "tsvector"
            else set()
        )
        if found["op"] not in served:
            return None
        return Inverted(name, "", max(1, min(20, found["value"].count(",") + 1)), part)
    return None


def _either(table: TableFacts, alias: str, part: str) -> list[list[Comparison]]:
    """Of an OR, if each of its parts can be searched by; empty when one cannot, since then all rows are read anyway."""
    found = []
    for one in alternatives(part):
        compared = [c for term in conjuncts(one) for c in _compared(table, alias, term)]
        if not compared:
            return []
        found.append(compared)
    return found if len(found) > 1 else []
