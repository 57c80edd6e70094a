"""Ending a statement or a session, and the record of what was ended."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from faena.api.out import Out
from faena.api.session_parts import id_text
from faena.apps.servers import selectors as servers
from faena.apps.sessions import ending
from faena.apps.sessions.ending import EndedRecord, Ordered
from faena.core.engines.inquiry import Ending

router = Router(tags=["sessions"])


class EndBody(Schema):
    """Which session or statement to end.

    `started_s` and `statement_ms` as shown: if it is another session or statement by now, nothing is ended.
    """

    started_s: int
    statement_ms: Annotated[int, Field(ge=0, le=2**40)] | None = None
    what: Ending
    reason: Annotated[str, Field(max_length=1000)]
    confirmed: bool = False


class EndedOut(Out):
    """A record of what was ended. `freed` waited behind it before and not after; `still` wait on."""

    at: int
    by: str
    what: str
    pid: int
    program: str
    user: str
    client: str
    query_id: str | None
    reason: str
    answer: str
    freed: list[int]
    still: list[int]


def _ended(one: EndedRecord) -> EndedOut:
    names = [name for name in EndedOut.model_fields if name != "query_id"]
    return EndedOut(query_id=id_text(one.query_id), **{name: getattr(one, name) for name in names})


@router.post("/servers/{server_id}/sessions/{pid}/end", response={201: EndedOut}, operation_id="sessions_end")
def end_session(request: HttpRequest, server_id: int, pid: int, body: EndBody) -> Status[EndedOut]:
    """End a statement or a session; kept with name and reason. Operators and admins."""
    order = Ordered(what=body.what, reason=body.reason, confirmed=body.confirmed, statement_ms=body.statement_ms or 0)
    found = ending.end_seen(servers.server(server_id), pid, body.started_s, order, by=request.user)
    return Status(201, _ended(found))


@router.get("/servers/{server_id}/ended", response=list[EndedOut], operation_id="sessions_ended")
def list_ended(request: HttpRequest, server_id: int) -> list[EndedOut]:
    """What was ended on this server, by whom and why, newest first."""
    servers.server(server_id)
    return [_ended(one) for one in ending.ended(server_id)]
