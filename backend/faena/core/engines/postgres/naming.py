"""Names and values as SQL has them, for statements that people copy."""

import re

from faena.core.engines.postgres.telling import quoted
from faena.core.plans.model import Step
from faena.core.plans.schema import TableFacts

_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
# Key words that PostgreSQL 17 takes for no column or table without quotes (its appendix C, "reserved").
_RESERVED = frozenset({
    "all", "analyse", "analyze", "and", "any", "array", "as", "asc", "asymmetric", "authorization", "binary",
    "both", "case", "cast", "check", "collate", "collation", "column", "concurrently", "constraint", "create",
    "cross", "current_catalog", "current_date", "current_role", "current_schema", "current_time",
    "current_timestamp", "current_user", "default", "deferrable", "desc", "distinct", "do", "else", "end",
    "except", "false", "fetch", "for", "foreign", "freeze", "from", "full", "grant", "group", "having", "ilike",
    "in", "initially", "inner", "intersect", "into", "is", "isnull", "join", "lateral", "leading", "left",
    "like", "limit", "localtime", "localtimestamp", "natural", "not", "notnull", "null", "offset", "on", "only",
    "or", "order", "outer", "overlaps", "placing", "primary", "references", "returning", "right", "select",
    "session_user", "similar", "some", "symmetric", "system_user", "table", "tablesample", "then", "to",
    "trailing", "true", "union", "unique", "user", "using", "variadic", "verbose", "when", "where", "window",
    "with",
})  # fmt: skip


def identifier(name: str) -> str:
    """In quotes where it needs them."""
    if _PLAIN.fullmatch(name) and name not in _RESERVED:
        return name
    return quoted(name)


def bare(written: str) -> str:
    """The name that an identifier stands for."""
    return written[1:-1].replace('""', '"') if written[:1] == '"' else written


def qualified(schema: str, name: str) -> str:
    """A table or index, with its schema unless that is public or not known."""
    return identifier(name) if schema in ("", "public") else f"{identifier(schema)}.{identifier(name)}"


def table_name(of: Step | TableFacts) -> str:
    """A table, or the one that a step reads, for statements to copy."""
    return qualified(of.schema, of.name if isinstance(of, TableFacts) else of.table)


def literal(value: str) -> str:
    """A text as a constant of SQL."""
    doubled = value.replace("'", "''")
    return f"'{doubled}'"
