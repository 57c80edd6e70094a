"""One registry of all kinds of records that come in, whether a source was asked, somebody pushed, or a file was uploaded.

A kind is a record and how it is written on a line of the spool; where it goes in the store is told by its destination
(apps/collecting/destinations.py). Outbox, spool, back-pressure and putting aside are the same for all of them.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar

import orjson


class Record(Protocol):
    """Something that was read of a server; 0 stands for what belongs to none, as figures of a machine."""

    @property
    def server_id(self) -> int: ...


R = TypeVar("R", bound=Record)


@dataclass(frozen=True, slots=True)
class Kind(Generic[R]):
    """`pack` gives what JSON can hold, in order; `unpack` takes the server and that back, also of earlier versions.

    `unpack` may raise TypeError, KeyError, IndexError or ValueError for what is none of ours.
    """

    name: str
    record: type[R]
    pack: Callable[[R], list[Any]]
    unpack: Callable[..., R]


class Intake:
    """The kinds there are, by name and by the type of their records."""

    def __init__(self, kinds: Iterable[Kind[Any]]) -> None:
        self._by_name = {kind.name: kind for kind in kinds}
        self._by_record = {kind.record: kind for kind in self._by_name.values()}

    def name_of(self, record: Record) -> str:
        """The kind of a record, for the status and for what is put aside."""
        return self._by_record[type(record)].name

    def pack(self, record: Record) -> bytes:
        """One line of JSON, without the line end."""
        kind = self._by_record[type(record)]
        return orjson.dumps([kind.name, record.server_id, *kind.pack(record)])

    def unpack(self, line: bytes) -> Record:
        """Inverse of `pack`. Raises ValueError for a line that was cut off or is none of ours."""
        try:
            name, server_id, *rest = orjson.loads(line)
            found: Record = self._by_name[name].unpack(server_id, *rest)
        except (TypeError, KeyError, IndexError, ValueError) as error:
            raise ValueError(f"not a record of ours: {line[:60]!r}") from error
        return found
