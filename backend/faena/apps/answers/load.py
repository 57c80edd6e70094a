"""Load of a window with what is said of it: labels, the first fork, notes of the watching, what is usual."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice

from faena.apps.answers.labels import labels_of, lines, opens_of
from faena.apps.samples import selectors as samples
from faena.apps.samples.usual import MarkedSpan, UsualAnswer, marked_spans, usual_for
from faena.apps.servers import selectors as servers
from faena.core.answers.headline import Headline, headline
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.load import Column
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window

Labels = Mapping[str, tuple[str, str]]  # short and full words by value
BLOCK = 1000  # raw samples whose statements are looked up at once


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadView:
    """`notes` are moment, event and detail, in order of time. `usual` None where it was not asked for."""

    answer: samples.LoadAnswer
    period_ms: int
    cores: int | None
    labels: Labels
    said: Headline
    notes: Sequence[tuple[int, str, str]]
    usual: UsualAnswer | None
    marks: Sequence[MarkedSpan]


def load_view(
    server_id: int, window: Window, split: Dimension, trail: Sequence[Pick], *, at_most: int, usual: bool, now: int
) -> LoadView:
    """Raises NotFound."""
    server = servers.server(server_id)
    answer = samples.load(server_id, window, split, trail, at_most=at_most, period_ms=server.period_ms, now=now)
    return LoadView(
        answer=answer,
        period_ms=server.period_ms,
        cores=server.cores,
        labels=labels_of(server_id, split, list(answer.series.groups)),
        said=headline(answer.unpicked, answer.buckets.starts(), server.cores),
        notes=[(one.at_ms, one.event, one.detail) for one in servers.notes(server_id, window)],
        usual=usual_for(server, answer.buckets, window) if usual else None,
        marks=marked_spans(server_id, window) if usual else (),
    )


@dataclass(frozen=True, slots=True)
class Labelled:
    """A ranked column with words for its values; `opens` has the numbers of those that have a page."""

    column: Column
    labels: Labels
    opens: Mapping[str, str]


def sieve_view(
    server_id: int, window: Window, dimensions: Sequence[Dimension], trail: Sequence[Pick], *, at_most: int
) -> tuple[list[Labelled], int]:
    """A labelled column per dimension, and the ticks behind them. Raises NotFound."""
    servers.server(server_id)
    columns, ticks = samples.sieve(server_id, window, dimensions, trail, at_most=at_most)
    return [labelled(server_id, one) for one in columns], ticks


def labelled(server_id: int, column: Column) -> Labelled:
    """A column with words for its values."""
    values = [row.value for row in column.rows]
    dimension = column.dimension
    return Labelled(column, labels_of(server_id, dimension, values), opens_of(server_id, dimension, values))


def raw_samples(server_id: int, window: Window, trail: Sequence[Pick]) -> Iterator[tuple[samples.RawSample, str]]:
    """Samples inside the trail with their statements in a line, oldest first. Raises NotFound."""
    servers.server(server_id)
    return _with_statements(server_id, samples.raw_samples(server_id, window, trail))


def _with_statements(server_id: int, found: Iterator[samples.RawSample]) -> Iterator[tuple[samples.RawSample, str]]:
    """Texts are looked up once each, a block of samples at a time."""
    known: dict[int, str] = {}
    while block := list(islice(found, BLOCK)):
        fresh = {one.combination.query_id for one in block if one.combination.query_id is not None} - known.keys()
        known.update(lines(server_id, fresh, 300))
        for one in block:
            query_id = one.combination.query_id
            yield one, known.get(query_id, "") if query_id is not None else ""
