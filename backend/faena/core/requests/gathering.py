"""Spans as they come in, any order and twice, put to their traces."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from faena.core.requests.request import Request, requests_of
from faena.core.requests.span import Span


class Traces:
    """Traces from all payloads so far. `duplicates` counts spans that came before, `rejected` what could not be taken, by trace."""

    def __init__(self) -> None:
        self._spans: dict[bytes, dict[bytes, Span]] = {}
        self.duplicates = 0
        self.rejected: Counter[bytes] = Counter()

    def add(self, spans: Iterable[Span], rejected: Mapping[bytes, int]) -> None:
        """Take what one payload held; of a span that comes twice the first counts."""
        for span in spans:
            mine = self._spans.setdefault(span.trace, {})
            if span.id in mine:
                self.duplicates += 1
            else:
                mine[span.id] = span
        self.rejected.update(rejected)

    @property
    def spans(self) -> int:
        """Spans that were taken."""
        return sum(map(len, self._spans.values()))

    def __iter__(self) -> Iterator[Sequence[Span]]:
        """The spans of each trace."""
        return (list(one.values()) for one in self._spans.values())

    def requests(self) -> list[Request]:
        """All requests of all traces, in order of time."""
        found = [request for spans in self for request in requests_of(spans)]
        return sorted(found, key=lambda one: (one.top.start, one.trace, one.top.id))
