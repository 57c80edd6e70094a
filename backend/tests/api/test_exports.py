"""Exports by API and by command: what a file says is what the page says, read back by readers that are not ours."""

import csv
import io
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import duckdb
import pytest
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client
from faena.api.out import Out
from faena.api.parquet import GROUP_ROWS, parquet
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.collecting import estate as filling
from faena.apps.servers.models import Server
from faena.core.units import MS_PER_HOUR, EpochMs

pytestmark = pytest.mark.django_db
HOUR = EpochMs(1_764_000_000_000 // MS_PER_HOUR * MS_PER_HOUR)
MINUTE = 60_000


@pytest.fixture
def server() -> Server:
    """An hour of the estate's main server."""
    found = next(one for one in filling.make_servers(EpochMs(HOUR + MS_PER_HOUR)) if one.name == "bookings-main")
    filling.fill_hours(found.pk, HOUR, HOUR + MS_PER_HOUR)
    return found


@pytest.fixture
def client() -> Client:
    found = Client()
    user = save_user("anna", "correct horse", Role.VIEWER)
    found.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return found


def content(client: Client, path: str) -> bytes:
    answer = client.get(f"/api/v1{path}")
    assert answer.status_code == 200
    return b"".join(answer.streaming_content)  # type: ignore[attr-defined]


def rows_of(file: Path) -> list[dict[str, Any]]:
    """A Parquet file as DuckDB reads it."""
    found = duckdb.sql(f"SELECT * FROM read_parquet('{file}')")
    return [dict(zip(found.columns, row, strict=True)) for row in found.fetchall()]


@pytest.mark.parametrize("what", ["samples", "executions", "statements"])
def test_the_same_rows_in_every_form(client: Client, server: Server, what: str, tmp_path: Path) -> None:
    span = f"from={HOUR}&to={HOUR + (MINUTE if what == 'samples' else MS_PER_HOUR)}"
    path = f"/servers/{server.pk}/{what}/export?{span}"
    told = [json.loads(line) for line in content(client, f"{path}&format=jsonl").splitlines()]
    assert told, "an hour of the estate has some"
    kept = tmp_path / "rows.parquet"
    kept.write_bytes(content(client, f"{path}&format=parquet"))
    assert rows_of(kept) == told
    table = list(csv.DictReader(io.StringIO(content(client, f"{path}&format=csv").decode())))
    assert len(table) == len(told)
    assert list(table[0]) == list(told[0])
    for form in ("csv", "jsonl", "parquet"):
        target = tmp_path / f"by-command.{form}"
        start, end = (
            f"{datetime.fromtimestamp(HOUR / 1000, UTC):%Y-%m-%dT%H:%M}",
            str(HOUR + (MINUTE if what == "samples" else MS_PER_HOUR)),
        )
        call_command("export", what, "--server", server.name, "--from", start, "--to", end, "--output", str(target))
        if form == "parquet":
            assert rows_of(target) == told
        else:
            assert target.read_bytes() == content(client, f"{path}&format={form}")


def test_figures_do_not_depend_on_the_order_in_which_the_store_reads(client: Client, server: Server) -> None:
    path = f"/servers/{server.pk}/statements/export?from={HOUR}&to={HOUR + MS_PER_HOUR}&format=jsonl"
    told = content(client, path)
    with connection.cursor() as cursor:
        for way in ("indexscan", "bitmapscan", "hashagg", "indexonlyscan"):
            cursor.execute(f"SET LOCAL enable_{way} = off")
        assert content(client, path) == told
        cursor.execute("SET LOCAL enable_hashagg = on; SET LOCAL enable_sort = off")
        assert content(client, path) == told


def test_a_trail_narrows_what_a_command_writes(server: Server, tmp_path: Path) -> None:
    target = tmp_path / "some.jsonl"
    span = ("--from", str(HOUR), "--to", str(HOUR + MINUTE))
    call_command(
        "export", "samples", "--server", server.name, *span, "--pick", "program:booking-web", "--output", str(target)
    )
    programs = {json.loads(line)["program"] for line in target.read_text().splitlines()}
    assert programs == {"booking-web"}


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"--server": "nowhere"}, "no server is called 'nowhere'; there are: "),
        ({"--from": "noon"}, "--from 'noon' is no moment"),
        ({"--to": str(HOUR - 5)}, "the window is empty"),
        ({"--pick": "colour:red"}, "colour"),
        ({"--output": "/"}, "/ is there already"),
        ({"--output": "/nowhere/at/all.csv"}, "cannot be written"),
    ],
)
def test_what_cannot_be_exported_is_said_and_writes_nothing(server: Server, given: dict[str, str], said: str) -> None:
    told = {"--server": server.name, "--from": str(HOUR), "--to": str(HOUR + MINUTE), "--output": "-"} | given
    with pytest.raises(CommandError, match=said.split("(")[0]) as refused:
        call_command("export", "samples", *(part for pair in told.items() for part in pair))
    assert refused.value.returncode == 2


class Everything(Out):
    """One of each kind."""

    whole: int
    part: float | None
    yes: bool
    at: datetime
    words: list[str]
    text: str | None


def test_every_kind_of_value_comes_back_also_where_none_is_known_at_first(tmp_path: Path) -> None:
    """Over several groups of rows: what is null in all of the first is a number in the next."""
    at = datetime(2026, 11, 30, 3, tzinfo=UTC)

    def rows() -> Iterator[dict[str, object]]:
        for n in range(GROUP_ROWS + 2):
            late = n >= GROUP_ROWS
            yield {
                "whole": n,
                "part": n / 2 if late else None,
                "yes": late,
                "at": at,
                "words": ["a"] * (n % 3),
                "text": "=1" if late else None,
            }

    kept = tmp_path / "rows.parquet"
    kept.write_bytes(b"".join(parquet(rows(), Everything)))
    found = rows_of(kept)
    assert [{**row, "at": at} for row in found] == list(rows())
    assert {row["at"].astimezone(UTC) for row in found} == {at}
    assert duckdb.sql(f"SELECT typeof(part), typeof(words) FROM read_parquet('{kept}') LIMIT 1").fetchall() == [
        ("DOUBLE", "VARCHAR[]")
    ]


def test_no_row_at_all_is_a_file_with_columns(tmp_path: Path) -> None:
    kept = tmp_path / "none.parquet"
    kept.write_bytes(b"".join(parquet((), Everything)))
    assert duckdb.sql(f"SELECT * FROM read_parquet('{kept}')").columns == list(Everything.model_fields)
