"""Reading figures of machines."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Avg, F, IntegerField, Max, Sum
from django.db.models.functions import Cast

from faena.apps.hosts.models import HostReading, TableWork
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import read_frame
from faena.apps.servers import holdings
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.servers.sight import Groups, seen
from faena.apps.statements import selectors as statements
from faena.core.hosts.disk import disk_sentence
from faena.core.sampling.rollup import unit_for
from faena.core.series.baseline import typical, windows_before
from faena.core.series.calendar import Calendar
from faena.core.series.window import Buckets, Window

MEANS = (
    "cpu_user", "cpu_system", "cpu_iowait", "cpu_steal", "memory_used", "disk_reads", "disk_writes",
    "disk_read_bytes", "disk_write_bytes", "disk_latency_ms", "disk_queue", "net_in_bytes", "net_out_bytes",
)  # fmt: skip
SIZES = ("cores", "memory_total")


def over_time(machine: str, buckets: Buckets) -> list[dict[str, float | None]]:
    """Per bucket the means of MEANS and the largest of SIZES; all None where there is no reading."""
    end = buckets.start + buckets.count * buckets.width_ms
    rows = HostReading.objects.filter(machine=machine, at_ms__gt=buckets.start, at_ms__lte=end)
    cell = Cast((F("at_ms") - 1 - buckets.start) / buckets.width_ms, IntegerField())
    figures = {f"of_{name}": Avg(name) for name in MEANS} | {f"of_{name}": Max(name) for name in SIZES}
    grouped = rows.annotate(cell=cell).values("cell").annotate(**figures).order_by()
    names = (*MEANS, *SIZES)
    found: list[dict[str, float | None]] = [dict.fromkeys(names) for _ in range(buckets.count)]
    for at, *values in grouped.values_list("cell", *(f"of_{name}" for name in names)):
        found[at] = dict(zip(names, values, strict=True))
    return found


def newest(machine: str, window: Window) -> HostReading | None:
    """The last reading of a window, with the processes it saw."""
    rows = HostReading.objects.filter(machine=machine, at_ms__gt=window.start, at_ms__lte=window.end)
    return rows.order_by("-at_ms").first()


USUAL_DAYS = 14
UNNAMED = "a server of another group"
DISK_READS = frozenset(["DataFileRead", "DataFilePrefetch"])  # of tables and indexes, not of files of a sort
MAX_STATEMENTS = 4  # shown with a table

SIZE_HOLDS_MS = 6 * 3_600_000  # a table that nobody touched is in no survey


@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """A server on a disk over a window; `share` of the requests of all of them."""

    server: Server
    name: str
    reads: float | None
    writes: float | None
    share: float | None
    series: list[float | None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Disk:
    neighbours: list[Neighbour]
    latency_ms: float | None
    usual_ms: float | None
    sentence: str


def disk(server: Server, window: Window, buckets: Buckets, groups: Groups = None) -> Disk:
    """Everybody on the server's disk, the busiest first, and its latency against the same hours on earlier days.

    Servers of other groups than these have no name in it.
    """
    named = dict(seen(groups).values_list("pk", "name"))
    sharing = [server]
    if server.storage:
        sharing = list(Server.objects.filter(storage=server.storage).order_by("name"))
    found = []
    for one in sharing:
        rows = over_time(one.machine, buckets) if one.machine else []
        reads, writes = _mean([r["disk_reads"] for r in rows]), _mean([r["disk_writes"] for r in rows])
        series = [None if r["disk_reads"] is None else r["disk_reads"] + (r["disk_writes"] or 0) for r in rows]
        found.append((one, reads, writes, series))
    total = sum((reads or 0) + (writes or 0) for _, reads, writes, _ in found)
    neighbours = [
        Neighbour(
            server=one,
            name=named.get(one.pk, UNNAMED),
            reads=reads,
            writes=writes,
            share=None if reads is None or not total else (reads + (writes or 0)) / total,
            series=series,
        )
        for one, reads, writes, series in found
    ]
    neighbours.sort(key=lambda n: -(n.share or 0.0))
    latency = _latency(server.machine, window)
    usual = _usual_latency(server.machine, window, clock_of(server).calendar)
    return Disk(
        neighbours=neighbours,
        latency_ms=latency,
        usual_ms=usual,
        sentence=disk_sentence(latency, usual, *_busiest(server, neighbours[0])),
    )


def _busiest(server: Server, first: Neighbour) -> tuple[str, float | None]:
    """Who makes most requests: "" for the server itself, and what part of them."""
    return "" if first.server.pk == server.pk else first.name, first.share


def _mean(values: list[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) / len(known) if known else None


def _latency(machine: str, window: Window) -> float | None:
    rows = HostReading.objects.filter(machine=machine, at_ms__gt=window.start, at_ms__lte=window.end)
    found: float | None = rows.aggregate(mean=Avg("disk_latency_ms"))["mean"]
    return found


def _usual_latency(machine: str, window: Window, calendar: Calendar) -> float | None:
    """The mean latency in the same hours of earlier days; None with too few of them."""
    means = (_latency(machine, earlier) for earlier in windows_before(window, USUAL_DAYS, calendar))
    return typical(mean for mean in means if mean is not None)


@dataclass(frozen=True, slots=True, kw_only=True)
class TableRates:
    """Blocks and rows per second over a window. `statements`: those that name it, the ones that read most first."""

    table: str
    index: str
    reads: float
    hits: float
    scans: float
    rows_read: float
    rows_written: float
    size_bytes: int
    share: float
    statements: list[statements.Touching]


def tables(server: Server, window: Window, limit: int) -> tuple[int, list[TableRates]]:
    """Milliseconds of the window that surveys cover, and tables and indexes with most blocks read first."""
    rows = TableWork.objects.filter(server_id=server.id, until_ms__gt=window.start, since_ms__lt=window.end)
    spans = set(rows.values_list("since_ms", "until_ms"))
    covered = sum(until - since for since, until in spans)
    if not covered:
        return 0, []
    sums = {f"all_{n}": Sum(n) for n in ("blocks_read", "blocks_hit", "scans", "rows_read", "rows_written")}
    grouped = rows.values("table", "index").annotate(size=Max("size_bytes"), **sums).order_by()
    columns = ("table", "index", "size", *sums)
    found = sorted(grouped.values_list(*columns), key=lambda row: -row[3])
    total = sum(row[3] for row in found) or 1.0
    seconds = covered / 1000
    table_of = {index: table for table, index, *_ in found if index}
    touching = statements.touching(server, window, _reading(server.id, window), table_of)
    return covered, [
        TableRates(
            table=table,
            index=index,
            reads=read / seconds,
            hits=hit / seconds,
            scans=scans / seconds,
            rows_read=rows_read / seconds,
            rows_written=written / seconds,
            size_bytes=size,
            share=read / total,
            statements=[] if index else touching.get(table, [])[:MAX_STATEMENTS],
        )
        for table, index, size, read, hit, scans, rows_read, written in found[:limit]
    ]


def _reading(server_id: int, window: Window) -> dict[int, float]:
    """By statement, how many of its sessions were seen waiting for disk reads, in the mean over the ticks."""
    held = holdings.read(server_id)
    dictionary = read_dictionary(server_id, held)
    frame = read_frame(server_id, window, held, unit_ms=unit_for(window))
    seen = np.bincount(frame.code, weights=frame.seen, minlength=len(dictionary))
    found: dict[int, float] = {}
    for code in np.flatnonzero(seen[: len(dictionary)]).tolist():
        label = dictionary.combinations[code]
        if label.query_id is not None and label.wait_event in DISK_READS:
            found[label.query_id] = found.get(label.query_id, 0.0) + float(seen[code]) / frame.ticks
    return found


def sizes(server_id: int, names: Sequence[str]) -> dict[str, dict[str, int]]:
    """Of each table, by index, the bytes of the newest survey that knew it; "" stands for the table itself."""
    rows = TableWork.objects.filter(server_id=server_id, table__in=names).order_by("table", "index", "-until_ms")
    found: dict[str, dict[str, int]] = {}
    for table, index, size in rows.distinct("table", "index").values_list("table", "index", "size_bytes"):
        found.setdefault(table, {})[index] = size
    return found


def sizes_at(server_id: int, moments: Sequence[int]) -> dict[str, list[int]]:
    """Bytes of each table at these moments, which follow each other, as the last survey before each that lies within
    six hours told them; tables whose size is not known at all of them are left out."""
    found: dict[str, list[int]] = {}
    for count, at in enumerate(moments):
        rows = TableWork.objects.filter(
            server_id=server_id, index="", until_ms__gt=at - SIZE_HOLDS_MS, until_ms__lte=at
        )
        for table, size in rows.order_by("table", "-until_ms").distinct("table").values_list("table", "size_bytes"):
            if len(found.setdefault(table, [])) == count:
                found[table].append(size)
    return {table: sizes for table, sizes in found.items() if len(sizes) == len(moments)}
