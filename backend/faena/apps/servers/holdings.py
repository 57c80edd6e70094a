"""What the store holds of a server, counted by whoever writes.

One row tells a reader whether what it keeps in memory is still all there is; without it each answer would ask every
table anew. Writers call these inside the transaction of what they write, so that the two are seen together.
"""

from collections.abc import Sequence
from typing import NamedTuple

from django.db import connection

from faena.apps.servers.models import Holdings


class Held(NamedTuple):
    """What the store holds of a server, as it was read. A tuple and no model: lists of servers read a thousand of them.

    `rewrites` grows whenever something older than the newest changes; `first_ms` is 0 while nothing is kept.
    `recodes` grows when samples of the open hours learn their endpoint; `recoded_ms` tells since when, newest first.
    """

    server_id: int
    first_ms: int = 0
    newest_ms: int = 0
    codes: int = 0
    rewrites: int = 0
    texts: int = 0
    recodes: int = 0
    recoded_ms: Sequence[int] = ()

    def recoded_since(self, seen: int) -> int | None:
        """The oldest moment whose samples changed since somebody read them at `recodes` = `seen`; None: no sample did."""
        times = self.recodes - seen
        if times <= 0:
            return None
        return min(self.recoded_ms[:times]) if times <= len(self.recoded_ms) else 0


def read(server_id: int) -> Held:
    """Zeros for a server of which nothing was stored yet."""
    row = Holdings.objects.filter(server_id=server_id).values_list(*Held._fields).first()
    return Held(*row) if row else Held(server_id)


def read_all() -> dict[int, Held]:
    """Of each server of which anything was stored."""
    return {row[0]: Held(*row) for row in Holdings.objects.values_list(*Held._fields)}


def lock(server_id: int) -> None:
    """Let nobody else write codes or sums of the server until the transaction ends."""
    Holdings.objects.get_or_create(server_id=server_id)
    Holdings.objects.select_for_update().get(server_id=server_id)


def grew(server_id: int, *, first_ms: int, newest_ms: int, codes: int) -> None:
    """Ticks of [first_ms, newest_ms] were added; whoever has read beyond `first_ms` already must read again."""
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO servers_holdings AS h (server_id, first_ms, newest_ms, codes, rewrites, texts, recodes, recoded_ms) "
            "VALUES (%s, %s, %s, %s, 0, 0, 0, '{}') ON CONFLICT (server_id) DO UPDATE SET "
            "rewrites = h.rewrites + (excluded.first_ms <= h.newest_ms)::int, "
            "first_ms = CASE WHEN h.newest_ms = 0 THEN excluded.first_ms ELSE least(h.first_ms, excluded.first_ms) END, "
            "newest_ms = greatest(h.newest_ms, excluded.newest_ms), codes = greatest(h.codes, excluded.codes)",
            [server_id, first_ms, newest_ms, codes],
        )


def rewrote(server_id: int, *, first_ms: int | None = None) -> None:
    """Something already stored changed its form or went; `first_ms` is the oldest moment kept from now on."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE servers_holdings SET rewrites = rewrites + 1, first_ms = greatest(first_ms, %s) WHERE server_id = %s",
            [first_ms or 0, server_id],
        )


MOST_RECODES = 32  # kept; whoever read before them reads all open hours again


def recoded(server_id: int, first_ms: int, *, codes: int) -> None:
    """Samples from `first_ms` on got other codes. The caller holds the lock."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE servers_holdings SET recodes = recodes + 1, codes = greatest(codes, %s), "
            f"recoded_ms = (ARRAY[%s::bigint] || recoded_ms)[1:{MOST_RECODES}] WHERE server_id = %s",
            [codes, first_ms, server_id],
        )


def learned(server_id: int) -> None:
    """Texts of statements came in."""
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO servers_holdings AS h (server_id, first_ms, newest_ms, codes, rewrites, texts, recodes, recoded_ms) "
            "VALUES (%s, 0, 0, 0, 0, 1, 0, '{}') ON CONFLICT (server_id) DO UPDATE SET texts = h.texts + 1",
            [server_id],
        )
