"""What stands on the rail above every view: deadlocks and the like, changes, plans that switched, leads and alerts."""

from typing import NamedTuple

from faena.apps.alerts import selectors as alerts
from faena.apps.answers.labels import lines
from faena.apps.changes import selectors as kept
from faena.apps.leads import selectors as leads
from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.apps.statements import events, executions
from faena.core.changes.kinds import ChangeKind
from faena.core.plans.history import switches
from faena.core.series.window import Window

AS_LOGGED = "from the server's log"


class Mark(NamedTuple):
    """`query_id`: the statement that a switch of plan or another change is of; `change` and `alert`: the number of one."""

    at: int
    kind: str
    detail: str
    query_id: int | None = None
    change: int | None = None
    alert: int | None = None


def marks(server_id: int, window: Window) -> list[Mark]:
    """In order of time. Raises NotFound."""
    servers.server(server_id)
    logged = [Mark(at, kind, AS_LOGGED) for at, kind in events.marks(server_id, window)]
    runs = executions.plan_runs(server_id, window)
    changes = [(query_id, one) for query_id, several in runs.items() for one in switches(several)]
    labels = lines(server_id, (i for i, _ in changes), 100)
    gists = plans.gists(server_id, {one.after for _, one in changes})
    switched = [
        Mark(
            one.at,
            "plan_switch",
            f"{labels.get(query_id, f'statement {query_id}')} now uses {gists.get(one.after, 'another plan')}",
            query_id,
        )
        for query_id, one in changes
    ]
    changed = [
        Mark(one.at, "change", f"{one.kind.label}: {one.line}" if one.note else one.line, one.query_id, one.id)
        for one in kept.changes(server_id, window)
        if one.kind is not ChangeKind.PLAN_SWITCH
    ]
    led = [Mark(at, "lead", title) for at, title in leads.marks(server_id, window)]
    told = [
        Mark(one.began_ms, "alert", one.condition.name, alert=one.alert_id) for one in alerts.began(server_id, window)
    ]
    return sorted([*logged, *switched, *changed, *led, *told], key=lambda mark: mark.at)
