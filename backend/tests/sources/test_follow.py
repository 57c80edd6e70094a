"""Following a log that is rotated, emptied, copied away and begun anew; on files, and through a real server."""

import asyncio
import os
import shutil
import time
from collections.abc import Callable
from pathlib import Path

import psycopg
import pytest
from faena.core.errors import SourceRefused
from faena.core.logged import CaptureRules, EventKind, Execution, LogPosition
from faena.core.units import EpochMs
from faena.sources.logs.blocks import Form
from faena.sources.logs.follow import Follower, LocalFiles
from faena.sources.postgres import PostgresSource, Target
from faena.sources.postgres.log import THROUGH_SERVER, log_grant
from serverlog import logging, rotate
from watched import owner

PREFIX = "%m [%p] "
ALL = CaptureRules(slow_ms=0, parameters=True)
Change = Callable[[Path], None]


def line(number: int) -> str:
    at = f"2026-03-01 09:{number // 60:02d}:{number % 60:02d}.000 UTC"
    return f"{at} [7] LOG:  duration: 5.000 ms  statement: SELECT {number},\n\t'more'\n"


def write(path: Path, *numbers: int, age: float = 0) -> None:
    with path.open("a") as file:
        file.writelines(line(number) for number in numbers)
    moment = time.time() - age
    os.utime(path, (moment, moment))


def number(one: Execution) -> int:
    return int(one.statement.split()[1].rstrip(","))


class Reader:
    """A follower that is asked again and again; `restart` forgets all but the position, as a new collector does.

    What was seen before is not seen again, as the store sees to.
    """

    def __init__(self, path: Path) -> None:
        self.path, self.broken = path, ""
        self.position: LogPosition | None = None
        self.known: set[tuple[int, int, int]] = set()
        self.restart()

    def restart(self) -> None:
        self.follower = Follower(LocalFiles(self.path), PREFIX)

    def read(self) -> list[int]:
        """Several times, since a last entry is whole only when nothing more came."""
        found = []
        for _ in range(5):
            reading = asyncio.run(self.follower.read(self.position))
            assert reading is not None
            fresh = [one for one in reading.executions if (one.ended, one.pid, one.place) not in self.known]
            self.known |= {(one.ended, one.pid, one.place) for one in fresh}
            found += [number(one) for one in fresh]
            assert reading.unreadable == 0
            self.position, self.broken = reading.position, self.broken or reading.broken
        return found


def renamed(log: Path) -> None:
    write(log, 3)
    log.rename(log.with_name("server.log.1"))
    write(log, 4)


def copied_and_emptied(log: Path) -> None:
    shutil.copy(log, log.with_name("server.log.1"))
    os.truncate(log, 0)
    write(log, 3, 4)


@pytest.mark.parametrize("change", [renamed, copied_and_emptied])
@pytest.mark.parametrize("restarted", [False, True])
def test_one_log_goes_on_after_its_rotation(tmp_path: Path, change: Change, restarted: bool) -> None:
    log = tmp_path / "server.log"
    write(log, 1, 2, age=60)
    reader = Reader(log)
    assert reader.read() == [1, 2]
    change(log)
    if restarted:
        reader.restart()
    assert reader.read() == [3, 4]


def test_a_directory_is_followed_from_file_to_file(tmp_path: Path) -> None:
    write(tmp_path / "a.log", 1, age=60)
    reader = Reader(tmp_path)
    assert reader.read() == [1]
    write(tmp_path / "a.log", 2, age=50)
    write(tmp_path / "b.log", 3, age=40)
    write(tmp_path / "c.log", 4, age=30)
    assert reader.read() == [2, 3, 4]
    assert reader.broken == ""


def test_a_log_that_is_emptied_and_grows_past_the_place_is_noticed(tmp_path: Path) -> None:
    log = tmp_path / "server.log"
    write(log, 1, 2)
    reader = Reader(log)
    assert reader.read() == [1, 2]
    os.truncate(log, 0)
    write(log, 5, 6, 7, 8)
    assert reader.read() == [5, 6, 7, 8]
    assert "emptied or replaced" in reader.broken


def test_an_entry_under_way_is_waited_for(tmp_path: Path) -> None:
    log = tmp_path / "server.log"
    write(log, 1, 2)
    reader = Reader(log)
    with log.open("a") as file:
        file.write(line(3)[:-20])
    assert reader.read() == [1, 2]
    with log.open("a") as file:
        file.write(line(3)[-20:])
    assert reader.read() == [3]


def test_a_log_that_may_not_be_read_says_what_to_do(tmp_path: Path) -> None:
    with pytest.raises(SourceRefused, match="cannot be read"):
        asyncio.run(Follower(LocalFiles(tmp_path / "no" / "where.log"), PREFIX).read(None))


@pytest.mark.parametrize(
    ("form", "said"), [(None, "has no file"), ("csvlog", "has 1 files, and none is of the form csvlog")]
)
def test_a_path_without_a_log_is_not_an_empty_log(tmp_path: Path, form: Form | None, said: str) -> None:
    if form:
        (tmp_path / "postgresql.log").write_text("x\n")
    with pytest.raises(SourceRefused, match=said) as refused:
        asyncio.run(Follower(LocalFiles(tmp_path), PREFIX, form).read(None))
    assert "log_directory" in refused.value.remedy


def followed(target: Target, rules: CaptureRules, work: Callable[[], None]) -> tuple[list[Execution], list[EventKind]]:
    """What the source yields of work that is done between two readings, over a rotation of the log."""

    async def scenario() -> tuple[list[Execution], list[EventKind]]:
        source = PostgresSource(target)
        await source.connect()
        try:
            reading = await source.log(EpochMs(0), None, rules)
            assert reading is not None
            runs: list[Execution] = []
            kinds: list[EventKind] = []
            await asyncio.to_thread(work)
            quiet = 0
            while quiet < 20:  # the server's logger writes when it comes to it
                await asyncio.sleep(0.1)
                reading = await source.log(EpochMs(0), reading.position, rules)
                assert reading is not None
                fresh = [one for one in reading.executions if one.program == "tester"]
                noted = [one.kind for one in reading.events if one.program == "tester"]
                quiet = 0 if fresh or noted else quiet + 1  # reading itself is logged, too
                runs, kinds = runs + fresh, kinds + noted
            return runs, kinds
        finally:
            await source.close()

    return asyncio.run(scenario())


def busy() -> None:
    with owner() as session, owner("postgres") as keeper:
        session.execute("SELECT 'before', pg_sleep(0.002)")
        time.sleep(1.1)
        rotate(keeper)
        session.execute("SELECT 'after', pg_sleep(%s)", [0.003])
        with pytest.raises(psycopg.Error):
            session.execute("SELECT 1 / 0")


@pytest.mark.parametrize("form", ["jsonlog", "csvlog", "stderr"])
def test_a_real_server_is_followed_over_a_rotation(target: Target, form: str) -> None:
    with owner() as keeper:
        keeper.execute(log_grant(target.user).encode())
    settings = {"log_destination": form, "log_min_duration_statement": "0", "auto_explain.log_min_duration": "0"}
    with logging(**settings, log_line_prefix="%m [%p] %q%u@%d/%a "):
        runs, kinds = followed(Target(**{**plain(target), "log": THROUGH_SERVER}), ALL, busy)
    texts = [one.statement for one in runs]
    assert texts.count("SELECT 'before', pg_sleep(0.002)") == 1
    after = [one for one in runs if "'after'" in one.statement]
    assert len(after) == 1
    assert after[0].parameters == "$1 = '0.003'"
    assert after[0].plan
    assert after[0].query_id is not None, "by the server's identifier, or by the text where the log has none"
    assert kinds.count(EventKind.ERROR) == 1


def test_literals_stay_out_unless_asked_for(target: Target) -> None:
    with owner() as keeper:
        keeper.execute(log_grant(target.user).encode())

    def secret() -> None:
        with owner() as session:
            session.execute("SELECT * FROM deck_slot WHERE id::text = 'Mrs Smith' AND held = 4711")

    with logging(log_destination="jsonlog", log_min_duration_statement="0"):
        settings = {**plain(target), "log": THROUGH_SERVER}
        runs, _ = followed(Target(**settings), CaptureRules(slow_ms=0), secret)
    mine = next(one for one in runs if one.plan or one.query_id)
    assert "Smith" not in repr(runs)
    assert "4711" not in repr(runs)
    assert mine.statement == ""


def test_without_the_right_the_grant_is_named(target: Target) -> None:
    with owner() as keeper:
        of_function = log_grant(target.user).split("\n")[1]
        keeper.execute(of_function.replace("GRANT", "REVOKE").replace(" TO ", " FROM ").encode())
    with pytest.raises(SourceRefused) as refused:
        followed(Target(**{**plain(target), "log": THROUGH_SERVER}), ALL, lambda: None)
    assert refused.value.remedy == log_grant(target.user)


def test_a_log_directory_that_went_away_costs_the_log_and_not_the_watch(target: Target) -> None:
    """The server's error is no lost connection: it is a refusal, which the watch notes once and goes on."""

    async def scenario(directory: Path) -> None:
        source = PostgresSource(Target(**{**plain(target), "log": THROUGH_SERVER}))
        await source.connect()
        try:
            shutil.rmtree(directory)
            with pytest.raises(SourceRefused, match=r"its log cannot be read \(SQLSTATE 58P01\)"):
                await source.log(EpochMs(0), None, ALL)
            assert (await source.sample(EpochMs(0))).due == 0
        finally:
            await source.close()

    with logging(log_directory="elsewhere"), owner("postgres") as keeper:
        row = keeper.execute("SHOW data_directory").fetchone()
        assert row
        directory = Path(row[0]) / "elsewhere"
        try:
            asyncio.run(scenario(directory))
        finally:
            keeper.execute("ALTER SYSTEM RESET log_directory")


def plain(target: Target) -> dict[str, object]:
    return {name: getattr(target, name) for name in Target.__dataclass_fields__}
