"""Makes the demo's estate: five made-up servers and their last days. Prints the share done, in percent, line by line."""

import time
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from faena.apps.collecting.estate import fill_past, make_servers
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--days", type=int, default=14)

    def handle(self, *args: Any, **options: Any) -> None:
        now_ms = int(time.time() * 1000) // 1000 * 1000
        try:
            for done in fill_past(make_servers(now_ms), options["days"], now_ms):
                self.stdout.write(f"{done:.0%}")
                self.stdout.flush()
        except BadInput as error:
            raise CommandError(str(error)) from error
