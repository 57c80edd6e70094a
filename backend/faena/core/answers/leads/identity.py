"""Which leads are the same trouble again: by their kind and root, never by their figures."""

from hashlib import sha256

from faena.core.answers.leads.claim import Root
from faena.core.answers.leads.kinds import LeadKind
from faena.core.sql.texts import fingerprint


def identity_of(kind: LeadKind, root: Root) -> str:
    """16 letters. The pid is left out, since the next time it is another; a statement counts by its fingerprint."""
    statement = str(fingerprint(root.statement)) if root.statement else ""
    told = (kind.value, statement, root.program, root.table, root.index, root.column, root.object)
    return sha256("\x1f".join(told).encode()).hexdigest()[:16]
