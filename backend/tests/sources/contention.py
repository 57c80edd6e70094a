"""Real contention on a real server: sessions that hold and wait, each step known to have been reached before the next."""

import asyncio
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from threading import Thread

import psycopg
from faena.core.readings import SampleReading
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target
from patience import PATIENCE_S, wait_for
from watched import owner


@dataclass
class Player:
    """A session that does as it is told; `ask` waits for the answer, `start` does not."""

    name: str
    connection: psycopg.Connection
    pid: int
    threads: list[Thread] = field(default_factory=list)
    failed: list[psycopg.Error] = field(default_factory=list)

    def ask(self, statement: str) -> None:
        self.connection.execute(statement.encode())

    def start(self, statement: str) -> None:
        """Run it beside us; its end, good or bad, is waited for when the scene is over."""
        thread = Thread(target=self._run, args=(statement,), daemon=True)
        self.threads.append(thread)
        thread.start()

    def _run(self, statement: str) -> None:
        try:
            self.connection.execute(statement.encode())
        except psycopg.Error as error:
            self.failed.append(error)

    def join(self) -> None:
        for thread in self.threads:
            thread.join(PATIENCE_S)


class Scene:
    """Players in a database, and a keeper who sees what the server says at this moment."""

    def __init__(self, database: str, stack: ExitStack, account: dict[str, str]) -> None:
        self.database, self._stack, self._account = database, stack, account
        self.keeper = stack.enter_context(owner("postgres"))
        self.players: list[Player] = []

    def player(self, name: str) -> Player:
        connection = owner(self.database, **self._account)
        self._stack.callback(connection.close)  # not as a context, which would commit on a connection that was ended
        connection.execute(f"SET application_name = '{name}'")
        made = Player(name, connection, connection.info.backend_pid)
        self.players.append(made)
        return made

    def until_waiting(self, *players: Player) -> None:
        """Until the server itself says that each of them waits for a lock."""
        pids = [player.pid for player in players]
        question = (
            "SELECT count(*) FROM pg_stat_activity WHERE pid = ANY(%s) AND wait_event_type = 'Lock' "
            "AND cardinality(pg_blocking_pids(pid)) > 0"
        )
        self.until(question, (pids,), len(pids))

    def until(self, question: str, values: Sequence[object], answer: object) -> None:
        """Until the server answers so."""

        def answered() -> bool:
            row = self.keeper.execute(question.encode(), values).fetchone()
            return row is not None and row[0] == answer

        wait_for(answered, f"{question} = {answer}")

    def blocking(self, player: Player) -> set[int]:
        """Who blocks a player, in the server's own words."""
        row = self.keeper.execute("SELECT pg_blocking_pids(%s)", (player.pid,)).fetchone()
        assert row
        return set(row[0])


@contextmanager
def scene(database: str, **account: str) -> Iterator[Scene]:
    """Players as the owner, or by another account. All of them are sent home at the end, those that still wait by force."""
    with ExitStack() as stack:
        made = Scene(database, stack, account)
        try:
            yield made
        finally:
            for player in made.players:
                made.keeper.execute("SELECT pg_terminate_backend(%s)", (player.pid,))
            for player in made.players:
                player.join()


async def _sampled(target: Target) -> SampleReading:
    source = PostgresSource(target)
    try:
        await source.connect()
        return await source.sample(EpochMs(int(time.time() * 1000)))
    finally:
        await source.close()


def sampled(target: Target) -> SampleReading:
    """What Faena sees at this moment."""
    return asyncio.run(_sampled(target))
