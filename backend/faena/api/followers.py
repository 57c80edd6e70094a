"""Statements that counters alone suggest are run once for each row of another."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.answers.labels import lines
from faena.apps.servers import selectors as servers
from faena.apps.statements.followed import followed
from faena.core.statements.followers import LEAST_READINGS

router = Router(tags=["statements"])


class FollowerOut(Out):
    """A statement that is run once for each row of another.

    `second` ran `runs` times, about once for each row that `first` returned, `each` times for a run of it.

    `agree` of the `readings` of the counters have it so, a share between 0 and 1. A guess: counters know no requests.
    """

    first: str
    first_text: str
    second: str
    second_text: str
    each: float
    runs: float
    ms: float
    readings: int
    agree: float


class FollowersOut(Out):
    """Statements that follow others row by row.

    `start` and `end` are what was looked at: of a long window its end. Fewer than `needed` readings tell nothing.
    """

    start: int
    end: int
    needed: int
    pairs: list[FollowerOut]


@router.get("/servers/{server_id}/statements/followers", response=FollowersOut, operation_id="statement_followers")
def list_followers(request: HttpRequest, server_id: int, window: Query[WindowIn]) -> FollowersOut:
    """Pairs of statements whose counts go together as one query and one more for each of its rows."""
    server = servers.server(server_id)
    pairs, span = followed(server.pk, window.window(now_ms()), server.username)
    texts = lines(server.pk, [i for one in pairs for i in (one.first, one.second)])
    return FollowersOut(
        start=span.start,
        end=span.end,
        needed=LEAST_READINGS,
        pairs=[
            FollowerOut(
                first=str(one.first), first_text=texts.get(one.first, f"statement {one.first}"), second=str(one.second),
                second_text=texts.get(one.second, f"statement {one.second}"), each=one.pair.each, runs=one.pair.runs,
                ms=one.pair.ms, readings=one.pair.readings, agree=one.pair.agree,
            )
            for one in pairs
        ],
    )  # fmt: skip
