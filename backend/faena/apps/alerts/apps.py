"""The app, and the conditions that it comes with."""

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class AlertsConfig(AppConfig):
    """Conditions that are missing are made whenever the store's tables have been brought up to date."""

    name = "faena.apps.alerts"

    def ready(self) -> None:
        post_migrate.connect(_provide, sender=self)


def _provide(**_: object) -> None:
    from faena.apps.alerts.conditions import provide  # models are not there before the apps are

    provide()
