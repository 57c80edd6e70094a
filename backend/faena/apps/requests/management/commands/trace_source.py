"""Lets an application send traces: makes a source for a server and prints its token, or renews the token of one."""

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from faena.apps.requests import sources
from faena.apps.requests.models import TraceSource
from faena.apps.servers.models import Server
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", nargs="?", help="what the application is called")
        parser.add_argument("--server", help="the watched server that its statements go to")
        parser.add_argument("--renew", action="store_true", help="another token; the one before ends at once")
        parser.add_argument("--list", action="store_true", help="the sources there are")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["list"] or not options["name"]:
            for one in TraceSource.objects.select_related("server").order_by("name"):
                self.stdout.write(f"{one.name}: {one.server.name}, {one.spans} spans")
            return
        known = TraceSource.objects.filter(name=options["name"]).select_related("server").first()
        if options["renew"]:
            if known is None:
                raise CommandError(f"there is no source {options['name']}")
            self.stdout.write(sources.renew(known))
            return
        server = Server.objects.filter(name=options["server"] or "").first()
        if server is None:
            raise CommandError(f"there is no server {options['server']!r}; ./faena server --list names them")
        try:
            _, token = sources.make(server, options["name"])
        except BadInput as error:
            raise CommandError(str(error)) from error
        self.stdout.write(token)
