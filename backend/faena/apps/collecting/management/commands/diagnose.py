"""Says what was at fault on a watched server between two moments, as JSON, from what the store has of it."""

from argparse import ArgumentParser
from typing import Any

import orjson
from django.core.management.base import BaseCommand, CommandError

from faena.apps.answers.leads import leads_of
from faena.apps.servers.commanded import add_window, moment, server_called
from faena.core.answers.leads.printed import as_object
from faena.core.errors import BadInput, NotFound
from faena.core.series.window import Window


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        add_window(parser)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            server = server_called(options["server"])
            window = Window(start=moment(options["start"], "--from"), end=moment(options["end"], "--to"))
            found, _ = leads_of(server.pk, window)
        except (BadInput, NotFound) as error:
            raise CommandError(str(error), returncode=2) from error
        self.stdout.write(orjson.dumps(as_object(found)).decode())
