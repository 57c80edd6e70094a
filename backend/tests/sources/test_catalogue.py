"""What changed on a real server, found by comparing two looks at its catalogue."""

import asyncio
from collections.abc import Iterator, Sequence

import psycopg
import pytest
from faena.core.changes.catalogue import between
from faena.core.changes.kinds import ChangeKind
from faena.core.readings import Catalogue
from faena.core.units import EpochMs
from faena.sources.postgres.catalogue import CatalogueReader
from faena.sources.postgres.source import PostgresSource, Target
from watched import PASSWORD, PORT, owner

DATABASE = "piers"
MADE = (
    "CREATE TABLE pier (id int PRIMARY KEY, name text, opened date)",
    "CREATE TABLE fare (id int PRIMARY KEY, pier_id int, paid numeric(10,2) NOT NULL)",
    "INSERT INTO fare SELECT i, i % 50, i % 30 FROM generate_series(1, 30000) i",
    "CREATE INDEX fare_pier ON fare (pier_id)",
    "ANALYZE",
)


@pytest.fixture(scope="module", autouse=True)
def _piers() -> None:
    with owner("postgres") as keeper:
        keeper.execute(f"DROP DATABASE IF EXISTS {DATABASE} WITH (FORCE)".encode())
        keeper.execute(f"CREATE DATABASE {DATABASE}".encode())
    with owner(DATABASE) as keeper:
        for one in MADE:
            keeper.execute(one.encode())


@pytest.fixture
def keeper() -> Iterator[psycopg.Connection]:
    with owner(DATABASE) as connection:
        yield connection


def looks(acts: Sequence[str], keeper: psycopg.Connection) -> tuple[Catalogue | None, Catalogue | None]:
    """Before and after what was done, by one source that stays connected."""

    async def read() -> tuple[Catalogue | None, Catalogue | None]:
        source = PostgresSource(
            Target(host="127.0.0.1", port=PORT, database=DATABASE, user="keeper", password=PASSWORD)
        )
        await source.connect()
        try:
            first = (await source.survey(EpochMs(1_000))).catalogue
            for one in acts:
                keeper.execute(one.encode())
            return first, (await source.survey(EpochMs(61_000))).catalogue
        finally:
            await source.close()

    return asyncio.run(read())


@pytest.mark.parametrize(
    ("acts", "undo", "kind", "object_", "after"),
    [
        (["CREATE INDEX fare_paid ON fare (paid, id)"], "DROP INDEX fare_paid", ChangeKind.INDEX_MADE, "fare_paid", "btree (paid, id)"),
        (["DROP INDEX fare_pier"], "CREATE INDEX fare_pier ON fare (pier_id)", ChangeKind.INDEX_DROPPED, "fare_pier", ""),
        (["REINDEX INDEX fare_pier"], "", ChangeKind.INDEX_REBUILT, "fare_pier", "btree (pier_id)"),
        (["REINDEX INDEX CONCURRENTLY fare_pier"], "", ChangeKind.INDEX_REBUILT, "fare_pier", "btree (pier_id)"),
        (["ALTER TABLE pier ADD COLUMN beds int"], "ALTER TABLE pier DROP COLUMN beds", ChangeKind.TABLE_ALTERED, "pier", "beds integer"),
        (["VACUUM FULL fare"], "", ChangeKind.TABLE_REWRITTEN, "fare", ""),
        (["CREATE TABLE gate (id int PRIMARY KEY)"], "DROP TABLE gate", ChangeKind.TABLE_MADE, "gate", "id integer not null"),
        (["ANALYZE pier"], "", ChangeKind.STATISTICS, "pier", "by ANALYZE"),
        (["UPDATE fare SET paid = paid + 1", "SELECT pg_stat_force_next_flush()", "SELECT pg_sleep(0.2)"], "ANALYZE fare", ChangeKind.STATISTICS_MISSING, "fare", "most rows changed since they were gathered"),
        (["ALTER ROLE keeper SET work_mem = '9MB'"], "ALTER ROLE keeper RESET work_mem", ChangeKind.ROLE_SETTING, "keeper: work_mem", "9MB"),
        (["CREATE EXTENSION pgcrypto"], "DROP EXTENSION pgcrypto", ChangeKind.EXTENSION, "pgcrypto", "1.3"),
    ],
    ids=lambda one: one.value if isinstance(one, ChangeKind) else "",
)  # fmt: skip
def test_each_change_is_found_once_and_nothing_else(
    keeper: psycopg.Connection, acts: list[str], undo: str, kind: ChangeKind, object_: str, after: str
) -> None:
    try:
        first, second = looks(acts, keeper)
    finally:
        if undo:
            keeper.execute(undo.encode())
    assert first is not None
    assert second is not None
    found = [
        one
        for one in between(first, second)
        if one.kind not in (ChangeKind.STATISTICS, ChangeKind.STATISTICS_MISSING) or one.kind is kind
    ]
    assert [(one.kind, one.object, one.after) for one in found] == [(kind, object_, after)]


def test_a_setting_of_the_server_is_found_with_before_and_after(keeper: psycopg.Connection) -> None:
    try:
        first, second = looks(
            ["ALTER SYSTEM SET cpu_tuple_cost = 0.02", "SELECT pg_reload_conf()", "SELECT pg_sleep(0.3)"], keeper
        )
    finally:
        keeper.execute(b"ALTER SYSTEM RESET cpu_tuple_cost")
        keeper.execute(b"SELECT pg_reload_conf()")
    assert first is not None
    assert second is not None
    told = [(one.object, one.before, one.after) for one in between(first, second) if one.kind is ChangeKind.SETTING]
    assert told == [("cpu_tuple_cost", "0.01", "0.02")]


def test_an_index_whose_building_failed_is_not_valid(keeper: psycopg.Connection) -> None:
    try:
        with pytest.raises(psycopg.errors.UniqueViolation):
            keeper.execute(b"CREATE UNIQUE INDEX CONCURRENTLY fare_once ON fare (pier_id)")
        _, second = looks([], keeper)
        first, _ = looks([], keeper)
    finally:
        keeper.execute(b"DROP INDEX fare_once")
    assert second is not None
    assert first is not None
    assert second.objects == {}, "nothing changed in between, so no more is told than that"
    assert first.objects["index"]["fare_once"]["valid"] == ""
    without = Catalogue(
        at=EpochMs(0),
        objects={**first.objects, "index": {k: v for k, v in first.objects["index"].items() if k != "fare_once"}},
    )
    (found,) = between(without, first)
    assert (found.kind, found.after) == (ChangeKind.INDEX_INVALID, "unique btree (pier_id), not valid")


def test_looking_waits_for_nobodys_lock(keeper: psycopg.Connection) -> None:
    """A table that somebody wants alone keeps no look from being taken."""
    with owner(DATABASE) as other, other.transaction():
        other.execute(b"LOCK TABLE fare IN ACCESS EXCLUSIVE MODE")
        first, _ = looks([], keeper)
    assert first is not None
    assert "fare" in first.objects["table"]
    assert first.objects["index"]["fare_pier"]["written"] == "btree (pier_id)"


def test_no_secret_is_read(keeper: psycopg.Connection) -> None:
    first, _ = looks([], keeper)
    assert first is not None
    names = {*first.objects["setting"], *first.objects["role_setting"]}
    assert not [one for one in names if "conninfo" in one or "_command" in one or "passphrase" in one]
    assert "statement_timeout" not in first.objects["setting"], "that of our own session is nobody's"


def test_what_does_not_answer_in_time_costs_nothing_else() -> None:
    class Slow(Exception):
        sqlstate = "57014"

    async def slow(*_: object) -> list[tuple[object, ...]]:
        from faena.core.errors import SourceAway

        raise SourceAway("took too long") from Slow()

    assert asyncio.run(CatalogueReader(slow).read(EpochMs(0))) is None
