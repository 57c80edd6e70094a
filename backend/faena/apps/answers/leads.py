"""What is at fault on a server in a window, from all that the store has of it."""

from collections.abc import Mapping, Sequence

import numpy as np

from faena.apps.answers.requests import LinkedStatement, linked
from faena.apps.hosts import selectors as hosts
from faena.apps.locks.edges import edges_by_tick
from faena.apps.plans import selectors as plans
from faena.apps.plans.models import CapturedPlan
from faena.apps.requests import selectors as requests
from faena.apps.requests.models import TraceSource
from faena.apps.requests.selectors import CallUse, Only, StatementUse, Summed
from faena.apps.requests.usual import usual_of
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.sessions import read_sessions
from faena.apps.samples.usual import usual_for
from faena.apps.servers import holdings, vitals
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import clock_of
from faena.apps.servers.engines import profile_of
from faena.apps.servers.models import Server
from faena.apps.statements import events, executions
from faena.apps.statements import logged as log
from faena.apps.statements import selectors as statements
from faena.apps.statements.followed import followed
from faena.core.answers.leads.choosing import Diagnosis, diagnose
from faena.core.answers.leads.observed import (
    Observed,
    PlanFacts,
    PlanSwitch,
    RequestTrouble,
    SharedDisk,
    UsualSessions,
    UsualWork,
)  # fmt: skip
from faena.core.engines.profile import EngineProfile
from faena.core.errors import BadInput, BadWindow
from faena.core.plans.history import switches
from faena.core.readings import TableFigures
from faena.core.requests.findings import EndpointFinding, Found
from faena.core.requests.layers import Layer
from faena.core.requests.usual import UsualRequests
from faena.core.sampling.dimensions import Dictionary
from faena.core.series.window import Buckets, Window, cut
from faena.core.sessions.frame import SessionFrame
from faena.core.statements.figures import StatementFigures
from faena.core.statements.followers import Match
from faena.core.statements.usualcost import hours_before, usual_cost
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId

USUAL_DAYS = 14
MOST_USUAL = 4  # statements that are compared with what is usual, those that are seen most
OVER_MS = 60_000  # before the newest sample: what ended so long ago is over
MOST_ENDPOINTS = 30  # those that take most time
TOLD_KINDS = (Found.EXTERNAL_LAYER, Found.CACHE_MISSING, Found.REPEATED_STATEMENT)
MOST_TABLES = 40  # those of which most was read
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
        past=window.end < holdings.read(server.pk).newest_ms - OVER_MS,
        cores=server.cores,
        edges=edges_by_tick(server.pk, window, frame.tick_ms),
        texts={QueryId(query_id): text.text for query_id, text in texts.items()},
        work=work,
        work_s=window.length_ms / 1000 if work else 0.0,
        work_before={one.query_id: one for one in statements.figures(server.pk, window.previous())},
        plans=_plans(server.pk, profile, ranked[:MOST_PLANS]),
        usual_work=_usual_work(server, window, ranked[:MOST_USUAL]),
        usual=_usual_sessions(server, window),
        switches=_switches(server.pk, window, ranked[:MOST_USUAL]),
        disk=_disk(server, window),
        vitals=told,
        tables=_tables(server, window),
        requests=_requests(server, window),
        matches=[
            Match(first=one.first, second=one.second, each=one.pair.each)
            for one in followed(server.pk, window, server.username)[0]
        ],
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


def _usual_work(server: Server, window: Window, wanted: list[QueryId]) -> dict[QueryId, UsualWork]:
    """Means over the hours of the window, of statements of which enough earlier days are known."""
    cells, calendar = cut(window, at_most=24, period_ms=MS_PER_HOUR), clock_of(server).calendar
    hours = hours_before(cells, USUAL_DAYS, calendar)
    found = {}
    for query_id in wanted:
        told = usual_cost(statements.hourly(server.pk, query_id, hours), cells, USUAL_DAYS, calendar)
        ms, reads, hits, rows = (
            _mean(told.per_call[name]) for name in ("total_ms", "blocks_read", "blocks_hit", "rows")
        )
        if ms is not None:
            found[query_id] = UsualWork(
                ms=ms,
                reads=reads or 0.0,
                rows=rows or 0.0,
                calls_s=_mean(told.calls_per_s),
                days=told.days,
                blocks=None if reads is None or hits is None else reads + hits,
            )
    return found


def _mean(values: Sequence[float | None]) -> float | None:
    known = [one for one in values if one is not None]
    return sum(known) / len(known) if known else None


def _usual_sessions(server: Server, window: Window) -> UsualSessions | None:
    """Of the server's load as a whole; None where too few earlier days are known."""
    cells = Buckets(start=window.start, width_ms=window.length_ms, count=1)
    band = usual_for(server, cells, window).band
    running, waiting = band.middle[:, 0].tolist()
    high, waiting_high = band.high[:, 0].tolist()
    if running != running or waiting != waiting:  # NaN: not known
        return None
    return UsualSessions(running=running, running_high=high, waiting=waiting, waiting_high=waiting_high)


def _switches(server_id: int, window: Window, wanted: list[QueryId]) -> dict[QueryId, PlanSwitch]:
    """The last switch of plan of each statement, up to the end of the window and at most a day before it."""
    before = Window(start=EpochMs(window.start - LONGEST_MS), end=window.end)
    found = {}
    for query_id in wanted:
        changes = switches(executions.plan_runs(server_id, before, query_id).get(query_id, []))
        if changes:
            words = plans.gists(server_id, {changes[-1].before, changes[-1].after})
            found[query_id] = PlanSwitch(
                at=changes[-1].at,
                before=words.get(changes[-1].before, "another"),
                after=words.get(changes[-1].after, "a new one"),
            )
    return found


def _requests(server: Server, window: Window) -> list[RequestTrouble] | None:
    """What is found of endpoints whose statements go to this server; None where nobody sends traces."""
    if not TraceSource.objects.filter(server_id=server.pk).exists():
        return None
    rows = requests.summed(server.pk, window, Only())[:MOST_ENDPOINTS]
    found = requests.findings_of(server.pk, window, rows, Only()) if rows else {}
    if not any(one.kind in TOLD_KINDS for told in found.values() for one in told):
        return []
    expected = usual_of(server, window, rows, Only())
    uses, calls = requests.statements(server.pk, window, Only()), requests.calls(server.pk, window, Only())
    known = linked(server.pk, [one.statement for one in uses])
    return [
        _trouble(one, finding, expected.get(one.endpoint.pk), uses, known, calls)
        for one in rows
        for finding in found[one.endpoint.pk]
        if finding.kind in TOLD_KINDS
    ]


def _trouble(
    one: Summed,
    finding: EndpointFinding,
    expected: UsualRequests | None,
    uses: Sequence[StatementUse],
    known: Mapping[int, LinkedStatement],
    calls: Sequence[CallUse],
) -> RequestTrouble:
    figures, mine = one.figures, [use for use in uses if use.endpoint.pk == one.endpoint.pk]
    repeated = max(mine, key=lambda use: use.figures["repeated_ms"], default=None)
    called = [call for call in calls if call.endpoint.pk == one.endpoint.pk and call.callee.layer == Layer.EXTERNAL]
    whole = figures["time_ms"] or 1.0
    spent = figures["external_ms"] if finding.kind is Found.EXTERNAL_LAYER else figures["repeated_ms"]
    return RequestTrouble(
        kind=finding.kind.value,
        endpoint=one.endpoint.name,
        endpoint_id=one.endpoint.pk,
        service=one.endpoint.service,
        detail=finding.detail,
        requests=figures["requests"],
        mean_ms=whole / figures["requests"],
        usual_most_ms=expected.mean_ms.high if expected and expected.mean_ms else None,
        satisfaction=one.satisfaction,
        share=spent / whole,
        database_share=figures["database_ms"] / whole,
        statements=[q for use in mine if (q := known[use.statement.pk].query_id) is not None],
        repeated=known[repeated.statement.pk].query_id if repeated and repeated.figures["repeated_ms"] > 0 else None,
        callee=called[0].callee.name if called else "",
    )


def _tables(server: Server, window: Window) -> list[TableFigures]:
    """Those of which most was read."""
    seconds = window.length_ms / 1000
    return [
        TableFigures(
            table=one.table, index="", blocks_read=one.reads * seconds, blocks_hit=one.hits * seconds,
            scans=one.scans * seconds, rows_read=one.rows_read * seconds, rows_written=one.rows_written * seconds,
            size_bytes=one.size_bytes,
        )
        for one in hosts.tables(server, window, MOST_TABLES)[1]
        if not one.index
    ]  # fmt: skip


def _disk(server: Server, window: Window) -> SharedDisk | None:
    if not server.storage:
        return None
    told = hosts.disk(server, window, Buckets(start=window.start, width_ms=window.length_ms, count=1))
    others = [one for one in told.neighbours if one.server.pk != server.pk and one.share is not None]
    if told.latency_ms is None or not others:
        return None
    first = max(others, key=lambda one: one.share or 0.0)
    return SharedDisk(
        latency_ms=told.latency_ms, usual_ms=told.usual_ms, neighbour=first.server.name, share=first.share or 0.0
    )


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
