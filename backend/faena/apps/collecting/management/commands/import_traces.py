"""Imports OpenTelemetry traces from files: OTLP as protobuf, JSON or JSON Lines, also gzipped."""

import sys
import time
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from faena.apps.collecting.imports import imported_server
from faena.apps.collecting.tracefiles import MAX_BYTES, file_source, import_traces
from faena.apps.servers.models import Server
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("files", nargs="+", metavar="FILE", help="- for standard input")
        parser.add_argument("--server", required=True, help="that their statements go to; made when there is none")
        parser.add_argument("--source", default="", help="the application they are of; made when there is none")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            name = options["server"]
            source = file_source(Server.objects.filter(name=name).first() or imported_server(name), options["source"])
        except BadInput as error:
            raise CommandError(str(error)) from error
        for path in options["files"]:
            where = "standard input" if path == "-" else path
            try:
                found = import_traces(source, _content(path), int(time.time() * 1000))
            except OSError as error:
                raise CommandError(f"{where} cannot be read: {error.strerror or error}") from error
            except BadInput as error:
                raise CommandError(f"{where}: {error}") from error
            told = f"{where}: {found.spans} spans, {found.traces} traces, {found.requests} requests"
            self.stdout.write(f"{told}, {found.duplicates} spans known before, {found.rejected} rejected")
            if found.rejected:
                self.stderr.write(f"the first rejected: {found.why}")


def _content(path: str) -> bytes:
    """A little more than is read at most, so that whoever reads it sees that it is too much."""
    if path == "-":
        return sys.stdin.buffer.read(MAX_BYTES + 1)
    with Path(path).open("rb") as file:
        return file.read(MAX_BYTES + 1)
