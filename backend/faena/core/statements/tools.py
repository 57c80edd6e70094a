"""Statements of tools rather than of the application: catalogue queries, settings, session housekeeping."""

import re
from collections.abc import Sequence

_SESSION = re.compile(
    r"^\s*(set|show|reset|discard|deallocate|listen|unlisten|declare|close|fetch|prepare|explain|checkpoint)\b",
    re.IGNORECASE,
)
_CATALOGUE = re.compile(r"^(pg_|information_schema)")
_FUNCTION = re.compile(
    r"\b(pg_stat_\w+|pg_is_in_recovery|pg_backend_pid|pg_current_\w+|current_setting|version)\s*\(", re.IGNORECASE
)


def is_tool(text: str, tables: Sequence[str]) -> bool:
    """Whether a statement asks about the server or the session and touches nothing of the application.

    COMMIT and its like are the application's, and so is maintenance (VACUUM, CREATE INDEX): both can be what is at fault.
    """
    if _SESSION.match(text):
        return True
    if tables:
        return all(_CATALOGUE.match(name) for name in tables)
    return bool(_FUNCTION.search(text))
