"""Plans brought by people, and plans that servers used."""

from typing import ClassVar

from django.conf import settings
from django.db import models

from faena.apps.fields import BareTextField, RawTextField
from faena.apps.servers.models import Server


class BroughtPlan(models.Model):
    """A plan without literals, kept under a key that nobody guesses."""

    key = models.CharField(max_length=22, primary_key=True)
    digest = models.CharField(max_length=64, unique=True)
    written = BareTextField()
    raw = RawTextField()  # as it was brought: for whoever brought it, and for operators
    title = models.CharField(max_length=200, default="")
    personal = models.BooleanField(default=True)  # brought by hand: whoever brought it may see it as it was
    server = models.ForeignKey(Server, null=True, on_delete=models.SET_NULL)  # whose plan it is, where that is known
    query_id = models.BigIntegerField(null=True)
    brought_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    brought_at = models.DateTimeField(auto_now_add=True)


class CapturedPlan(models.Model):
    """A plan that a statement used, known by its shape: the same steps on the same tables and indexes in the same order.

    `written` is the one that took longest, written anew without literals.
    """

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    query_id = models.BigIntegerField(null=True)
    shape = models.BigIntegerField()
    first_ms = models.BigIntegerField()
    last_ms = models.BigIntegerField()
    took_ms = models.FloatField()
    written = BareTextField()
    raw = RawTextField()  # as the server wrote it, only where parameters are captured
    gist = models.TextField()
    asked = models.BooleanField(default=False)  # Faena asked for it; no execution is known to have used it

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["server", "query_id", "shape"], name="one_row_per_shape", nulls_distinct=False
            )
        ]
