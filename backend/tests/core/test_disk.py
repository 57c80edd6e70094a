"""Bytes of processes are put down to whoever was seen, add up, and are never told of whom no sample saw."""

from dataclasses import replace

import numpy as np
import pytest
from faena.core.engines.postgres.waits.catalogue import kind_of
from faena.core.readings import ENDED, DiskBytes, ProcessBytes
from faena.core.sampling.dimensions import Combination, Dictionary, Dimension, combination_of
from faena.core.sampling.disk import NOT_AT_WORK, DiskFrame, Way, bytes_by_code, joined, rank_bytes, whose
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.units import EpochMs, Millis, Pid, QueryId
from faena.core.waits.kinds import WaitKind
from faena.testing.builders import START, session
from hypothesis import given
from hypothesis import strategies as st

CLIENT = "client backend"
SCAN = session(11, query_id=QueryId(7), wait_type="IO", wait_event="DataFileRead", program="report")
LOOK = session(12, query_id=QueryId(8), program="booking-web")
TRAIL = (Pick(Dimension.PROGRAM, "report"),)


def moved(*processes: tuple[int, str, int, int]) -> DiskBytes:
    return DiskBytes(covers=Millis(1000), processes=tuple(ProcessBytes(Pid(p), k, r, w) for p, k, r, w in processes))


def dictionary_of(combinations: list[Combination]) -> Dictionary:
    kinds = [kind_of(c.wait_type, c.wait_event) if c.active else WaitKind.SLEEP for c in combinations]
    return Dictionary(combinations, kinds, ["no table"] * len(combinations))


def frame_of(disks: list[DiskBytes]) -> tuple[DiskFrame, Dictionary]:
    codes: dict[Combination, int] = {}
    rows = [
        (i, codes.setdefault(one, len(codes)), pid, read, written)
        for i, disk in enumerate(disks)
        for pid, one, read, written in whose(disk, {s.pid: s for s in (SCAN, LOOK)})
    ]
    tick, code, pid, read, written = np.array(rows, dtype=np.int64).reshape(-1, 5).T
    at = START + 1000 * np.arange(len(disks), dtype=np.int64)
    covers = np.array([round(disk.covers) for disk in disks], dtype=np.int64)
    return DiskFrame(at, covers, tick, code, pid, read, written), dictionary_of(list(codes))


def test_bytes_belong_to_the_session_that_was_seen_or_to_the_kind_of_process() -> None:
    disk = moved((11, CLIENT, 80, 0), (99, CLIENT, 5, 1), (5, "checkpointer", 0, 40), (ENDED, CLIENT, 3, 0))
    told = {pid: one for pid, one, _, _ in whose(disk, {SCAN.pid: SCAN})}
    assert told[Pid(11)] == combination_of(SCAN, {SCAN.pid: SCAN})
    assert {told[Pid(99)].program, told[ENDED].program} == {NOT_AT_WORK}
    assert told[Pid(5)].program == told[Pid(5)].backend == "checkpointer"
    assert not any(told[Pid(pid)].active or told[Pid(pid)].user for pid in (99, 5, 0))


def test_a_session_that_rests_is_named_without_its_last_statement() -> None:
    disk = replace(moved((12, CLIENT, 80, 0)), resting=(LOOK,))
    ((_, told, _, _),) = whose(disk, {})
    assert (told.program, told.user, told.query_id, told.active) == ("booking-web", "web", None, False)


def test_a_column_ranks_bytes_a_second_and_says_what_no_sample_saw_at_work() -> None:
    tick = moved((11, CLIENT, 6000, 0), (12, CLIENT, 1000, 0), (99, CLIENT, 3000, 0))
    frame, dictionary = frame_of([tick, tick])
    by_code = bytes_by_code(frame, Way.READ, len(dictionary))
    programs = rank_bytes(by_code, frame.seconds, dictionary, Dimension.PROGRAM, (), at_most=9)
    assert [(row.value, row.rate) for row in programs.rows] == [
        ("report", 6000),
        (NOT_AT_WORK, 3000),
        ("booking-web", 1000),
    ]
    assert programs.rows[0].by_kind == {WaitKind.DATA_IO: 6000}
    assert programs.rows[1].by_kind == {}
    assert (programs.rate, programs.not_at_work) == (10_000, 3000)
    kinds = rank_bytes(by_code, frame.seconds, dictionary, Dimension.KIND, (), at_most=9)
    assert {row.value: row.rate for row in kinds.rows} == {WaitKind.DATA_IO: 6000, "running": 1000}
    assert kinds.not_at_work == 3000


def test_the_trail_narrows_all_columns_but_that_of_its_own_dimension() -> None:
    frame, dictionary = frame_of([moved((11, CLIENT, 60, 0), (12, CLIENT, 40, 0))])
    by_code = bytes_by_code(frame, Way.READ, len(dictionary))
    statements = rank_bytes(by_code, 1.0, dictionary, Dimension.STATEMENT, TRAIL, at_most=9)
    programs = rank_bytes(by_code, 1.0, dictionary, Dimension.PROGRAM, TRAIL, at_most=1)
    assert [row.value for row in statements.rows] == ["7"]
    assert [(row.value, row.picked) for row in programs.rows] == [("report", True)]
    assert programs.more == 1


rows_of = st.lists(
    st.lists(
        st.tuples(st.sampled_from([11, 12, 99, 5]), st.sampled_from([CLIENT, "checkpointer"]), st.integers(0, 2**45),
                  st.integers(0, 2**45)), max_size=4), min_size=1, max_size=12)  # fmt: skip


@given(rows=rows_of, unit_s=st.integers(1, 7), cut=st.integers(0, 12))
def test_summing_up_and_cutting_loses_no_byte(
    rows: list[list[tuple[int, str, int, int]]], unit_s: int, cut: int
) -> None:
    frame, dictionary = frame_of([moved(*tick) for tick in rows])
    middle, end = EpochMs(START + 1000 * cut), EpochMs(START + 1000 * 13)
    parts = [frame.within(Window(start=EpochMs(START - 1), end=middle)), frame.within(Window(start=middle, end=end))]
    for way in Way:
        whole = bytes_by_code(frame, way, len(dictionary))
        assert (bytes_by_code(frame.rolled(1000 * unit_s), way, len(dictionary)) == whole).all()
        assert (bytes_by_code(joined(parts), way, len(dictionary)) == whole).all()
    assert frame.rolled(1000 * unit_s).seconds == pytest.approx(frame.seconds)
