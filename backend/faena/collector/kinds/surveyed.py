"""What a server told of itself in a minute: sizes, tables, commits."""

from dataclasses import asdict, dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.collector.kinds.host import figures_of
from faena.core.readings import Catalogue, ServerVitals, Survey, TableFigures


@dataclass(frozen=True, slots=True, kw_only=True)
class Surveyed:
    """What a server told of itself in a minute."""

    server_id: int
    survey: Survey


def _pack(record: Surveyed) -> list[Any]:
    return [asdict(record.survey)]


def _unpack(server_id: int, raw: dict[str, Any]) -> Surveyed:
    vitals, host, tables = raw.pop("vitals"), raw.pop("host"), raw.pop("tables")
    catalogue = raw.pop("catalogue", None)  # spools of earlier versions have none
    survey = Survey(
        vitals=ServerVitals(**vitals) if vitals else None,
        host=figures_of(host) if host else None,
        catalogue=Catalogue(**catalogue) if catalogue else None,
        tables=tuple(TableFigures(**one) for one in tables),
        **raw,
    )
    return Surveyed(server_id=server_id, survey=survey)


KIND = Kind("surveyed", Surveyed, _pack, _unpack)
