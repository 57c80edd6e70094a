"""Writes samples, executions or statements of a watched server to a file: CSV, JSON Lines or Parquet."""

import sys
from argparse import ArgumentParser
from collections.abc import Iterable, Mapping
from contextlib import nullcontext
from pathlib import Path
from typing import Any, BinaryIO

from django.core.management.base import BaseCommand, CommandError
from pydantic import BaseModel

from faena.api.executions import ExecutionOut, execution_rows
from faena.api.exports import Format, file_of
from faena.api.load import SampleOut, sample_rows
from faena.api.statements import FiguresOut, statement_rows
from faena.apps.answers.ranking import Asked
from faena.apps.servers import selectors as servers
from faena.apps.servers.commanded import add_window, moment, server_called
from faena.core.errors import FaenaError
from faena.core.sampling.trail import read_trail
from faena.core.series.window import Window

WHAT = ("samples", "executions", "statements")
FORMS: tuple[Format, ...] = ("csv", "jsonl", "parquet")
Rows = Iterable[Mapping[str, object]]


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("what", choices=WHAT)
        add_window(parser)
        parser.add_argument(
            "--pick", action="append", default=[], help="dimension:value of samples, as in the trail; may be repeated"
        )
        parser.add_argument("--format", choices=FORMS, help="else by the name of the file, else csv")
        parser.add_argument("--output", default="-", help="a file that is not there yet; - is standard output")

    def handle(self, *args: Any, **options: Any) -> None:
        target = options["output"]
        named = options["format"] or target.rsplit(".", 1)[-1]
        form: Format = next((one for one in FORMS if one == named), "csv")
        try:
            server = server_called(options["server"])
            window = Window(start=moment(options["start"], "--from"), end=moment(options["end"], "--to"))
            rows, model = _rows(options["what"], servers.server(server.pk).pk, window, options["pick"])
            with nullcontext(sys.stdout.buffer) if target == "-" else _fresh(target) as file:
                for piece in file_of(rows, model, form):
                    file.write(piece)
        except FaenaError as error:
            raise CommandError(str(error), returncode=2) from error


def _fresh(path: str) -> BinaryIO:
    try:
        return Path(path).open("xb")
    except FileExistsError:
        raise CommandError(f"{path} is there already; name a file that is not, or remove it", returncode=2) from None
    except OSError as error:
        raise CommandError(f"{path} cannot be written: {error.strerror}", returncode=2) from None


def _rows(what: str, server_id: int, window: Window, picks: list[str]) -> tuple[Rows, type[BaseModel]]:
    match what:
        case "samples":
            return sample_rows(server_id, window, read_trail(picks)), SampleOut
        case "executions":
            return execution_rows(server_id, window), ExecutionOut
    return statement_rows(server_id, window, Asked(trail=read_trail(picks))), FiguresOut
