"""Asking a watched server on somebody's behalf: few at a time, in turn, and never with a connection of the store in hand."""

import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Condition

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import connection

from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.servers.models import Server
from faena.core.errors import Busy

AT_ONCE = 6  # in this process; each holds a thread and a connection to a watched server
PER_SERVER = 2  # the role has five connections, two of them the collector's
PER_PERSON = 2
MOST_WAITING = 12
PATIENCE_S = 10.0


class Turns:
    """Who asks whom at the moment, and who waits for that."""

    def __init__(self) -> None:
        self._free = Condition()
        self._servers: Counter[int] = Counter()
        self._people: Counter[int] = Counter()
        self.waiting = 0

    @contextmanager
    def taken(self, server_id: int, person_id: int) -> Iterator[None]:
        """Raises Busy when all have been taken for too long, or too many wait already."""
        self._take(server_id, person_id)
        try:
            yield
        finally:
            with self._free:
                self._servers[server_id] -= 1
                self._people[person_id] -= 1
                self._free.notify_all()

    def _take(self, server_id: int, person_id: int) -> None:
        until = time.monotonic() + PATIENCE_S
        with self._free:
            if self.waiting >= MOST_WAITING and not self._fits(server_id, person_id):
                raise Busy(f"{self.waiting} askings wait for their turn already; try again in a moment", after_s=10)
            self.waiting += 1
            try:
                while not self._fits(server_id, person_id):
                    left = until - time.monotonic()
                    if left <= 0 or not self._free.wait(left):
                        raise Busy(self._why(server_id, person_id), after_s=5)
            finally:
                self.waiting -= 1
            self._servers[server_id] += 1
            self._people[person_id] += 1

    def _fits(self, server_id: int, person_id: int) -> bool:
        return (
            self._servers[server_id] < PER_SERVER
            and self._people[person_id] < PER_PERSON
            and self._servers.total() < AT_ONCE
        )

    def _why(self, server_id: int, person_id: int) -> str:
        if self._people[person_id] >= PER_PERSON:
            return f"{PER_PERSON} of your own askings are under way; wait for one of them"
        if self._servers[server_id] >= PER_SERVER:
            return f"{PER_SERVER} askings of this server are under way and did not end within {PATIENCE_S:.0f} s"
        return f"{AT_ONCE} askings are under way, and {self.waiting} wait; try again in a moment"


turns = Turns()


@contextmanager
def asking(server: Server | None, by: AbstractBaseUser | AnonymousUser, act: str) -> Iterator[None]:
    """For the time in which a watched server is asked. Raises NotAllowed for viewers, Busy.

    The store's connection goes back first: a server that hangs would hold it, and soon nobody would get an answer.
    """
    user = require(by, Role.OPERATOR, act)
    if not connection.in_atomic_block:
        connection.close()
    with turns.taken(server.pk if server else 0, user.pk or 0):
        yield
