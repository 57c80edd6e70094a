"""Leads, deadlock patterns and alerts of all servers in one list."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.answers.troubles import TroubleKind, troubles
from faena.core.units import MS_PER_HOUR

router = Router(tags=["troubles"])


class TroubleOut(Out):
    """A lead, a pattern of deadlocks or an alert.

    `key` names it among its kind on its server. Moments in ms since 1970; `server_name` says of an alert
    on how many more it is. `hours` counts by the hour of its server's day."""

    kind: TroubleKind
    kind_label: str
    key: str
    server: int
    server_name: str
    title: str
    first: int
    last: int
    times: int
    state: str
    unread: bool
    hours: list[int]


class TroublesIn(Schema):
    """What came in the last `days`; of one server or kind, or all."""

    days: Annotated[int, Field(ge=1, le=90)] = 14
    server: int | None = None
    kind: TroubleKind | None = None


@router.get("/troubles", response=list[TroubleOut], operation_id="troubles")
def get_troubles(request: HttpRequest, asked: Query[TroublesIn]) -> list[TroubleOut]:
    """What nobody has dealt with first, of these the newest."""
    found = troubles(
        now_ms() - asked.days * 24 * MS_PER_HOUR, server_id=asked.server, kind=asked.kind, groups=seen_by(request)
    )
    return [
        TroubleOut(
            kind=one.kind, kind_label=one.kind.label, key=one.key, server=one.server.pk, server_name=one.server.name + (f" and {one.others} more" if one.others else ""),
            title=one.title, first=one.first, last=one.last, times=one.times, state=one.state, unread=one.unread,
            hours=list(one.hours),
        )
        for one in found
    ]  # fmt: skip
