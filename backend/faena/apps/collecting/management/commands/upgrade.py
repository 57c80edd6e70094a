"""Brings the store's tables to this version: announced to running collectors, which keep what they read on disk meanwhile."""

import time
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connection

from faena import __version__
from faena.apps.collecting import schema

WAIT_S = 20.0  # for collectors to stand by; one of the first versions does not know how, and its readings are replayed
LOCK = 4_711_001  # so that two that start at once do not both upgrade


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock(%s)", [LOCK])
        try:
            self._upgrade()
        finally:
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_unlock(%s)", [LOCK])

    def _upgrade(self) -> None:
        if schema.known() <= schema.applied():
            return
        can_tell = "collecting.0001_collectors" in schema.applied()
        if can_tell:
            schema.announce(int(time.time() * 1000))
            end = time.monotonic() + WAIT_S
            while (busy := schema.still_writing(int(time.time() * 1000))) and time.monotonic() < end:
                time.sleep(0.5)
            if busy:
                self.stderr.write(f"going on without waiting for {', '.join(busy)}; see ./faena replay --help")
        call_command("migrate", verbosity=0, interactive=False)
        schema.finished()
        self.stdout.write(f"the store is at version {__version__}")
