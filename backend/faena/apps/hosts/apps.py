"""The app, and what becomes of a machine whose last server is removed."""

from typing import TYPE_CHECKING

from django.apps import AppConfig
from django.db.models.signals import post_delete

if TYPE_CHECKING:
    from faena.apps.servers.models import Server


class HostsConfig(AppConfig):
    """A machine is known by its name alone, so that removing a server reaches its readings by this and not by a key."""

    name = "faena.apps.hosts"

    def ready(self) -> None:
        from faena.apps.servers.models import Server  # models are not there before the apps are

        post_delete.connect(_removed, sender=Server)


def _removed(instance: "Server", **_: object) -> None:
    from faena.apps.hosts.actions import forget_machine

    forget_machine(instance.machine)
