"""What requests tell: another service that is slow, a cache that is asked no more, a statement run once for each row."""

from collections.abc import Iterator, Sequence

import numpy as np

from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed, RequestTrouble
from faena.core.answers.leads.rules.repeated_statement import is_crowd
from faena.core.answers.leads.saying import at_work
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sql.names import tables_of
from faena.core.units import QueryId

SLOWER = 1.2  # times the most that is usual, since of many endpoints some lie just above it at any time
UNSATISFIED = 0.85  # where what is usual is not known, users suffer below this
LEAST_LOAD, LEAST_SHARE = 0.15, 0.3  # of the database, for what costs it though users are content


def suffers(one: RequestTrouble) -> bool:
    """Whether requests take longer than is usual; where that is not known, whether too few are answered in time."""
    if one.usual_most_ms is not None:
        return one.mean_ms > SLOWER * one.usual_most_ms
    return one.satisfaction < UNSATISFIED


def external_layer(seen: Observed) -> Iterator[Claim]:
    """The database is cleared, and who is waited for is named."""
    for one in seen.requests or ():
        if one.kind != "external_layer" or not suffers(one):
            continue
        usual = f", at most {took(one.usual_most_ms)} is usual" if one.usual_most_ms is not None else ""
        whom = one.callee or "other services"
        yield Claim(
            kind=LeadKind.EXTERNAL_LAYER,
            title=f"{one.endpoint} of {one.service} waits for {whom}",
            mask=np.zeros_like(seen.active),
            root=Root(program=one.service, object=whom),
            chain=(
                Step(f"{count(one.requests)} requests of {one.endpoint} took {took(one.mean_ms)} on average{usual}; satisfaction is {one.satisfaction:.2f}.", _page(one)),
                Step(f"{one.share:.0%} of that time they waited for {whom}.", _page(one)),
            ),
            ruled_out=(RuledOut("the database", f"its statements take {one.database_share:.0%} of the time of these requests"),),
            next_step=f"Look at {whom}; let the call time out early, or do it after the answer.",
            certainty=0.9,
            by_events=True,
            beyond_s=one.requests * one.mean_ms * one.share / 1000,
        )  # fmt: skip


def cache_missing(seen: Observed) -> Iterator[Claim]:
    """The statement that the cache spared is the one of its requests that is most at work now."""
    for one in seen.requests or ():
        if one.kind != "cache_missing":
            continue
        mask = _of_all(seen, one.statements)
        ran = seen.statements(mask)
        query_id = ran[0][0] if ran else next(iter(one.statements), None)
        text = seen.text(query_id)
        yield Claim(
            kind=LeadKind.CACHE_MISSING,
            title=f"{one.service} asks its cache no more for {one.endpoint}",
            mask=mask,
            root=Root(statement=text, program=one.service, table=next(iter(tables_of(text)), ""), object=one.endpoint),
            chain=(
                Step(f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran statements of {one.endpoint}, most {quoted(text)}.", Reference("load")),
                Step(f"Of its requests, {one.detail}.", _page(one)),
            ),
            ruled_out=(RuledOut("slower statements", f"its requests took {took(one.mean_ms)} on average"),),
            next_step=f"See what changed in {one.service} then: a cache that is down, or code that does not ask it any more.",
            certainty=0.96,
            by_events=True,
            about=frozenset(int(q) for q in one.statements),
        )  # fmt: skip


def repeated_in_requests(seen: Observed) -> Iterator[Claim]:
    """Told by traces, so it is no guess; only where it costs the database something, or users wait longer than usual."""
    for one in seen.requests or ():
        if one.kind != "repeated_statement" or one.repeated is None:
            continue
        mask = seen.of_statement(one.repeated)
        # As slow as it always is, it is no trouble of this window; the page of repeated statements tells of it.
        costs = one.usual_most_ms is None and seen.mean(mask) >= LEAST_LOAD and seen.share(mask) >= LEAST_SHARE
        crowd = one.usual_most_ms is None and is_crowd(seen, one.repeated)
        if not (costs or crowd or suffers(one)):
            continue
        text = seen.text(one.repeated)
        yield Claim(
            kind=LeadKind.REPEATED_STATEMENT,
            title=f"{one.endpoint} of {one.service} runs {quoted(text)} once for each row",
            mask=mask,
            root=Root(statement=text, program=one.service, table=next(iter(tables_of(text)), ""), object=one.endpoint),
            chain=(
                at_work(seen, mask, text),
                Step(f"It is run again and again within requests of {one.endpoint}: {one.detail}. That is {one.share:.0%} of their time, most of it going to and fro.", _page(one)),
            ),
            ruled_out=(RuledOut("dear calls", "each is as cheap as ever"),) if one.repeated in seen.usual_work else (),
            next_step="Ask for all rows at once: a join, or WHERE … = ANY(list); the request's page says where in the code.",
            certainty=0.9,
            by_events=True,
            about=frozenset((int(one.repeated),)),
        )  # fmt: skip


def _page(one: RequestTrouble) -> Reference:
    return Reference("endpoint", {"endpoint": str(one.endpoint_id)})


def _of_all(seen: Observed, statements: Sequence[QueryId]) -> Flags:
    found: Flags = np.zeros_like(seen.active)
    for query_id in statements:
        found = found | seen.of_statement(query_id)
    return found
