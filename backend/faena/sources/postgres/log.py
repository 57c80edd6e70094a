"""A watched server's log: as files beside the collector, or through the server itself."""

from collections.abc import Awaitable, Callable, Sequence
from pathlib import Path
from typing import LiteralString

from psycopg.rows import TupleRow

from faena.core.discreet import discreet
from faena.core.engines.postgres.telling import quoted
from faena.core.logged import CaptureRules, Execution, LogPosition, LogReading
from faena.core.statements.executions import LoggedShare, chosen, logged_share
from faena.core.units import QueryId
from faena.sources.logs.blocks import Form
from faena.sources.logs.entries import zone_named
from faena.sources.logs.follow import Follower, LocalFiles, LogFile, LogFiles
from faena.sources.postgres import queries

THROUGH_SERVER = "server"  # in place of a path
Ask = Callable[[LiteralString, Sequence[object] | None], Awaitable[list[TupleRow]]]


class ServerFiles:
    """Needs pg_monitor for the names, and EXECUTE on pg_read_binary_file for what stands in them."""

    where = "the log directory of the server"

    def __init__(self, ask: Ask) -> None:
        self._ask = ask

    async def files(self) -> Sequence[LogFile]:
        return [LogFile(name, size, modified) for name, size, modified in await self._ask(queries.LOG_FILES, None)]

    async def read(self, name: str, offset: int, length: int) -> bytes:
        ((piece,),) = await self._ask(queries.LOG_PIECE, [name, offset, length])
        return piece or b""


class ServerLog:
    """Executions and events as the rules want them; `identify` gives the identifier of a statement's text."""

    def __init__(self, where: str, settings: dict[str, str], ask: Ask, identify: Callable[[str], QueryId]) -> None:
        files: LogFiles = ServerFiles(ask) if where == THROUGH_SERVER else LocalFiles(Path(where))
        zone = zone_named(settings.get("log_timezone", "UTC"))
        self._follower = Follower(files, settings.get("log_line_prefix"), form_of(settings), zone)
        self._logged: LoggedShare = logged_share(settings)
        self._identify = identify

    async def read(self, position: LogPosition | None, rules: CaptureRules) -> LogReading:
        reading = await self._follower.read(position)
        kept = chosen(reading.executions, rules, self._logged)
        return LogReading(
            position=reading.position,
            executions=tuple(self._known(one, rules) for one in kept),
            events=tuple(
                one
                if one.query_id is not None or not one.statement
                else one._replace(query_id=self._identify(one.statement))
                for one in reading.events
            ),
            unreadable=reading.unreadable,
            behind=reading.behind,
            broken=reading.broken,
        )

    def _known(self, one: Execution, rules: CaptureRules) -> Execution:
        if one.query_id is None and one.statement:
            one = one._replace(query_id=self._identify(one.statement))
        return one if rules.parameters else discreet(one)


def form_of(settings: dict[str, str]) -> Form | None:
    """The form that tells most of those the server writes; None where it does not say."""
    destination = settings.get("log_destination", "")
    for form in ("jsonlog", "csvlog", "stderr"):
        if form in destination:
            return form
    return None


def log_grant(user: str) -> str:
    """What lets a role read the log through the server: the names of its files, and what stands in them."""
    name = quoted(user)
    return (
        f"GRANT pg_monitor TO {name};\n"
        f"GRANT EXECUTE ON FUNCTION pg_read_binary_file(text, bigint, bigint, boolean) TO {name};"
    )
