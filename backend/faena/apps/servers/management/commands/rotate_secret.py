"""Makes a new secret: passwords of watched servers are sealed with it anew. Web servers are restarted afterwards; everybody signs in again."""

import os
import secrets
from typing import Any

from django.conf import settings
from django.contrib.sessions.models import Session
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.alerts.models import Way
from faena.apps.requests import arrivals
from faena.apps.servers.models import Server
from faena.apps.servers.sealing import seal_with, unseal
from faena.core.errors import BadInput


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        file = settings.ENVIRONMENT.secret_file
        fresh, beside = secrets.token_urlsafe(48), file.with_suffix(".new")
        with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
            out.write(fresh)
            out.flush()
            os.fsync(out.fileno())
        try:
            count = self._seal_anew(fresh)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
        beside.replace(file)
        self.stdout.write(
            f"{count} passwords are sealed with a new secret in {file}. Copy it to every machine that serves or collects, "
            "and restart the web servers; collectors take it up by themselves."
        )

    @transaction.atomic
    def _seal_anew(self, fresh: str) -> int:
        count = 0
        for server in Server.objects.select_for_update().exclude(password_sealed=b""):
            try:
                password = unseal(server.password_sealed)
            except BadInput as error:
                raise CommandError(f"{server.name}: {error}; nothing was changed") from error
            server.password_sealed = seal_with(fresh, password)
            server.revision += 1
            server.save(update_fields=["password_sealed", "revision"])
            count += 1
        for way in Way.objects.select_for_update().exclude(secret_sealed=b""):
            way.secret_sealed = seal_with(fresh, unseal(way.secret_sealed))
            way.save(update_fields=["secret_sealed"])
            count += 1
        arrivals.seal_anew(fresh)
        Session.objects.all().delete()
        audit.record(None, "secret.rotated", detail=f"{count} passwords sealed again")
        return count
