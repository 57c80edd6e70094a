"""Statements that seem to run once for each row of another, guessed from the counters of a window."""

from dataclasses import dataclass

import numpy as np

from faena.apps.statements.models import Text, Work
from faena.core.series.window import Window
from faena.core.statements.followers import Follower, followers
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId

LOOKED_AT_MS = 6 * MS_PER_HOUR  # the end of a longer window: pairs show in hours, and readings are many
MOST_STATEMENTS = 300  # those that ran most often


@dataclass(frozen=True, slots=True, kw_only=True)
class FollowedBy:
    """A pair with its statements; `window` is what was looked at."""

    first: QueryId
    second: QueryId
    pair: Follower


def followed(server_id: int, window: Window, without_user: str) -> tuple[list[FollowedBy], Window]:
    """Pairs of a window, or of its last hours, and what was looked at. Tools and the user that watches are left out."""
    looked_at = Window(start=EpochMs(max(window.start, window.end - LOOKED_AT_MS)), end=window.end)
    rows = Work.objects.filter(server_id=server_id, until_ms__gt=looked_at.start, until_ms__lte=looked_at.end)
    tools = Text.objects.filter(server_id=server_id, tool=True).values("query_id")
    rows = rows.exclude(user=without_user).exclude(query_id__in=tools)
    told = list(rows.values_list("query_id", "database", "user", "until_ms", "calls", "rows", "total_ms"))
    if not told:
        return [], looked_at
    moments, at = np.unique([row[3] for row in told], return_inverse=True)
    places: dict[tuple[int, str, str], int] = {}
    of = np.array([places.setdefault(row[:3], len(places)) for row in told])
    figures = np.zeros((3, len(places), len(moments)))
    for i in range(3):
        np.add.at(figures[i], (of, at), [row[4 + i] for row in told])
    often = np.argsort(-figures[0].sum(axis=1), kind="stable")[:MOST_STATEMENTS]
    keys = list(places)
    whose = [keys[i][1:] for i in often.tolist()]
    found = followers(whose, *(one[often] for one in figures))
    return [
        FollowedBy(first=QueryId(keys[often[one.first]][0]), second=QueryId(keys[often[one.second]][0]), pair=one)
        for one in found
    ], looked_at
