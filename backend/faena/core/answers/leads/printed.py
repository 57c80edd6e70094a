"""A diagnosis as commands print it."""

from typing import Any

from faena.core.answers.leads.choosing import Diagnosis, Lead


def as_object(found: Diagnosis) -> dict[str, Any]:
    """For JSON: leads, the main cause first; what of a root is not known is null."""
    return {"quiet": found.quiet, "leads": [_lead(one) for one in found.leads], "ground": found.ground}


def _lead(lead: Lead) -> dict[str, Any]:
    claim, root = lead.claim, lead.claim.root
    return {
        "kind": claim.kind.value,
        "title": claim.title,
        "explains_share": round(lead.share, 4),
        "root": {
            "statement": root.statement or None,
            "program": root.program or None,
            "table": root.table or None,
            "index": root.index or None,
            "column": root.column or None,
            "pid": root.pid,
            "object": root.object or None,
        },
        "chain": [{"sentence": step.sentence} for step in claim.chain],
        "ruled_out": [{"what": one.what, "why": one.why} for one in claim.ruled_out],
        "next_step": claim.next_step,
    }
