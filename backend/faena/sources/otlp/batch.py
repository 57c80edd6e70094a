"""What a payload held: spans, and how many could not be taken."""

from collections import Counter
from dataclasses import dataclass, field

from faena.core.errors import BadInput
from faena.core.requests.span import Attributes, Span

TRACE_BYTES, SPAN_BYTES = 16, 8


class BadPayload(BadInput):
    """The bytes are no payload of traces; says what they are instead and where."""

    def __init__(self, why: str) -> None:
        super().__init__(why, field="traces")


class BadSpan(Exception):
    """A span that cannot be taken; the rest of its payload can. `trace` is empty where even that is not valid."""

    def __init__(self, why: str, trace: bytes = b"") -> None:
        super().__init__(why)
        self.trace = trace


@dataclass(slots=True)
class Batch:
    """`rejected` counts spans by their trace, those without a valid one under an empty name; `why` tells of the first."""

    spans: list[Span] = field(default_factory=list)
    rejected: Counter[bytes] = field(default_factory=Counter)
    why: str = ""

    def reject(self, bad: BadSpan) -> None:
        self.rejected[bad.trace] += 1
        self.why = self.why or str(bad)


def checked_ids(trace: bytes, span: bytes, parent: bytes) -> tuple[bytes, bytes, bytes]:
    """Identifiers as the specification wants them; a parent of zeros is none. Raises BadSpan."""
    if len(trace) != TRACE_BYTES or not any(trace):
        raise BadSpan("its trace identifier is not 16 bytes, or all zero")
    if len(span) != SPAN_BYTES or not any(span):
        raise BadSpan("its span identifier is not 8 bytes, or all zero", trace)
    if parent and len(parent) != SPAN_BYTES:
        raise BadSpan("its parent's identifier is neither empty nor 8 bytes", trace)
    return trace, span, parent if any(parent) else b""


def exception_of(event: Attributes) -> tuple[str, str]:
    """Type and message, from the attributes of an event called exception."""
    kind, message = event.get("exception.type"), event.get("exception.message")
    return (kind if isinstance(kind, str) else ""), (message if isinstance(message, str) else "")
