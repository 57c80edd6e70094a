"""Says what was at fault on a watched server between two moments, as JSON, from what the store has of it."""

from argparse import ArgumentParser
from datetime import UTC, datetime
from typing import Any

import orjson
from django.core.management.base import BaseCommand, CommandError

from faena.apps.answers.leads import leads_of
from faena.apps.servers.models import Server
from faena.core.answers.leads.printed import as_object
from faena.core.errors import BadInput
from faena.core.series.window import Window
from faena.core.units import EpochMs


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--server", required=True, help="what the server is called on screen")
        parser.add_argument(
            "--from",
            dest="start",
            required=True,
            help="2026-11-28T09:20, in UTC unless it says otherwise; or ms since 1970",
        )
        parser.add_argument("--to", dest="end", required=True, help="as --from")

    def handle(self, *args: Any, **options: Any) -> None:
        server = Server.objects.filter(name=options["server"]).first()
        if server is None:
            known = ", ".join(Server.objects.order_by("name").values_list("name", flat=True)) or "none"
            raise CommandError(f"no server is called {options['server']!r}; there are: {known}", returncode=2)
        try:
            window = Window(start=_moment(options["start"], "--from"), end=_moment(options["end"], "--to"))
            found, _ = leads_of(server.pk, window)
        except BadInput as error:
            raise CommandError(str(error), returncode=2) from error
        self.stdout.write(orjson.dumps(as_object(found)).decode())


def _moment(text: str, name: str) -> EpochMs:
    """Raises BadInput."""
    if text.isascii() and text.isdigit() and len(text) < 16:
        return EpochMs(int(text))
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise BadInput(
            f"{name} {text!r:.40} is no moment; write 2026-11-28T09:20 or milliseconds since 1970", field=name
        ) from None
    return EpochMs(int((at if at.tzinfo else at.replace(tzinfo=UTC)).timestamp() * 1000))
