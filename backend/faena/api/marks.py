"""What stands on the rail, above every view."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.apps.statements import events, executions
from faena.apps.statements.selectors import texts
from faena.core.plans.history import switches
from faena.core.sql.texts import gist

router = Router(tags=["marks"])
AS_LOGGED = "as the server's log tells"


class MarkedOut(Out):
    """`query_id`: the statement that a switch of plan is of."""

    at: int
    kind: str
    detail: str
    query_id: str | None


@router.get("/servers/{server_id}/marks", response=list[MarkedOut], operation_id="marks_list")
def list_marks(request: HttpRequest, server_id: int, window_in: Query[WindowIn]) -> list[MarkedOut]:
    """Deadlocks and the like, and statements that went over to another plan; in order of time."""
    servers.server(server_id)
    window = window_in.window(now_ms())
    logged = [
        MarkedOut(at=at, kind=kind, detail=AS_LOGGED, query_id=None) for at, kind in events.marks(server_id, window)
    ]
    runs = executions.plan_runs(server_id, window)
    changes = [(query_id, one) for query_id, several in runs.items() for one in switches(several)]
    labels = {i: gist(text.text, 100) for i, text in texts(server_id, {i for i, _ in changes}).items()}
    lines = plans.gists(server_id, {one.after for _, one in changes})
    switched = [
        MarkedOut(
            at=one.at,
            kind="plan_switch",
            detail=f"{labels.get(query_id, f'statement {query_id}')} now uses {lines.get(one.after, 'another plan')}",
            query_id=str(query_id),
        )
        for query_id, one in changes
    ]
    return sorted([*logged, *switched], key=lambda mark: mark.at)
