"""Connects a server (tries it step by step, then saves it), changes, pauses or removes one. The password comes from FAENA_SERVER_PASSWORD or is asked for."""

import getpass
import os
import time
from argparse import ArgumentParser
from typing import Any

from asgiref.sync import async_to_sync
from django.core.management.base import BaseCommand, CommandError

from faena.apps.accounts import audit
from faena.apps.servers import actions
from faena.apps.servers.actions import SSL_MODES, ServerForm, save_server
from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.sources.postgres import check_connection
from faena.sources.postgres.check import Wanted, role_script
from faena.sources.postgres.log import THROUGH_SERVER

WANTED = {
    "log": "reading its log through the server",
    "plans": "asking for plans and proposing indexes",
    "ending": "ending statements and sessions",
}


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
        parser.add_argument(
            "--sslmode", choices=SSL_MODES, default="", help="by default verify-full, and prefer on this machine"
        )
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

        for name, words in WANTED.items():
            parser.add_argument(f"--for-{name}", action="store_true", help=f"with --role-script: {words}")
        acts = parser.add_mutually_exclusive_group()
        acts.add_argument("--list", action="store_true", help="the servers and how they are")
        acts.add_argument("--pause", action="store_true", help="stop watching it; what was captured stays")
        acts.add_argument("--resume", action="store_true", help="go on watching it")
        acts.add_argument("--new-password", action="store_true", help="enter the password that its role has now")
        acts.add_argument(
            "--moved", action="store_true", help="it is watched already, and is reached as is said here from now on"
        )
        acts.add_argument("--remove", action="store_true", help="remove it with all that was captured of it")
        parser.add_argument("--keep-data", action="store_true", help="with --remove: leave its past to look at")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["role_script"]:
            wanted = Wanted(**{name: options[f"for_{name}"] for name in WANTED})
            self.stdout.write(role_script(options["user"], wanted))
            return
        if options["list"]:
            for one in Server.objects.order_by("name"):
                self.stdout.write(f"{one.name}: {one.state}{f', {one.state_message}' if one.state_message else ''}")
            return
        if not options["name"]:
            raise CommandError("give the server a name: ./faena server NAME --host …")
        if any(options[act] for act in ("pause", "resume", "new_password", "remove")):
            self._change(options)
            return
        self._connect(options)

    def _change(self, options: dict[str, Any]) -> None:
        server = Server.objects.filter(name=options["name"]).first()
        if server is None:
            raise CommandError(f"there is no server named {options['name']}; ./faena server --list shows them")
        if options["remove"]:
            actions.remove(server, keep_data=options["keep_data"], by=None)
            kept = "its past is kept" if options["keep_data"] else "with all that was captured of it"
            self.stdout.write(f"{options['name']} is removed, {kept}")
        elif options["new_password"]:
            password = os.environ.get("FAENA_SERVER_PASSWORD") or getpass.getpass(f"Password of {server.username}: ")
            actions.new_password(server, password)
            self.stdout.write(f"{server.name}: the new password is used from now on")
        else:
            actions.pause(server, paused=options["pause"], now_ms=int(time.time() * 1000), by=None)
            self.stdout.write(f"{server.name} is {'paused' if options['pause'] else 'watched again'}")

    def _connect(self, options: dict[str, Any]) -> None:
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
                    self.stdout.write(f"         fix:     {step.remedy}")
            if any(step.needed and not step.ok for step in steps):
                raise CommandError("nothing was saved; fix what is missing and try again")
            if options["moved"]:
                actions.move(form.name, form)
            else:
                audit.record(None, "server.connected", server=save_server(form).name)
        except BadInput as error:
            raise CommandError(f"{error.field}: {error}") from error
        self.stdout.write(f"{form.name} is watched from now on, as soon as ./faena collect runs")
