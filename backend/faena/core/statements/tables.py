"""Which tables a statement touches. Apart from texts.py because reading SQL takes a parser that loads in 200 ms."""

import re

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

MAX_PARSED = 20_000  # characters; a longer text is not parsed, since reading happens inside a web request


def tables_of(text: str) -> tuple[str, ...]:
    """Names of the tables a statement touches, sorted; empty when the text cannot be read or touches none."""
    if not text or len(text) > MAX_PARSED:
        return ()
    try:
        tree = sqlglot.parse_one(re.sub(r"\$\d+", "NULL", text), dialect="postgres")
    except (SqlglotError, RecursionError):
        return ()
    if tree is None or isinstance(tree, exp.Command):
        return ()
    own = {cte.alias_or_name for cte in tree.find_all(exp.CTE)}
    return tuple(sorted({t.name for t in tree.find_all(exp.Table) if t.name and t.name not in own}))
