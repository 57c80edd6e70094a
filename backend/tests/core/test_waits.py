"""The catalogue of waits."""

from pathlib import Path

import pytest
from faena.core.engines.postgres.waits.advice import ADVICE
from faena.core.engines.postgres.waits.catalogue import CATALOGUE, explain, kind_of
from faena.core.engines.postgres.waits.events import BY_TYPE, TYPE_ADVICE
from faena.core.waits.kinds import WaitKind


def test_every_entry_is_whole() -> None:
    for (wait_type, event), entry in CATALOGUE.items():
        where = f"{wait_type}:{event}"
        assert (entry.wait_type, entry.event) == (wait_type, event), where
        assert entry.meaning.endswith("."), where
        assert entry.causes, where
        assert entry.look_next, where
        assert entry.rules_out, where
        assert 12 <= entry.first_version <= entry.last_version <= 17, where
        assert event not in entry.also_called, where


def test_no_event_stands_twice_with_overlapping_versions() -> None:
    for wait_type, block in BY_TYPE.items():
        names = [line.split("|")[0].split(",")[0].strip() for line in block.strip().splitlines()]
        assert len(names) == len(set(names)), wait_type


def test_all_advice_is_used_and_all_types_fall_back() -> None:
    used = {line.split("|")[2].strip() for block in BY_TYPE.values() for line in block.strip().splitlines()}
    assert used | {advice for advice, _ in TYPE_ADVICE.values()} == set(ADVICE)
    assert set(TYPE_ADVICE) == set(BY_TYPE)
    assert all(kind.label for kind in WaitKind)


@pytest.mark.parametrize(
    ("wait_type", "event", "kind"),
    [
        ("", "", WaitKind.RUNNING),
        ("Lock", "transactionid", WaitKind.LOCK),
        ("LWLock", "WALWrite", WaitKind.COMMIT),
        ("LWLock", "WALWriteLock", WaitKind.COMMIT),  # as 12 called it
        ("IO", "WALSync", WaitKind.COMMIT),
        ("IO", "WalSync", WaitKind.COMMIT),  # as 17 writes it
        ("IO", "BuffileRead", WaitKind.DATA_IO),
        ("IPC", "SyncRep", WaitKind.COMMIT),
        ("IO", "DataFileRead", WaitKind.DATA_IO),
        ("IPC", "BufferIO", WaitKind.DATA_IO),
        ("LWLock", "buffer_io", WaitKind.DATA_IO),
        ("LWLock", "LockManager", WaitKind.ENGINE),
        ("Client", "ClientWrite", WaitKind.CLIENT),
        ("IPC", "ParallelFinish", WaitKind.OTHER_PROCESS),
        ("Timeout", "PgSleep", WaitKind.SLEEP),
    ],
)
def test_kinds(wait_type: str, event: str, kind: WaitKind) -> None:
    assert kind_of(wait_type, event) is kind
    assert explain(wait_type, event).kind is kind


def test_an_unknown_event_falls_back_to_its_type_and_says_so() -> None:
    found = explain("IO", "QuantumFileRead")
    assert not found.known
    assert found.kind is WaitKind.DATA_IO
    assert "does not know the event 'QuantumFileRead'" in found.meaning
    assert not explain("Telepathy", "Thought").known


def test_an_old_name_points_to_the_new_one() -> None:
    assert "BufferMapping" in explain("LWLock", "buffer_mapping").also_called


# 17 as its own pg_wait_events has them, 15 as the documentation that comes with it, the others as they stand in the
# server's program.
WAITS = Path(__file__).parents[1] / "golden" / "waits"
VERSIONS = (12, 13, 14, 15, 16, 17)


def events_of(version: int) -> set[tuple[str, str]]:
    lines = (WAITS / f"{version}.tsv").read_text().splitlines()
    return {(wait_type, event) for wait_type, event in (line.split("\t") for line in lines)}


@pytest.mark.parametrize("version", VERSIONS)
def test_every_event_of_a_server_is_known_for_its_version_and_no_other_is(version: int) -> None:
    told = {key for key, entry in CATALOGUE.items() if entry.first_version <= version <= entry.last_version}
    test_builds = {("InjectionPoint", "InjectionPoint")}
    assert told - test_builds == events_of(version)


@pytest.mark.parametrize("version", VERSIONS[1:])
def test_an_event_written_in_another_case_is_of_the_same_kind(version: int) -> None:
    before = {(wait_type, event.lower()): event for wait_type, event in events_of(version - 1)}
    for wait_type, event in events_of(version):
        if old := before.get((wait_type, event.lower())):
            assert kind_of(wait_type, event) is kind_of(wait_type, old), event
            assert explain(wait_type, event).meaning == explain(wait_type, old).meaning
