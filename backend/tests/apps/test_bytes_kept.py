"""Bytes of processes in the store: the same from open and closed hours, never twice, and told by the API."""

from dataclasses import replace

import orjson
import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import LATE_MS, close_hours, forget_before
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.disk import read_bytes
from faena.apps.samples.models import BytesHour, OpenBytes
from faena.apps.samples.selectors import bytes_by_statement, raw_samples, sieve_of_bytes
from faena.apps.servers.models import Server
from faena.collector.kinds import INTAKE, Sampled
from faena.core.readings import ENDED, DiskBytes, ProcessBytes, SampleReading
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.disk import Way
from faena.core.sampling.rollup import MINUTE_MS
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs, Millis, Pid, QueryId
from faena.testing.builders import START, reading, session

HOUR = Window(start=START, end=EpochMs(START + MS_PER_HOUR))
CLOSING = START + MS_PER_HOUR + LATE_MS
REPORT = session(11, query_id=QueryId(7), program="report", wait_type="IO", wait_event="DataFileRead")
CLIENT = "client backend"


@pytest.fixture
def server(transactional_db: None) -> Server:
    return Server.objects.create(name="test", facts={"processes": "seen"})


def counted(second: int) -> SampleReading:
    told = (
        ProcessBytes(Pid(11), CLIENT, 8192 * second, 0),
        ProcessBytes(Pid(5), "checkpointer", 0, 4096),
        ProcessBytes(ENDED, CLIENT, 100, 0),
    )
    return replace(reading(second, REPORT), disk=DiskBytes(covers=Millis(1000), processes=told, resting=(session(99),)))


def keep(server: Server, *readings: SampleReading) -> None:
    store_ticks(server.id, [(one, 0) for one in readings], Codebook(server.id))


def programs(server: Server, way: Way = Way.READ) -> dict[str, float]:
    (column,), _ = sieve_of_bytes(server.id, HOUR, [Dimension.PROGRAM], (), way, at_most=9)
    return {row.value: row.rate for row in column.rows}


def test_closing_an_hour_changes_no_figure(server: Server) -> None:
    keep(server, reading(0, REPORT), *(counted(second) for second in range(1, 400)))
    before = (programs(server), programs(server, Way.WRITTEN), list(raw_samples(server.id, HOUR, ())))
    assert before[0]["report"] == 8192 * sum(range(1, 400)) / 399
    assert before[1] == {"checkpointer": 4096}
    assert [one.moved for one in before[2][:2]] == [None, (8192, 0)]
    close_hours(server.id, CLOSING)
    assert not OpenBytes.objects.exists()
    assert (programs(server), programs(server, Way.WRITTEN), list(raw_samples(server.id, HOUR, ()))) == before
    assert read_bytes(server.id, HOUR, MINUTE_MS).read.sum() == read_bytes(server.id, HOUR).read.sum()


def test_what_comes_late_is_added_in_its_place_and_what_comes_twice_is_not(server: Server) -> None:
    keep(server, *(counted(second) for second in (10, 30, 50)))
    close_hours(server.id, CLOSING)
    keep(server, *(counted(second) for second in (20, 30)))
    assert read_bytes(server.id, HOUR).tick_ms.tolist() == [START + 1000 * s for s in (10, 20, 30, 50)]
    close_hours(server.id, CLOSING)
    frame = read_bytes(server.id, HOUR)
    assert frame.tick_ms.tolist() == [START + 1000 * s for s in (10, 20, 30, 50)]
    assert frame.read[frame.pid == 11].tolist() == [8192 * s for s in (10, 20, 30, 50)]


def test_retention_drops_ticks_before_sums(server: Server) -> None:
    keep(server, counted(1))
    close_hours(server.id, CLOSING)
    forget_before(server.id, CLOSING + MS_PER_HOUR, START - 30 * 24 * MS_PER_HOUR)
    assert set(BytesHour.objects.values_list("unit_ms", flat=True)) == {MINUTE_MS}
    forget_before(server.id, CLOSING + MS_PER_HOUR, CLOSING + 30 * 24 * MS_PER_HOUR)
    assert not BytesHour.objects.exists()


def test_nothing_counted_is_not_nothing_read(server: Server) -> None:
    keep(server, reading(1, REPORT))
    assert sieve_of_bytes(server.id, HOUR, [Dimension.PROGRAM], (), Way.READ, at_most=9) == ([], 0.0)
    assert bytes_by_statement(server.id, HOUR, ()) is None


def test_a_record_keeps_its_bytes_while_the_store_is_away() -> None:
    record = Sampled(server_id=3, reading=counted(4), missed=0)
    assert INTAKE.unpack(INTAKE.pack(record)) == record
    older = orjson.dumps(orjson.loads(INTAKE.pack(record))[:-2])  # as written by a version that knew neither
    assert INTAKE.unpack(older) == replace(record, reading=replace(counted(4), disk=None))


def test_the_api_tells_whose_bytes_they_are_in_the_sieve_and_in_the_ranking(server: Server, client: Client) -> None:
    keep(server, *(counted(second) for second in range(1, 11)))
    client.force_login(save_user("ada", "correct horse", Role.VIEWER), "django.contrib.auth.backends.ModelBackend")
    span = f"from={HOUR.start}&to={HOUR.end}"
    told = client.get(f"/api/v1/servers/{server.id}/bytes?{span}&dimension=program&dimension=statement&dimension=wait")
    found = told.json()
    assert (found["counted_s"], found["window_s"], found["processes"]) == (10, 3600, "seen")
    program, statement, wait = found["columns"]
    assert [(row["label"], row["rate"]) for row in program["rows"]] == [
        ("report", 8192 * 5.5),
        ("ended meanwhile", 100),
    ]
    assert [row["value"] for row in statement["rows"]] == ["7", "none"]
    assert ([row["value"] for row in wait["rows"]], wait["not_at_work"]) == (["IO:DataFileRead"], 100)
    ranked = client.get(f"/api/v1/servers/{server.id}/statements?{span}&sort=disk_read_rate").json()["rows"]
    assert [(row["query_id"], row["disk_read_rate"], row["disk_write_rate"]) for row in ranked] == [
        ("7", 8192 * 5.5, 0)
    ]
