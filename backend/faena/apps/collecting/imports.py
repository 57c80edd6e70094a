"""Session samples from files in the open layout, into a server that nothing else samples."""

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import islice
from typing import BinaryIO

import orjson
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.collecting.destinations import Destinations
from faena.apps.samples.closing import close_hours
from faena.apps.servers import engines
from faena.apps.servers.models import Server
from faena.collector.kinds import Learned, Sampled
from faena.core.engines.profile import Capability
from faena.core.errors import BadInput
from faena.core.privacy import Normalised
from faena.core.readings import SampleReading, StatementText
from faena.core.units import QueryId
from faena.sources.files.neutral import COLUMNS, Faults, by_tick, read_rows

BATCH_TICKS = 600
MAX_LINE = 1_000_000  # bytes; a longer line is no sample


@dataclass(slots=True, kw_only=True)
class ImportReport:
    """What came of a file. `ticks_known` were stored before and left as they are."""

    rows: int = 0
    ticks: int = 0
    ticks_known: int = 0
    first_ms: int | None = None
    last_ms: int | None = None
    faults: Faults = field(default_factory=Faults)


def imported_server(name: str, *, period_ms: int = 1000, by: AbstractBaseUser | AnonymousUser | None = None) -> Server:
    """The server of that name, made when there is none. Raises NotAllowed, BadInput for one that is sampled live."""
    if by is not None:
        require(by, Role.OPERATOR, "import samples")
    server, _ = Server.objects.get_or_create(
        name=name,
        defaults={
            "engine": engines.IMPORTED.name, "enabled": False, "host": "imported", "period_ms": period_ms,
            "state": "imported", "sample_retention_days": 400,
        },
    )  # fmt: skip
    _require_imported(server)
    return server


def _require_imported(server: Server) -> None:
    engines.require(server, Capability.FILES)


def import_samples(
    server: Server, file: BinaryIO, form: str, *, by: AbstractBaseUser | AnonymousUser | None = None
) -> ImportReport:
    """Store all rows that can be read; `form` is csv or jsonl. A command has no `by`. Raises NotAllowed, BadInput."""
    if by is not None:
        require(by, Role.OPERATOR, "import samples")
    _require_imported(server)
    report = ImportReport()
    lines = _csv_rows(file) if form == "csv" else _json_rows(file)
    readings = by_tick(read_rows(_counted(lines, report), report.faults), report.faults)
    destinations = Destinations()
    while batch := list(islice(readings, BATCH_TICKS)):
        _store(server, batch, destinations, report)
    if report.last_ms is not None:
        close_hours(server.id, report.last_ms)
    return report


def _store(
    server: Server,
    batch: list[tuple[SampleReading, dict[QueryId, Normalised]]],
    destinations: Destinations,
    report: ImportReport,
) -> None:
    records = [Sampled(server_id=server.pk, reading=reading, missed=0) for reading, _ in batch]
    new = len(destinations.sampled(server.pk, records))
    texts = {i: text for _, found in batch for i, text in found.items()}
    learned = Learned(
        server_id=server.pk, texts=tuple(StatementText(query_id=i, text=text) for i, text in texts.items())
    )
    destinations.store(Learned, server.pk, [learned])
    report.ticks += new
    report.ticks_known += len(batch) - new
    moments = [reading.due for reading, _ in batch]
    report.first_ms = min(moments) if report.first_ms is None else min(report.first_ms, *moments)
    report.last_ms = max(moments) if report.last_ms is None else max(report.last_ms, *moments)


Lines = Iterable[tuple[int, Mapping[str, object] | str]]


def _counted(lines: Lines, report: ImportReport) -> Lines:
    for line in lines:
        report.rows += 1
        yield line


def _csv_rows(file: BinaryIO) -> Iterator[tuple[int, Mapping[str, object] | str]]:
    """Raises BadInput for a heading without the columns that are required."""
    reader = csv.reader(io.TextIOWrapper(file, encoding="utf-8-sig", errors="replace", newline=""))
    heading = [name.strip().lower() for name in next(reader, [])]
    missing = [name for name in COLUMNS[:3] if name not in heading]
    if missing:
        raise BadInput(
            f"the first line must name the columns; missing: {', '.join(missing)}. Known are: {', '.join(COLUMNS)}",
            field="file",
        )
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            yield reader.line_num, f"not a line of CSV: {error}"
            continue
        if not cells:
            continue
        if len(cells) != len(heading):
            yield reader.line_num, f"{len(cells)} cells, but {len(heading)} columns"
        else:
            yield reader.line_num, dict(zip(heading, cells, strict=True))


def _json_rows(file: BinaryIO) -> Iterator[tuple[int, Mapping[str, object] | str]]:
    for number, line in enumerate(file, start=1):
        if not line.strip():
            continue
        if len(line) > MAX_LINE:
            yield number, f"longer than {MAX_LINE} bytes"
            continue
        try:
            row = orjson.loads(line)
        except orjson.JSONDecodeError as error:
            yield number, f"not JSON: {error}"
            continue
        yield number, row if isinstance(row, dict) else "not a JSON object"
