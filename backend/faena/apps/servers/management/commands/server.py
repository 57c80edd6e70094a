"""Connects a server: tries it step by step, then saves it. The password comes from FAENA_SERVER_PASSWORD or is asked for."""

import getpass
import os
from argparse import ArgumentParser
from typing import Any

from asgiref.sync import async_to_sync
from django.core.management.base import BaseCommand, CommandError

from faena.apps.servers.actions import SSL_MODES, ServerForm, save_server
from faena.core.errors import BadInput
from faena.sources.postgres import check_connection
from faena.sources.postgres.check import role_script
from faena.sources.postgres.log import THROUGH_SERVER


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", nargs="?", help="what the server is called on screen")
        parser.add_argument("--host", help="127.0.0.1 when neither this nor a service is given")
        parser.add_argument("--service", default="", help="a name of pg_service.conf on this machine")
        parser.add_argument("--passfile", default="", help="a password file on this machine, in place of a password")
        parser.add_argument("--port", type=int, default=5432)
        parser.add_argument("--database", default="postgres")
        parser.add_argument("--user", default="faena")
        parser.add_argument("--sslmode", choices=SSL_MODES, default="prefer")
        parser.add_argument(
            "--log", default=THROUGH_SERVER, help="its log: a path on this machine, `server` (through it), or empty"
        )
        parser.add_argument(
            "--keep-parameters", action="store_true", help="keep literals and parameters of executions (personal data)"
        )
        parser.add_argument("--slow-ms", type=int, default=1000, help="executions from so many ms on are all kept")
        parser.add_argument("--cores", type=int, help="cores of its host, for the ceiling in the load view")
        parser.add_argument(
            "--role-script", action="store_true", help="print the script of the role it needs, and stop"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        if options["role_script"]:
            self.stdout.write(role_script(options["user"]))
            return
        if not options["name"]:
            raise CommandError("give the server a name: ./faena server NAME --host …")
        password = os.environ.get("FAENA_SERVER_PASSWORD")
        if options["passfile"]:
            password = ""
        if password is None:
            password = getpass.getpass(f"Password of {options['user']} (empty for none): ")
        try:
            form = ServerForm(
                name=options["name"],
                host=options["host"] or ("" if options["service"] else "127.0.0.1"),
                service=options["service"],
                passfile=options["passfile"],
                port=options["port"],
                database=options["database"],
                username=options["user"],
                password=password,
                sslmode=options["sslmode"],
                cores=options["cores"],
                log=options["log"],
                keep_parameters=options["keep_parameters"],
                slow_ms=options["slow_ms"],
            )
            steps = async_to_sync(check_connection)(form.target())
            for step in steps:
                mark = {True: "ok     ", False: "missing" if step.needed else "lacking", None: "-      "}[step.ok]
                self.stdout.write(f"{mark}  {step.name}: {step.found}")
                if step.remedy:
                    self.stdout.write(f"         mend it: {step.remedy}")
            if any(step.needed and not step.ok for step in steps):
                raise CommandError("nothing was saved; mend what is missing and try again")
            save_server(form)
        except BadInput as error:
            raise CommandError(f"{error.field}: {error}") from error
        self.stdout.write(f"{form.name} is watched from now on, as soon as ./faena collect runs")
