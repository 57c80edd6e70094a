"""What a server's log tells: patterns of deadlocks, and all other entries; with how far the log was read."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import permit
from faena.apps.answers.labels import lines
from faena.apps.locks import deadlocks
from faena.apps.servers import selectors as servers
from faena.apps.statements import events, logged
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window, cut

SERIES = 60  # buckets at most
MOST_SHAPES = 200
Reader = AbstractBaseUser | AnonymousUser


class LogRead(NamedTuple):
    """How far the server's log was read, without which "none" cannot be told. `read_at` None: never."""

    read_at: int | None
    refused: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Patterns:
    """Patterns of a window, their series by the buckets of `cells`."""

    cells: Buckets
    patterns: Sequence[deadlocks.PatternSummary]
    log: LogRead


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternPage:
    """One pattern with its deadlocks, newest first, and what was written of it."""

    pattern: deadlocks.PatternSummary
    comments: Sequence[deadlocks.Comment]
    deadlocks: Sequence[deadlocks.KnownDeadlock]


@dataclass(frozen=True, slots=True, kw_only=True)
class Entries:
    """What the log tells in a window: `total` entries, grouped by shape, and the newest single ones."""

    cells: Buckets
    total: int
    shapes: Sequence[events.EventShape]
    newest: Sequence[events.Entry]
    log: LogRead


def _cells(window: Window) -> Buckets:
    return cut(window, at_most=SERIES, period_ms=1000)


def _log_read(server_id: int) -> LogRead:
    return LogRead(logged.read_at(server_id), servers.log_refusal(servers.server(server_id)))


def patterns(server_id: int, window: Window, trail: Sequence[Pick] = ()) -> Patterns:
    """Those that happened most first, inside the trail as far as parties tell it. Raises NotFound."""
    log, cells = _log_read(server_id), _cells(window)
    return Patterns(cells=cells, patterns=deadlocks.patterns(server_id, window, cells, trail), log=log)


def pattern_page(server_id: int, name: str, window: Window, *, by: Reader) -> PatternPage:
    """Raises NotFound."""
    row = deadlocks.pattern(server_id, name)
    (found,) = deadlocks.patterns(server_id, window, _cells(window), only=row)
    return PatternPage(pattern=found, comments=deadlocks.comments(row), deadlocks=deadlocks.of_pattern(row, permit(by)))


def entries(server_id: int, window: Window, asked: events.Asked, limit: int, *, by: Reader) -> Entries:
    """Raises NotFound."""
    log, cells, allowed = _log_read(server_id), _cells(window), permit(by)
    groups, total = events.shapes(server_id, window, asked, cells, allowed)
    newest = events.newest(server_id, window, asked, limit, allowed)
    groups = groups[:MOST_SHAPES]
    texts = lines(server_id, (one.query_id for one in (*newest, *(group.last for group in groups))))
    return Entries(
        cells=cells,
        total=total,
        shapes=[replace(group, last=_with_statement(group.last, texts)) for group in groups],
        newest=[_with_statement(one, texts) for one in newest],
        log=log,
    )


def _with_statement(one: events.Entry, texts: Mapping[int, str]) -> events.Entry:
    """Where its statement may not be seen as it was, the text without literals stands for it."""
    return one if one.statement else replace(one, statement=texts.get(one.query_id or 0, ""))
