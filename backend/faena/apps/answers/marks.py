"""What stands on the rail above every view: deadlocks and the like, and statements that went over to another plan."""

from typing import NamedTuple

from faena.apps.answers.labels import lines
from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.apps.statements import events, executions
from faena.core.plans.history import switches
from faena.core.series.window import Window

AS_LOGGED = "from the server's log"


class Mark(NamedTuple):
    """`query_id`: the statement that a switch of plan is of."""

    at: int
    kind: str
    detail: str
    query_id: int | None = None


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
    return sorted([*logged, *switched], key=lambda mark: mark.at)
