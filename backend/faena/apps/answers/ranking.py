"""Statements of a window ranked by a measure, with what stands beside their counted figures."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from typing import NamedTuple, Unpack

import numpy as np

from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.statements import executions, selectors
from faena.apps.statements.models import Text
from faena.core.numbers import whole_number
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.statements.conditions import Condition, NameCondition, NumberCondition
from faena.core.statements.figures import Measure, StatementFigures, figures_of
from faena.core.statements.seen import Seen, uncounted
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What to rank by and what to leave out. `stars` are the statements this user has starred, as texts of numbers."""

    sort: Measure = Measure.TOTAL
    ascending: bool = False
    containing: str = ""
    conditions: Sequence[Condition] = ()
    trail: Sequence[Pick] = ()
    tools: bool = False
    starred: bool = False
    stars: Set[str] = frozenset()

    @property
    def whole(self) -> bool:
        """Whether nothing is narrowed, so that what is missing can be told."""
        return not (self.containing or self.conditions or self.starred or self.trail)


class Ranked(NamedTuple):
    """A statement's figures with what stands beside them; made for all, while only what is shown is written out."""

    figures: StatementFigures
    share: float
    errors: int = 0
    change: float | None = None
    starred: bool = False
    sessions: float | None = None
    on_cpu: float | None = None
    disk_read_rate: float | None = None
    disk_write_rate: float | None = None

    def value(self, name: str) -> float | None:
        found: float | None = getattr(self if name in self._fields else self.figures, name)
        return found

    def place(self, by: Measure, *, ascending: bool = False) -> tuple[bool, float, int]:
        """Largest first, or smallest; statements without the measure last."""
        value = self.value(by.value)
        return value is None, (value or 0.0) * (1 if ascending else -1), self.figures.query_id


class RankedStatement(NamedTuple):
    """A ranked statement with its text in a line and its tables, as far as they were learned."""

    ranked: Ranked
    label: str
    tables: str


class Missing(NamedTuple):
    """A statement that sessions were seen in for far longer than its counted calls took."""

    query_id: QueryId
    label: str
    sessions: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranking:
    """`hidden` statements of tools were left out, `unfit` by conditions on figures, `more` beyond the limit."""

    rows: Sequence[RankedStatement]
    more: int
    total_ms: float
    covered_ms: int
    breaks: Sequence[str]
    hidden: int
    unfit: int
    previous_covered_ms: int
    uncounted: Sequence[Missing]


def rank(server_id: int, window: Window, asked: Asked, limit: int) -> Ranking:
    """Without what Faena's own account ran: the watching must not pose as load of the application. Raises NotFound."""
    server = servers.server(server_id)
    narrowing = selectors.Narrowing(
        containing=asked.containing, without_user=server.username, conditions=asked.conditions, trail=asked.trail
    )
    picks = [*_picks(asked.conditions), *asked.trail]
    sampled = _seen(server, window, picks)
    counted = selectors.figures(server_id, window, **narrowing)
    found = [*counted, *_not_counted(counted, sampled)] if asked.whole else counted
    hidden = set() if asked.tools else selectors.tools(server_id, [one.query_id for one in found])
    found = [one for one in found if one.query_id not in hidden]
    total_ms = sum(one.total_ms for one in found)
    if asked.starred:
        found = [one for one in found if str(one.query_id) in asked.stars]
    beside = _Beside.of(server, window, picks, narrowing)
    rows = [beside.ranked(one, total_ms, sampled, asked.stars) for one in found]
    numbers = [one for one in asked.conditions if isinstance(one, NumberCondition)]
    fit = [row for row in rows if all(one.fits(row.value(one.field)) for one in numbers)]
    fit.sort(key=lambda row: row.place(asked.sort, ascending=asked.ascending))
    missing = _missing(found, sampled) if asked.whole else []
    shown = fit[:limit]
    wanted = [row.figures.query_id for row in shown] + [one.query_id for one in missing]
    texts = selectors.texts(server_id, wanted)
    return Ranking(
        rows=[with_text(row, texts.get(row.figures.query_id)) for row in shown],
        more=max(0, len(fit) - limit),
        total_ms=total_ms,
        covered_ms=beside.covered_ms,
        breaks=beside.breaks,
        hidden=len(hidden),
        unfit=len(rows) - len(fit),
        previous_covered_ms=beside.previous_ms,
        uncounted=[
            Missing(one.query_id, label_of(texts.get(one.query_id), one.query_id), one.sessions) for one in missing
        ],
    )


def label_of(text: Text | None, query_id: QueryId) -> str:
    """A statement in a line, or that its text is not known."""
    return gist(text.text, 160) if text else f"statement {query_id}, text not known yet"


def with_text(row: Ranked, text: Text | None) -> RankedStatement:
    """A ranked statement with its text and tables, as far as they were learned."""
    return RankedStatement(row, label_of(text, row.figures.query_id), text.tables if text else "")


class _Sampled(NamedTuple):
    """What sessions were seen doing in a window of which so many milliseconds were sampled."""

    statements: dict[QueryId, Seen]
    sampled_ms: float

    def of(self, query_id: QueryId, name: str) -> float | None:
        """A figure of a statement; 0 where it was not seen, None where nothing was sampled."""
        one = self.statements.get(query_id)
        return (float(getattr(one, name)) if one else 0.0) if self.sampled_ms else None


@dataclass(frozen=True, slots=True, kw_only=True)
class _Beside:
    """Evidence of other kinds that stands beside the counters of a window."""

    failed: Mapping[QueryId, int]
    moved: samples.ByStatement | None
    covered_ms: int
    breaks: Sequence[str]
    previous: Mapping[int, float]
    previous_ms: int

    @classmethod
    def of(cls, server: Server, window: Window, picks: Sequence[Pick], narrowing: selectors.Narrowing) -> "_Beside":
        cover = selectors.coverage(server.pk, window)
        previous, previous_ms = _previous(server.pk, window, **narrowing)
        return cls(
            failed=executions.failures(server.pk, window),
            moved=samples.bytes_by_statement(server.pk, window, picks),
            covered_ms=cover.covered_ms,
            breaks=list(cover.breaks),
            previous=previous,
            previous_ms=previous_ms,
        )

    def ranked(self, one: StatementFigures, total_ms: float, sampled: _Sampled, stars: Set[str]) -> Ranked:
        moved = self.moved
        return Ranked(
            figures=one,
            share=one.total_ms / total_ms if total_ms else 0.0,
            errors=self.failed.get(one.query_id, 0),
            change=_change(one.total_ms, self.covered_ms, self.previous.get(one.query_id, 0.0), self.previous_ms),
            starred=str(one.query_id) in stars,
            sessions=sampled.of(one.query_id, "sessions"),
            on_cpu=sampled.of(one.query_id, "on_cpu"),
            disk_read_rate=moved.read.get(one.query_id, 0.0) if moved else None,
            disk_write_rate=moved.written.get(one.query_id, 0.0) if moved else None,
        )


def _change(after_ms: float, after_s: float, before_ms: float, before_s: float) -> float | None:
    """Time a second over that of the window before."""
    return (after_ms / after_s) / (before_ms / before_s) if before_ms and before_s and after_s else None


def _missing(found: Sequence[StatementFigures], sampled: _Sampled) -> list[Seen]:
    counted_ms = {one.query_id: one.total_ms for one in found}
    beside = [one for one in sampled.statements.values() if one.query_id in counted_ms]
    return uncounted(beside, counted_ms, sampled.sampled_ms)


def _not_counted(counted: Sequence[StatementFigures], sampled: _Sampled) -> list[StatementFigures]:
    """Statements that no counter has, since none of their calls ended."""
    known = {one.query_id for one in counted}
    return [figures_of(i, np.zeros(len(COUNTER_FIELDS))) for i in sampled.statements if i not in known]


def _picks(conditions: Sequence[Condition]) -> list[Pick]:
    """The conditions as far as samples tell of them."""
    return [
        Pick(Dimension(one.field), one.name, exclude=not one.wanted)
        for one in conditions
        if isinstance(one, NameCondition) and one.field in ("user", "database")
    ]


def _seen(server: Server, window: Window, picks: Sequence[Pick]) -> _Sampled:
    """Statements as sessions were seen in them."""
    (column,), ticks = samples.sieve(server.pk, window, [Dimension.STATEMENT], picks, at_most=10_000)
    found = [
        Seen(
            query_id=QueryId(int(row.value)),
            sessions=row.sessions,
            margin=row.sessions_margin,
            on_cpu=row.by_kind.get(WaitKind.RUNNING, 0.0),
        )
        for row in column.rows
        if whole_number(row.value) is not None
    ]
    sampled_ms = float(min(ticks * server.period_ms, window.length_ms))
    return _Sampled({one.query_id: one for one in found}, sampled_ms)


def _previous(server_id: int, window: Window, **narrowing: Unpack[selectors.Narrowing]) -> tuple[dict[int, float], int]:
    """Time of each statement in the window before, and the milliseconds of that one which were counted."""
    earlier = window.previous()
    covered = selectors.coverage(server_id, earlier).covered_ms
    if not covered:
        return {}, 0
    return selectors.times(server_id, earlier, **narrowing), covered
