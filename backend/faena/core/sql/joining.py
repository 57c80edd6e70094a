"""Whether a statement joins tables without a condition between them, by its words alone."""

from faena.core.sql.names import Words

MOST_READ = 4_000  # characters
_ENDS = frozenset(
    ("where", "group", "order", "having", "limit", "offset", "fetch", "union", "except", "intersect", "for", "window")
)
_UNCLEAR = frozenset(("join", "exists", "in", "any", "lateral", "with", "using", "case"))
_SIGNS = frozenset("=<>!~")


def unjoined(text: str) -> tuple[str, str] | None:
    """Two tables of FROM that no comparison ties together; None where each is tied to another, or where it is not clear.

    Only a plain SELECT from tables with commas between them is judged, whose columns are all written with their table.
    """
    words = Words(text, MOST_READ)
    names = words.words
    if not names or names[0] != "select" or "from" not in names or names.count("select") != 1 or _UNCLEAR & set(names):
        return None
    tables, at = _tables(words, names.index("from") + 1)
    if len(tables) < 2 or (at < len(words) and names[at] not in _ENDS):
        return None
    tied = {table: table for table in tables}
    for i in range(at, len(words)):
        if names[i] not in _SIGNS or names[i - 1] in _SIGNS:
            continue
        after = next((j for j in range(i, len(words)) if names[j] not in _SIGNS), len(words))
        left, right = _owner(words, i - 3), _owner(words, after)
        if left is None or right is None:
            if _bare(words, i - 1) or _bare(words, after):
                return None  # a column of which nobody says whose it is
        elif left in tied and right in tied:
            one, other = tied[left], tied[right]
            tied = {table: one if group == other else group for table, group in tied.items()}
    groups = list(dict.fromkeys(tied.values()))
    return (groups[0], groups[1]) if len(groups) > 1 else None


def _tables(words: Words, at: int) -> tuple[list[str], int]:
    """What the tables behind FROM are called, and where they end."""
    found = []
    while True:
        _, last, after = words.name(at)
        if not last or words.at(after) == "(":
            return [], at
        called, at = last, after
        if words.at(at) == "as":
            at += 1
        if words.is_name(at) and words.at(at) not in _ENDS:
            called, at = words.shown[at], at + 1
        found.append(called.lower())
        if words.at(at) != ",":
            return found, at
        at += 1


def _owner(words: Words, at: int) -> str | None:
    """The table of a column that begins here as table.column; None where none does."""
    if at < 0 or not words.is_name(at) or words.at(at + 1) != "." or not words.is_name(at + 2):
        return None
    return words.at(at)


def _bare(words: Words, at: int) -> bool:
    return words.is_name(at) and words.at(at - 1) != "." and words.at(at + 1) not in (".", "(")
