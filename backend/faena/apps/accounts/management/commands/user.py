"""Makes a user, or changes password and role. The password comes from FAENA_PASSWORD or is asked for."""

import getpass
import os
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("--role", choices=[role.value for role in Role], default=Role.VIEWER.value)

        parser.add_argument(
            "--may-run", action="store_true", help="may run statements on watched servers to measure them"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        password = os.environ.get("FAENA_PASSWORD") or getpass.getpass(f"Password of {options['username']}: ")
        try:
            user = save_user(options["username"], password, Role(options["role"]), may_run=options["may_run"])
        except BadInput as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"{user.username} is {user.role}")
