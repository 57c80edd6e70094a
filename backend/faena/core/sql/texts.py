"""Statement texts: freed of literals, normalised, fingerprinted. The one place where literals are taken out of SQL."""

import hashlib
import re
from collections.abc import Iterator, Sequence

from faena.core.privacy import Normalised
from faena.core.sql.lexer import Kind, Token, Tokens, pieces_of, tokens_of
from faena.core.units import QueryId

_LIST = re.compile(r"\(\s?+\?(?:\s?+,\s?+\?)++\s?+\)")
_SPACE = re.compile(r"[ \t\n\r\f\v]++")
# Behind these words a minus belongs to the number that follows; behind a name, a number or a bracket it is a difference.
_BEFORE_A_VALUE = frozenset(
    [
        "select",
        "where",
        "and",
        "or",
        "not",
        "in",
        "any",
        "all",
        "between",
        "then",
        "else",
        "when",
        "limit",
        "offset",
        "return",
        "returning",
        "like",
        "ilike",
        "similar",
        "values",
        "value",
        "by",
        "on",
        "having",
        "is",
        "from",
        "set",
        "case",
        "using",
        "union",
        "except",
        "intersect",
        "distinct",
        "as",
        "default",
        "do",
        "with",
        "to",
        "for",
        "first",
        "next",
    ]
)
_SIZED = frozenset(
    [
        "numeric",
        "decimal",
        "varchar",
        "char",
        "character",
        "varying",
        "bpchar",
        "bit",
        "timestamp",
        "timestamptz",
        "time",
        "timetz",
        "interval",
        "float",
        "nchar",
    ]
)
_COMMANDS = frozenset(
    [
        "ABORT",
        "ALTER",
        "ANALYZE",
        "ANALYSE",
        "BEGIN",
        "CALL",
        "CHECKPOINT",
        "CLOSE",
        "CLUSTER",
        "COMMENT",
        "COMMIT",
        "COPY",
        "CREATE",
        "DEALLOCATE",
        "DECLARE",
        "DELETE",
        "DISCARD",
        "DO",
        "DROP",
        "END",
        "EXECUTE",
        "EXPLAIN",
        "FETCH",
        "GRANT",
        "IMPORT",
        "INSERT",
        "LISTEN",
        "LOAD",
        "LOCK",
        "MERGE",
        "MOVE",
        "NOTIFY",
        "PREPARE",
        "REASSIGN",
        "REFRESH",
        "REINDEX",
        "RELEASE",
        "RESET",
        "REVOKE",
        "ROLLBACK",
        "SAVEPOINT",
        "SECURITY",
        "SELECT",
        "SET",
        "SHOW",
        "START",
        "TABLE",
        "TRUNCATE",
        "UNLISTEN",
        "UPDATE",
        "VACUUM",
        "VALUES",
        "WITH",
    ]
)
_SETTERS = frozenset(("SET", "ALTER", "CREATE"))
_SETS_OWN = re.compile(r"\b(?:set|local|session)\s++[^\s.]{1,130}\s{0,9}+\.", re.IGNORECASE)
_VALUES = (Kind.STRING, Kind.NUMBER)
_LAST_WORD = re.compile(r"[A-Za-z_][A-Za-z0-9_$]*$")
_MAY_KEEP = re.compile(rf"\b(?:by|{'|'.join(sorted(_SIZED))})\b", re.IGNORECASE)
_POSITION = re.compile(
    r"\bby\s+(?:[0-9]{1,2}(?:\s+(?:asc|desc))?(?:\s+nulls\s+(?:first|last))?\s*,\s*){0,20}$", re.IGNORECASE
)
_BEHIND_POSITION = re.compile(r"\s{0,20}(?:[,);]|\Z|[A-Za-z])")
_SIZE = re.compile(rf"\b(?:{'|'.join(sorted(_SIZED))})\s?\(\s?(?:[0-9]{{1,4}}\s?,\s?)?$", re.IGNORECASE)
UNREADABLE = "…"  # stands between the keyword and the hash of a text that could not be read to its end


def normalise(text: str) -> Normalised:
    """The text without comments, literals and placeholders, on one line; lists of literals shrink to one.

    A running statement and the server's own stored form of it ($1 for its literals) come out the same. A text that
    cannot be read to its end without doubt is its first keyword and a hash.
    """
    line, whole = _on_one_line(text)
    return Normalised(storable(line)) if whole else _unreadable(text, line)


def conceal(text: str) -> Normalised:
    """The text as it is laid out, without comments, and with $n in place of each literal, counted on from those there are.

    What stays is SQL that can be explained without values. Positions in ORDER BY and GROUP BY and sizes of types stay,
    as servers leave them, too. A text that cannot be read to its end without doubt is its first keyword and a hash.
    """
    found = _pieces(text)
    if not found.whole:
        return _unreadable(text, _on_one_line(text)[0])
    place = max((int(text[t.start + 1 : t.end][:6]) for t in found.tokens if t.kind is Kind.PLACE), default=0)
    kept = _kept_numbers(text, found.tokens)
    pieces: list[str] = []
    for kind, start, end in _without_signs(text, found.tokens):
        if kind in _VALUES and start not in kept:
            place += 1
            pieces.append(f"${place}")
        elif kind is Kind.COMMENT:
            if pieces and not pieces[-1][-1].isspace():
                pieces.append(" ")
        else:
            pieces.append(text[start:end])
    return Normalised(storable("".join(pieces).strip()))


def fingerprint(text: str) -> QueryId:
    """A stable signed 64-bit number of the normalised text, for servers that give no identifier of their own."""
    digest = hashlib.blake2b(normalise(text).lower().encode("utf-8", "surrogatepass"), digest_size=8).digest()
    return QueryId(int.from_bytes(digest, "big", signed=True))


def gist(text: Normalised, limit: int = 80) -> Normalised:
    """One line for a list: spaces folded, the middle of a long select list left out, cut at `limit` characters.

    It takes comments out of a text without literals, and nothing else.
    """
    head = text[: 50 * limit]  # a select list longer than that is not looked through for its end
    found = tokens_of(head)
    bare = (
        "".join(" " if t.kind is Kind.COMMENT else head[t.start : t.end] for t in found.tokens) if found.whole else head
    )
    line = _SPACE.sub(" ", bare).strip()
    if len(line) > limit and line[:7].lower() == "select ":
        at = line.lower().find(" from ", 19)
        if at > 0:
            line = f"{line[:6]} … {line[at + 1 :]}"
    return Normalised(line if len(line) <= limit else line[: limit - 1].rstrip() + "…")


def storable(text: str) -> str:
    """Without what UTF-8 or PostgreSQL's text cannot hold: halves of surrogate pairs become a mark, NUL goes."""
    if text.isascii():
        return text.replace("\0", "")
    return text.replace("\0", "").encode("utf-8", "replace").decode()


def first_keyword(text: str) -> str:
    """The command's word in capitals; "" where the text begins with none: any other word could be a secret."""
    for token in tokens_of(text[:4000]).tokens:
        if token.kind is Kind.WORD:
            word = text[token.start : min(token.end, token.start + 40)].upper()
            return word if word in _COMMANDS else ""
        if token.kind not in (Kind.SPACE, Kind.COMMENT) and text[token.start] != "(":
            return ""
    return ""


def _unreadable(text: str, line: str) -> Normalised:
    """Keyword and hash. The hash is of what was read without doubt, so it gives no literal away, and tells texts apart."""
    digest = hashlib.blake2b(line.lower().encode("utf-8", "surrogatepass"), digest_size=4).hexdigest()
    return Normalised(f"{first_keyword(text)} {UNREADABLE} unread_{digest}".strip())


def _on_one_line(text: str) -> tuple[str, bool]:
    """The line, and whether the text was read to its end."""
    found = _pieces(text)
    pieces = [""]
    for kind, start, end in _without_signs(text, found.tokens):
        if kind in _VALUES or kind is Kind.PLACE:
            piece = "?"
        elif kind is Kind.COMMENT:
            piece = " "
        else:
            piece = text[start:end] if kind is Kind.NAME else _SPACE.sub(" ", text[start:end])
        pieces.append(piece[1:] if piece[0] == " " and pieces[-1][-1:] in ("", " ") else piece)
        if not pieces[-1]:
            pieces.pop()
    return _LIST.sub("(?)", "".join(pieces)).strip().rstrip("; "), found.whole


def _pieces(text: str) -> Tokens:
    """Large pieces; for a statement that can set an application's own settings each token, its values marked as strings."""
    if _SETS_OWN.search(text, 0, 4000) is None:
        return pieces_of(text)
    found = tokens_of(text)
    values = _values_of_own_settings(text, found.tokens)
    return Tokens([Token(Kind.STRING, *t[1:]) if t.start in values else t for t in found.tokens], found.whole)


def _without_signs(text: str, tokens: Sequence[Token]) -> Iterator[Token]:
    """The minus of a negative number goes: it is part of the value."""
    for i, token in enumerate(tokens):
        if (
            text[token.start] == "-"
            and token.kind is Kind.SIGN
            and i + 1 < len(tokens)
            and tokens[i + 1].kind is Kind.NUMBER
            and _begins_a_value(text, tokens, i)
        ):
            continue
        yield token


def _begins_a_value(text: str, tokens: Sequence[Token], i: int) -> bool:
    """Whether what stands before token `i` is no operand, so that a minus there is a sign."""
    while i > 0:
        i -= 1
        kind, start, end = tokens[i]
        if kind in (Kind.SPACE, Kind.COMMENT):
            continue
        if kind in _VALUES or kind in (Kind.PLACE, Kind.NAME):
            return False
        before = text[max(start, end - 64) : end].rstrip()
        if not before:
            continue
        word = _LAST_WORD.search(before)
        return word[0].lower() in _BEFORE_A_VALUE if word else before[-1] not in ")]"
    return True


def _values_of_own_settings(text: str, tokens: Sequence[Token]) -> frozenset[int]:
    """Starts of words that are values of an application's own settings: SET app.key = s3cret needs no quotes."""
    if first_keyword(text) not in _SETTERS:
        return frozenset()
    told = [t for t in tokens if t.kind not in (Kind.SPACE, Kind.COMMENT)]
    found = set[int]()
    inside = False
    for i, token in enumerate(told):
        if inside:
            inside = _word(text, token) != ";"
            if token.kind in (Kind.WORD, Kind.NAME):
                found.add(token.start)
            continue
        inside = i >= 4 and _is_own_setting(text, told, i)
    return frozenset(found)


def _is_own_setting(text: str, told: Sequence[Token], i: int) -> bool:
    """Whether token `i` is the = or TO of SET [LOCAL | SESSION] name.name = …"""
    if _word(text, told[i]) not in ("=", "to") or _word(text, told[i - 2]) != ".":
        return False
    named = all(told[at].kind in (Kind.WORD, Kind.NAME) for at in (i - 1, i - 3))
    return named and _word(text, told[i - 4]) in ("set", "local", "session")


def _word(text: str, token: Token) -> str:
    return text[token.start : min(token.end, token.start + 64)].lower()


def _kept_numbers(text: str, tokens: Sequence[Token]) -> frozenset[int]:
    """Starts of numbers that are no values: positions behind ORDER BY and GROUP BY, sizes of types."""
    if _MAY_KEEP.search(text) is None:
        return frozenset()
    found = set[int]()
    for kind, start, end in tokens:
        if kind is not Kind.NUMBER or end - start > 4:
            continue
        before = text[max(0, start - 120) : start]
        position = end - start <= 2 and _POSITION.search(before) and _BEHIND_POSITION.match(text, end)
        if position or _SIZE.search(before):
            found.add(start)
    return frozenset(found)


_NUMBERED = re.compile(r"(?:SubPlan|InitPlan|CTE) $")


def bare_expression(text: str) -> Normalised:
    """An expression as a plan prints it, with ? for each literal. Places, and numbers of subplans, are none.

    Of a pattern that begins with a wildcard that much is kept, '%?', since it is what an index cannot serve.
    """
    found = pieces_of(text)
    if not found.whole:
        return Normalised("?")
    pieces: list[str] = []
    for kind, start, end in _without_signs(text, found.tokens):
        piece = text[start:end]
        if kind in _VALUES and not (kind is Kind.NUMBER and _NUMBERED.search(text[max(0, start - 10) : start])):
            wild = piece[:2] == "'%" and text[max(0, start - 8) : start].rstrip().endswith(("~~", "~~*"))
            piece = "'%?'" if wild else "?"
        elif kind is Kind.COMMENT:
            piece = " "
        pieces.append(piece)
    return Normalised(storable("".join(pieces)))
