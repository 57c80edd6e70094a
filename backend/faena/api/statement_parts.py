"""What a statement's page shows beside its figures: its tables, the memory it needed, how it fares on each node."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Path, Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers import groups
from faena.apps.answers.memory import statement_memory
from faena.apps.plans import tables
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import clock_of
from faena.apps.statements import selectors as statements
from faena.core.plans.schema import TableFacts

router = Router(tags=["statements"])
StatementId = Annotated[str, Path(pattern=r"^-?\d{1,19}$", description="signed 64-bit number, as text")]


class StepMemoryOut(Out):
    """A step of the newest plan that tells of memory. Kilobytes; null where the plan does not tell."""

    step: str
    target: str
    memory_kb: float | None
    disk_kb: float | None
    batches: int | None
    spilled: bool


class MemoryOut(Out):
    """What memory a statement would take.

    `captured` executions are known singly, `spilled` of them wrote temporary files; sizes in bytes.

    `settings` are the server's own that bound memory, as it writes them.
    """

    captured: int
    spilled: int
    mean_bytes: float | None
    most_bytes: int | None
    plan: int | None
    steps: list[StepMemoryOut]
    settings: dict[str, str]


@router.get("/servers/{server_id}/statements/{query_id}/memory", response=MemoryOut, operation_id="statements_memory")
def get_memory(request: HttpRequest, server_id: int, query_id: StatementId, window_in: Query[WindowIn]) -> MemoryOut:
    """The memory a statement needed, and how often it did not fit."""
    found = statement_memory(server_id, int(query_id), window_in.window(now_ms()))
    spills = found.spills
    return MemoryOut(
        captured=spills.captured,
        spilled=spills.spilled,
        mean_bytes=spills.mean_bytes,
        most_bytes=spills.most_bytes,
        plan=found.plan,
        steps=[StepMemoryOut.model_validate(one) for one in found.steps],
        settings=dict(found.settings),
    )


class StatementNodeOut(Out):
    """A statement on one server of a group. Figures null where no call ended in the window."""

    server_id: int
    name: str
    role: str
    calls: float | None
    share_of_calls: float | None
    ms_per_call: float | None
    reads_per_call: float | None
    rows_per_call: float | None


@router.get(
    "/servers/{server_id}/statements/{query_id}/nodes", response=list[StatementNodeOut], operation_id="statements_nodes"
)
def list_nodes(
    request: HttpRequest, server_id: int, query_id: StatementId, window_in: Query[WindowIn]
) -> list[StatementNodeOut]:
    """The statement on every server of the group, the primary first; nothing where the server is in none."""
    return [
        StatementNodeOut.model_validate(one)
        for one in groups.statement_nodes(server_id, int(query_id), window_in.window(now_ms()))
    ]


class TableIndexOut(Out):
    """An index of a table.

    `used`: the newest known plan of the statement reads it. `columns` are as written, with INCLUDE and WHERE.
    """

    name: str
    columns: str
    size_bytes: int
    scans: int | None
    used: bool


class TouchedTableOut(Out):
    """Sizes in bytes, moments in ms since 1970; null: not known from surveys alone, or it never happened."""

    name: str
    partition_of: str
    size_bytes: int
    rows: float | None
    dead: int | None
    changed_since_analyze: int | None
    analyzed_at: int | None
    vacuumed_at: int | None
    indexes: list[TableIndexOut]


class TouchedTablesOut(Out):
    """The tables that a statement touches.

    `surveyed`: known from surveys alone. `missing` are names that no table of the database has (views, for one), or
    that no
    survey knew.
    """

    tables: list[TouchedTableOut]
    missing: list[str]
    surveyed: bool


@router.get(
    "/servers/{server_id}/statements/{query_id}/tables", response=TouchedTablesOut, operation_id="statements_tables"
)
def list_tables(request: HttpRequest, server_id: int, query_id: StatementId) -> TouchedTablesOut:
    """The tables a statement touches, largest first, with their indexes. Asks the server now."""
    found = tables.of_statement(servers.server(server_id), int(query_id), by=request.user)
    return TouchedTablesOut(
        tables=[_touched(table, found) for table in found.tables],
        missing=list(found.missing),
        surveyed=found.surveyed,
    )


def _touched(table: TableFacts, found: tables.StatementTables) -> TouchedTableOut:
    known = not found.surveyed
    return TouchedTableOut(
        name=table.full_name,
        partition_of=table.partition_of,
        size_bytes=table.size_bytes,
        rows=table.rows if known else None,
        dead=table.dead if known else None,
        changed_since_analyze=table.changed_since_analyze if known else None,
        analyzed_at=table.analyzed_at,
        vacuumed_at=table.vacuumed_at,
        indexes=[
            TableIndexOut(
                name=index.name,
                columns=index.written if known else "",
                size_bytes=index.size_bytes,
                scans=index.scans if known else None,
                used=index.name in found.used,
            )
            for index in table.indexes
        ],
    )


class UsualTimeOut(Out):
    """What a statement takes at other times.

    `ms_per_s`: execution time a second at this hour of the day, the median over earlier days.
    """

    query_id: str
    ms_per_s: float


@router.get("/servers/{server_id}/usual-times", response=list[UsualTimeOut], operation_id="statements_usual_times")
def usual_times(request: HttpRequest, server_id: int, window_in: Query[WindowIn]) -> list[UsualTimeOut]:
    """What each statement usually takes at the hours of a window; empty while fewer than three such days are known.

    Apart from the ranking, which does not wait for two weeks of hours to be read.
    """
    server = servers.server(server_id)
    found = statements.usual_times(
        server_id, window_in.window(now_ms()), clock_of(server).calendar, without_user=server.username
    )
    return [UsualTimeOut(query_id=str(i), ms_per_s=ms) for i, ms in found.items()]
