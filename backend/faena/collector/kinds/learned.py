"""Texts of statements, learned once each."""

from dataclasses import dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.readings import StatementText
from faena.core.sql.texts import conceal
from faena.core.units import QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class Learned:
    """Texts of statements seen for the first time."""

    server_id: int
    texts: tuple[StatementText, ...]


def _pack(record: Learned) -> list[Any]:
    return [[[one.query_id, one.text] for one in record.texts]]


def _unpack(server_id: int, texts: list[Any]) -> Learned:
    """Whatever a spool holds, nothing with literals comes out of it."""
    told = tuple(StatementText(query_id=QueryId(i), text=conceal(text)) for i, text in texts)
    return Learned(server_id=server_id, texts=told)


KIND = Kind("learned", Learned, _pack, _unpack)
