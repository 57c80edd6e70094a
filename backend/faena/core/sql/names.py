"""Which tables a statement names, by its words alone: quicker than a parser, and no text can make it slow."""

from collections.abc import Sequence
from dataclasses import dataclass

from faena.core.sql.lexer import Kind, tokens_of

MAX_READ = 20_000  # characters; what comes behind them names tables that nobody looks for
TARGET_READ = 4_000

# Words that end FROM; and those of which reading takes note.
_ENDS = frozenset(
    [
        "select",
        "where",
        "group",
        "order",
        "having",
        "limit",
        "offset",
        "fetch",
        "union",
        "except",
        "intersect",
        "set",
        "returning",
        "for",
        "window",
        "values",
        "do",
    ]
)
_READS = _ENDS | frozenset(
    [
        "from",
        "join",
        "using",
        "into",
        "update",
        "table",
        "as",
        "copy",
        "analyze",
        "vacuum",
        "cluster",
        "truncate",
        "reindex",
        "refresh",
        "index",
    ]
)
_OWN_GRAMMAR = frozenset(
    ["extract", "substring", "trim", "overlay", "position"]
)  # functions in which FROM names no table
_NO_TARGET_BEHIND = frozenset(
    ["for", "key", "do", "on", "then"]
)  # FOR UPDATE, FOR NO KEY UPDATE, ON CONFLICT DO UPDATE
_FILLERS = frozenset(["only", "lateral"])
_NO_TABLES = frozenset(["unnest", "generate_series", "rows"])
_MAINTENANCE = frozenset(["alter", "truncate", "drop", "analyze", "vacuum", "reindex", "cluster", "refresh"])
_MAINTENANCE_FILLERS = frozenset(
    [
        "table",
        "if",
        "exists",
        "only",
        "concurrently",
        "verbose",
        "full",
        "freeze",
        "materialized",
        "view",
        "skip_locked",
        "analyze",
    ]
)
_WITHOUT_TABLE = frozenset(
    [
        "index",
        "sequence",
        "function",
        "role",
        "user",
        "type",
        "domain",
        "schema",
        "database",
        "extension",
        "trigger",
        "system",
    ]
)


class Words:
    """Significant tokens: words in small letters, names without their quotes, signs, and ? for literals and places."""

    def __init__(self, text: str, limit: int) -> None:
        head = text[:limit]
        found = tokens_of(head)
        self.words: list[str] = []
        self.quoted: list[bool] = []
        self.shown: list[str] = []
        for kind, start, end in found.tokens:
            if kind in (Kind.SPACE, Kind.COMMENT):
                continue
            piece = head[start:end]
            named = kind is Kind.NAME
            literal = kind in (Kind.STRING, Kind.NUMBER, Kind.PLACE)
            self.words.append("?" if literal else piece.lower())
            self.quoted.append(named)
            self.shown.append(piece[1:-1].replace('""', '"') if named and piece[0] == '"' else piece)

    def __len__(self) -> int:
        return len(self.words)

    def at(self, i: int) -> str:
        return self.words[i] if i < len(self.words) else ""

    def is_name(self, i: int) -> bool:
        if i >= len(self.words):
            return False
        first = self.words[i][:1]
        return self.quoted[i] or first.isalpha() or first == "_" or first > "\x7f"

    def name(self, i: int) -> tuple[str, str, int]:
        """(whole name, last part, index behind it) of a name that may have a schema before it; ("", "", i) when none stands."""
        if not self.is_name(i):
            return "", "", i
        parts, at = [self.shown[i]], i + 1
        while self.at(at) == "." and self.is_name(at + 1) and len(parts) < 3:
            parts.append(self.shown[at + 1])
            at += 2
        return ".".join(parts), parts[-1], at


def tables_of(text: str) -> tuple[str, ...]:
    """Names of the tables a statement touches, without schema, sorted; empty when it touches none."""
    words = Words(text, MAX_READ)
    reader = _Reader(words)
    for i in range(len(words)):
        reader.take(i)
    return tuple(sorted(name for name in reader.found - reader.own if name.lower() not in _NO_TABLES))


@dataclass(slots=True)
class _Bracket:
    """What stands in one pair of brackets, or in the statement itself."""

    opened: int = -1
    call: str = ""  # the word before it
    listing: bool = False  # inside FROM, where a comma brings another table
    expecting: bool = False  # a table comes next


class _Reader:
    """One pass over the words with a stack of brackets."""

    def __init__(self, words: Words) -> None:
        self._words = words
        self._stack = [_Bracket()]
        self._behind = 0  # words up to here belong to a name that was read
        self._closed: tuple[int, int] = (-1, -1)  # where the last bracket closed, and where it had opened
        self.found: set[str] = set()
        self.own: set[str] = set()

    def take(self, i: int) -> None:
        if i < self._behind:
            return
        words, here, word = self._words, self._stack[-1], self._words.words[i]
        if word == "(":
            inside = here.expecting
            here.expecting = False
            self._stack.append(_Bracket(i, words.at(i - 1) if i else "", listing=inside, expecting=inside))
        elif word == ")":
            if len(self._stack) > 1:
                self._closed = i, self._stack.pop().opened
        elif word == ",":
            here.expecting = here.listing
        elif word in _READS and not words.quoted[i]:
            self._clause(i, word, here)
        elif here.expecting and word not in _FILLERS:
            here.expecting = False
            self._name(i)

    def _clause(self, i: int, word: str, here: _Bracket) -> None:
        words, before = self._words, self._words.at(i - 1) if i else ""
        match word:
            case "from":
                of_copy = words.at(0) == "copy" and len(self._stack) == 1  # FROM a file, a program or the client
                if before != "distinct" and here.call not in _OWN_GRAMMAR and not of_copy:
                    here.listing = here.expecting = True
            case "join":
                here.listing = here.expecting = True
            case "using":
                here.expecting = words.at(i + 1) != "(" and not self._is_index_method()
            case "index":
                self._indexed_table(i)
            case "into":
                here.listing, here.expecting = False, True
            case "update":
                here.expecting = before not in _NO_TARGET_BEHIND
            case "table":
                here.expecting = i == 0 or before in ("lock", "truncate", "alter", "(", "vacuum", "only")
            case "as":
                self._own_name(i)
            case "copy" | "analyze" | "vacuum" | "cluster" | "truncate" | "reindex" | "refresh" if i == 0 or (
                i == 2 and words.at(0) == "autovacuum"
            ):
                name = "" if words.at(i + 1) == "(" and word == "copy" else target_after(words, i)  # COPY (query)
                self.found.update([name.rpartition(".")[2]] if name else ())
            case _:
                if word in _ENDS:
                    here.listing = here.expecting = False

    def _is_index_method(self) -> bool:
        """What USING names in CLUSTER and CREATE INDEX."""
        words = self._words
        return words.at(0) == "cluster" or (words.at(0) == "create" and words.at(1) in ("index", "unique"))

    def _indexed_table(self, i: int) -> None:
        """Of CREATE [UNIQUE] INDEX [CONCURRENTLY] [IF NOT EXISTS] [name] ON [ONLY] table."""
        words = self._words
        if words.at(0) != "create" or i > 2 or words.quoted[i]:
            return
        on = next(
            (at for at in range(i + 1, min(i + 10, len(words))) if words.at(at) == "on" and not words.quoted[at]), 0
        )
        if on:
            _, last, self._behind = words.name(on + (2 if words.at(on + 1) == "only" else 1))
            self.found.update([last] if last else ())

    def _name(self, i: int) -> None:
        _, last, after = self._words.name(i)
        called = self._words.at(after) == "(" and self._words.at(i - 1) not in ("into", "copy")
        if last:
            self._behind = after
        if last and not called:
            self.found.add(last)

    def _own_name(self, i: int) -> None:
        """Of WITH: name [(columns)] AS [NOT] [MATERIALIZED] (."""
        after = i + 1
        while self._words.at(after) in ("not", "materialized"):
            after += 1
        if self._words.at(after) != "(":
            return
        closed, opened = self._closed
        before = opened - 1 if closed == i - 1 else i - 1
        if before >= 0 and self._words.is_name(before):
            self.own.add(self._words.shown[before])


def reindexed(text: str) -> str:
    """The index that a REINDEX INDEX is about, without its schema; "" of all else."""
    words = Words(text, TARGET_READ)
    if words.at(0) != "reindex":
        return ""
    i = 1
    if words.at(i) == "(":
        while i < len(words) and words.at(i) != ")":
            i += 1
        i += 1
    if words.at(i) != "index":
        return ""
    return words.name(i + (2 if words.at(i + 1) == "concurrently" else 1))[1]


def target_after(words: Words, i: int) -> str:
    """The table behind a word of maintenance, past its options."""
    i += 1
    if words.at(i) == "(":
        while i < len(words) and words.at(i) != ")":
            i += 1
        i += 1
    while words.at(i) in _MAINTENANCE_FILLERS and not words.quoted[i]:
        i += 1
    if words.at(i) in _WITHOUT_TABLE:
        return ""
    return words.name(i)[0]


def table_changed_by(text: str) -> str:
    """The table that a statement changes or locks, by its words alone; "" when it names none.

    What stands behind the verb that changes most, else first behind FROM. With its schema, where that is written.
    """
    words = Words(text, TARGET_READ)
    for rule in (_updated, _deleted, _inserted, _locked, _maintained, _indexed, _read):
        for i, word in enumerate(words.words):
            if not words.quoted[i] and (found := rule(words, i, word)):
                return found
    return ""


def _behind(words: Words, i: int, fillers: Sequence[str] = ("only",)) -> str:
    while words.at(i) in fillers:
        i += 1
    return words.name(i)[0]


def _updated(words: Words, i: int, word: str) -> str:
    aside = i > 0 and words.at(i - 1) in _NO_TARGET_BEHIND
    return _behind(words, i + 1) if word == "update" and not aside else ""


def _deleted(words: Words, i: int, word: str) -> str:
    return _behind(words, i + 2) if word == "delete" and words.at(i + 1) == "from" else ""


def _inserted(words: Words, i: int, word: str) -> str:
    return _behind(words, i + 2) if word in ("insert", "merge") and words.at(i + 1) == "into" else ""


def _locked(words: Words, i: int, word: str) -> str:
    return _behind(words, i + 1, ("table", "only")) if word == "lock" else ""


def _maintained(words: Words, i: int, word: str) -> str:
    return target_after(words, i) if word in _MAINTENANCE else ""


def _indexed(words: Words, i: int, word: str) -> str:
    if word != "create" or words.at(i + 1) not in ("index", "unique"):
        return ""
    on = next((at for at in range(i, min(len(words), i + 12)) if words.at(at) == "on"), 0)
    return _behind(words, on + 1) if on else ""


def _read(words: Words, i: int, word: str) -> str:
    return _behind(words, i + 1) if word == "from" else ""
