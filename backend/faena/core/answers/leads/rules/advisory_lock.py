"""Sessions wait for an advisory lock."""

from collections.abc import Iterator

from faena.core.answers.leads.blocked import Blockage, blockages, harms, holder, object_of, symptom
from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules.idle_transaction import is_advisory
from faena.core.answers.leads.words import capital, quoted, took
from faena.core.findings import Reference


def advisory_lock(seen: Observed) -> Iterator[Claim]:
    """Whatever its holder does: it is the programs that agreed on what the lock means."""
    for one in blockages(seen):
        if is_advisory(one) and harms(seen, one.mask):
            yield _claim(seen, one)


def _claim(seen: Observed, one: Blockage) -> Claim:
    text, key = seen.text(one.query_id), object_of(one.facts)
    which = next((edge.which for edge in one.facts if edge.which), "")
    age = f", open for {took(one.open_ms)}" if one.open_ms >= 0 else ""
    does = "is idle" if one.idle or one.root is None else f"runs {quoted(text)}"
    name = f"{key} {which}".strip()
    return Claim(
        kind=LeadKind.ADVISORY_LOCK,
        title=f"{one.episode.waiters} sessions wait for {name or 'an advisory lock'}",
        mask=one.mask,
        root=Root(
            statement=text, program=one.root.program if one.root else "",
            pid=one.episode.pid if one.episode.pid > 0 else None, object=name,
        ),
        chain=(
            symptom(seen, one.mask),
            Step(f"{capital(holder(one))} holds {name}; it {does}{age}.", Reference("blocking")),
        ),
        ruled_out=(RuledOut("locks of rows and tables", "all of them wait for an advisory lock"),),
        next_step=f"SELECT pg_terminate_backend({one.episode.pid});  -- lets go of its advisory locks and rolls back; "
        "in the program: take it in a transaction (pg_advisory_xact_lock), briefly, or with pg_try_advisory_lock",
        certainty=0.97,
    )  # fmt: skip
