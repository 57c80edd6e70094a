"""Imports session samples of any engine from a CSV or JSON Lines file; the layout is in docs/session-samples.md."""

import gzip
from argparse import ArgumentParser
from pathlib import Path
from typing import Any, BinaryIO, cast

from django.core.management.base import BaseCommand, CommandError

from faena.apps.collecting.imports import import_samples, imported_server
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path, help="CSV or JSON Lines, by its ending; may be gzipped (.gz)")
        parser.add_argument("--server", required=True, help="name on screen; made when there is none")
        parser.add_argument("--period-ms", type=int, default=1000, help="how far apart its samples are")

    def handle(self, *args: Any, **options: Any) -> None:
        path: Path = options["file"].absolute()
        name = path.name.removesuffix(".gz")
        form = "csv" if name.endswith(".csv") else "jsonl" if name.endswith((".jsonl", ".ndjson", ".json")) else None
        if form is None:
            raise CommandError(f"{path.name} ends neither in .csv nor in .jsonl, so its form is not known")
        try:
            server = imported_server(options["server"], period_ms=options["period_ms"])
            with gzip.open(path) if path.name.endswith(".gz") else path.open("rb") as file:
                report = import_samples(server, cast(BinaryIO, file), form)
        except OSError as error:
            raise CommandError(f"{path} cannot be read: {error.strerror or error}") from error
        except BadInput as error:
            raise CommandError(str(error)) from error
        for fault in report.faults.told:
            self.stderr.write(f"line {fault.line}: {fault.reason}")
        self.stdout.write(
            f"{report.rows} rows, {report.ticks} ticks stored, {report.ticks_known} known before, "
            f"{report.faults.count} rows refused"
        )
