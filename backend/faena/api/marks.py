"""What stands on the rail, above every view."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers.marks import marks

router = Router(tags=["marks"])


class MarkedOut(Out):
    """A mark on the rail.

    `query_id`: the statement that a switch of plan or another change is of; `change` and `alert`: the number of
    one.
    """

    at: int
    kind: str
    detail: str
    query_id: str | None
    change: int | None
    alert: int | None


@router.get("/servers/{server_id}/marks", response=list[MarkedOut], operation_id="marks_list")
def list_marks(request: HttpRequest, server_id: int, window_in: Query[WindowIn]) -> list[MarkedOut]:
    """Deadlocks and the like, changes, plans that switched, leads and alerts; in order of time."""
    return [
        MarkedOut(
            at=one.at,
            kind=one.kind,
            detail=one.detail,
            change=one.change,
            alert=one.alert,
            query_id=None if one.query_id is None else str(one.query_id),
        )
        for one in marks(server_id, window_in.window(now_ms()))
    ]
