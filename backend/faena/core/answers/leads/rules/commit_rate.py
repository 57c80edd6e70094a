"""Sessions wait for the WAL at each of many commits."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted, sessions
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import table_changed_by, tables_of
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.7, 0.3
LEAST_A_SECOND = 50.0  # commits, where the server counts them; fewer that wait so long have a slow disk


def commit_rate(seen: Observed) -> Iterator[Claim]:
    """The wait is at the end of each transaction, so it is their number that costs."""
    at_commit = seen.of_kind(WaitKind.COMMIT)
    if seen.mean(at_commit) < LEAST_LOAD or seen.part(at_commit) < LEAST_SHARE:
        return
    vitals = seen.vitals
    rate = vitals.commits / (vitals.covers_ms / 1000) if vitals and vitals.covers_ms else None
    if rate is not None and rate < LEAST_A_SECOND:
        return
    programs = seen.ranked(Dimension.PROGRAM, at_commit)
    query_id = _changes(seen, at_commit, programs[0][0])
    text, work = seen.text(query_id), seen.work.get(query_id) if query_id is not None else None
    each = f" It changed {work.rows / work.calls:.2g} rows a call." if work and work.calls else ""
    told = f" The server committed {count(rate)} transactions a second." if rate is not None else ""
    main = programs[0][1] / float(at_commit.sum())
    yield Claim(
        kind=LeadKind.COMMIT_RATE,
        title=f"{programs[0][0]} waits for the WAL at each of its commits",
        mask=at_commit,
        root=Root(statement=text, program=programs[0][0], table=table_changed_by(text) or next(iter(tables_of(text)), "")),
        chain=(
            Step(f"{sessions(seen.mean(at_commit))} waited for the WAL on average, {seen.share(at_commit):.0%} of the load.{told}", Reference("load")),
            Step(f"{main:.0%} of that is {programs[0][0]}, with {quoted(text)}.{each}", Reference("statements")),
        ),
        ruled_out=(RuledOut("reads from disk", f"{seen.mean(seen.of_kind(WaitKind.DATA_IO)):.2g} sessions waited for data"),),
        next_step="Change several rows in one transaction (many rows in one INSERT, or COPY); where losing the last moments is allowed, SET synchronous_commit = off for this program.",
        certainty=0.93,
    )  # fmt: skip


def _changes(seen: Observed, at_commit: Flags, program: str) -> QueryId | None:
    """What the program commits: a COMMIT itself says nothing of that, so then its most frequent change."""
    of_program = at_commit & seen.where(Dimension.PROGRAM, program)
    for query_id, _ in seen.statements(of_program):
        if table_changed_by(seen.text(query_id)):
            return query_id
    ran = {q for q, _ in seen.statements(seen.active & seen.where(Dimension.PROGRAM, program))}
    changing = [one for q, one in seen.work.items() if q in ran and table_changed_by(seen.text(q))]
    if changing:
        return max(changing, key=lambda one: one.calls).query_id
    found = seen.statements(of_program)
    return found[0][0] if found else None
