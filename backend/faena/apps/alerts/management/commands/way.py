"""Makes a way by which alerts go out, lists ways, or removes one. A mail server's password comes from FAENA_WAY_PASSWORD."""

import os
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from faena.apps.alerts import ways
from faena.apps.alerts.ways import Security, WayForm, WayKind
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", nargs="?", help="what the way is called on screen")
        parser.add_argument("--url", help="a webhook: the address that is called; its secret is printed once")
        parser.add_argument("--host", help="e-mail: the mail server")
        parser.add_argument("--port", type=int, default=587)
        parser.add_argument("--security", choices=list(Security), default=Security.STARTTLS.value)
        parser.add_argument("--user", default="", help="empty: without signing in")
        parser.add_argument("--sender", default="", help="the address that mails come from")
        parser.add_argument("--to", nargs="*", default=[], help="the addresses they go to")
        acts = parser.add_mutually_exclusive_group()
        acts.add_argument("--list", action="store_true")
        acts.add_argument("--remove", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["list"]:
            for one in ways.all_of():
                self.stdout.write(f"{one.name}: {WayKind(one.kind).label}{'' if one.enabled else ', switched off'}")
            return
        if not options["name"]:
            raise CommandError("give the way a name: ./faena way NAME --host … or --url …")
        try:
            if options["remove"]:
                ways.remove(ways.named(options["name"]).pk, by=None)
                self.stdout.write(f"{options['name']} is removed")
                return
            if bool(options["url"]) == bool(options["host"]):
                raise CommandError("give either --url for a webhook, or --host, --sender and --to for mails")
            _, secret = ways.make(_form(options), by=None)
        except BadInput as problem:
            raise CommandError(f"{problem.field}: {problem}" if problem.field else str(problem)) from problem
        self.stdout.write(secret or f"{options['name']} is made")


def _form(options: dict[str, Any]) -> WayForm:
    if options["url"]:
        return WayForm(name=options["name"], kind=WayKind.WEBHOOK, settings={"url": options["url"]})
    names = ("host", "port", "security", "user", "sender", "to")
    return WayForm(
        name=options["name"], kind=WayKind.EMAIL, settings={name: options[name] for name in names},
        secret=os.environ.get("FAENA_WAY_PASSWORD", ""),
    )  # fmt: skip
