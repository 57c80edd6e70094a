"""One span of a trace, as any receiver hands it over."""

from collections.abc import Mapping
from enum import StrEnum
from types import MappingProxyType
from typing import NamedTuple

Value = str | int | float | bool | bytes | list["Value"] | dict[str, "Value"] | None
Attributes = Mapping[str, Value]

NOTHING: Attributes = MappingProxyType({})
NANOSECONDS = 1_000_000  # in a millisecond


class SpanKind(StrEnum):
    """Which side of a call a span is."""

    UNSPECIFIED = "unspecified"
    INTERNAL = "internal"
    SERVER = "server"
    CLIENT = "client"
    PRODUCER = "producer"
    CONSUMER = "consumer"


class Span(NamedTuple):
    """Times are nanoseconds since 1970. `parent` is empty where there is none. A tuple, since traces hold many.

    `service` and `scope` are the service that made it and the instrumentation that did.
    """

    trace: bytes  # 16
    id: bytes  # 8
    parent: bytes  # 8, or empty
    name: str
    kind: SpanKind
    start: int
    end: int
    service: str = ""
    scope: str = ""
    attributes: Attributes = NOTHING
    resource: Attributes = NOTHING
    failed: bool = False  # its status is an error
    exceptions: tuple[tuple[str, str], ...] = ()  # type and message of each it tells of

    @property
    def duration(self) -> int:
        return self.end - self.start

    def text(self, *keys: str) -> str:
        """The first of these attributes that it has as a text that is not empty."""
        for key in keys:
            value = self.attributes.get(key)
            if isinstance(value, str) and value:
                return value
        return ""


def settled(span: Span) -> Span:
    """A span that ends before it starts has no duration."""
    return span._replace(end=span.start) if span.end < span.start else span
