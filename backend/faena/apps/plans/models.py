"""Plans brought by people, and plans that servers used."""

from typing import ClassVar

from django.conf import settings
from django.db import models

from faena.apps.servers.models import Server


class BroughtPlan(models.Model):
    """A plan as it was written, kept under a key that nobody guesses: statements can hold what not all should see."""

    key = models.CharField(max_length=22, primary_key=True)
    digest = models.CharField(max_length=64, unique=True)
    written = models.TextField()
    title = models.CharField(max_length=200, default="")
    server = models.ForeignKey(Server, null=True, on_delete=models.SET_NULL)  # whose plan it is, where that is known
    query_id = models.BigIntegerField(null=True)
    brought_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    brought_at = models.DateTimeField(auto_now_add=True)


class CapturedPlan(models.Model):
    """A plan that a statement used, known by its shape: the same steps on the same tables and indexes in the same order.

    `written` is the one that took longest, as the server wrote it.
    """

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    query_id = models.BigIntegerField(null=True)
    shape = models.BigIntegerField()
    first_ms = models.BigIntegerField()
    last_ms = models.BigIntegerField()
    took_ms = models.FloatField()
    written = models.TextField()
    gist = models.TextField()
    asked = models.BooleanField(default=False)  # Faena asked for it; no execution is known to have used it

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["server", "query_id", "shape"], name="one_row_per_shape", nulls_distinct=False
            )
        ]
