"""Commands that keep a database in shape, and change its tables: they are run by hand or by a job, not by users' requests."""

import re

from faena.core.sql.texts import first_keyword

_ALWAYS = frozenset(("VACUUM", "REINDEX", "CLUSTER", "ANALYZE", "REFRESH", "ALTER", "TRUNCATE", "DROP", "CHECKPOINT"))
_INDEX = re.compile(r"\s*create\s+(unique\s+)?index\b", re.IGNORECASE)
AUTOVACUUM = "autovacuum worker"


def is_maintenance(text: str) -> bool:
    """Whether a statement builds, rebuilds, cleans or changes a table or an index."""
    return bool(_INDEX.match(text)) or first_keyword(text) in _ALWAYS
