"""The app, and the conditions that it comes with."""

from django.apps import AppConfig
from django.db import connection
from django.db.models.signals import post_migrate


class AlertsConfig(AppConfig):
    """Conditions that are missing are made whenever the store's tables have been brought up to date."""

    name = "faena.apps.alerts"

    def ready(self) -> None:
        post_migrate.connect(_provide, sender=self)


def _provide(**_: object) -> None:
    """Not on the way to an older version, which does not know them."""
    from faena.apps.alerts.conditions import provide  # models are not there before the apps are
    from faena.apps.alerts.models import AlertCondition

    if AlertCondition._meta.db_table in connection.introspection.table_names():
        provide()
