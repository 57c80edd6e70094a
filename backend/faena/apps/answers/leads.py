"""What is at fault on a server in a window, from all that the store has of it."""

from collections.abc import Mapping

import numpy as np

from faena.apps.locks.edges import edges_by_tick
from faena.apps.plans import selectors as plans
from faena.apps.plans.models import CapturedPlan
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.sessions import read_sessions
from faena.apps.servers import selectors as servers
from faena.apps.servers import vitals
from faena.apps.servers.engines import profile_of
from faena.apps.servers.models import Server
from faena.apps.statements import events
from faena.apps.statements import logged as log
from faena.apps.statements import selectors as statements
from faena.core.answers.leads.choosing import Diagnosis, diagnose
from faena.core.answers.leads.observed import Observed, PlanFacts
from faena.core.engines.profile import EngineProfile
from faena.core.errors import BadInput, BadWindow
from faena.core.sampling.dimensions import Dictionary
from faena.core.series.window import Window
from faena.core.sessions.frame import SessionFrame
from faena.core.statements.figures import StatementFigures
from faena.core.units import MS_PER_HOUR, QueryId

MOST_PLANS = 6  # statements whose captured plan is read, those that are seen most
LONGEST_MS = 24 * MS_PER_HOUR


def leads_of(server_id: int, window: Window) -> tuple[Diagnosis, Observed]:
    """What rules find in a window of a server, and what they looked at. Raises NotFound, BadWindow."""
    if window.length_ms > LONGEST_MS:
        raise BadWindow("leads are looked for in windows of up to 24 hours; choose a shorter one", field="to")
    seen = observed_in(servers.server(server_id), window)
    return diagnose(seen), seen


def observed_in(server: Server, window: Window) -> Observed:
    """All that is kept of a window, as rules look at it."""
    profile = profile_of(server)
    frame = read_sessions(server.pk, window).on_grid()
    dictionary = read_dictionary(server.pk)
    frame = frame.rows(frame.code < len(dictionary))  # a code may have come since
    work = {one.query_id: one for one in statements.figures(server.pk, window)}
    ranked = _ranked(frame, dictionary)
    texts = statements.texts(server.pk, {*ranked, *_busiest(work)})
    told = vitals.summed(server.pk, window.start, window.end)
    return Observed(
        window=window,
        frame=frame,
        dictionary=dictionary,
        waits=profile.waits,
        cores=server.cores,
        edges=edges_by_tick(server.pk, window, frame.tick_ms),
        texts={QueryId(query_id): text.text for query_id, text in texts.items()},
        work=work,
        work_s=window.length_ms / 1000 if work else 0.0,
        plans=_plans(server.pk, profile, ranked[:MOST_PLANS]),
        vitals=told,
        events=events.troubles(server.pk, window) if log.read_at(server.pk) is not None else None,
    )


def _ranked(frame: SessionFrame, dictionary: Dictionary) -> list[QueryId]:
    """Statements of the window, those with most samples first."""
    counts = np.bincount(frame.code, minlength=len(dictionary))
    sums: dict[QueryId, int] = {}
    for code in np.flatnonzero(counts).tolist():
        query_id = dictionary.combinations[code].query_id
        if query_id is not None:
            sums[query_id] = sums.get(query_id, 0) + int(counts[code])
    return sorted(sums, key=lambda one: -sums[one])


def _busiest(work: Mapping[QueryId, StatementFigures], most: int = 200) -> list[QueryId]:
    return sorted(work, key=lambda one: -work[one].total_ms)[:most]


def _plans(server_id: int, profile: EngineProfile, wanted: list[QueryId]) -> dict[QueryId, PlanFacts]:
    """Of the newest plan that each is known to have used. Without statistics, an index is judged by the plan alone."""
    if profile.plans is None or profile.indexes is None:
        return {}
    found = {}
    for query_id in wanted:
        captured = next(iter(plans.of_statement(server_id, query_id)), None)
        facts = None if captured is None else _facts(profile, captured)
        if facts is not None:
            found[query_id] = facts
    return found


def _facts(profile: EngineProfile, captured: CapturedPlan) -> PlanFacts | None:
    assert profile.plans is not None
    assert profile.indexes is not None
    try:
        plan = profile.plans.read(captured.written)
    except BadInput:
        return None
    proposals, _ = profile.indexes.propose(plan, profile.indexes.from_plan(plan))
    return PlanFacts(
        cost=plan.root.cost_total or 0.0, findings=profile.plans.ledger(plan).findings, proposals=proposals,
        whole=not captured.asked,
    )  # fmt: skip
