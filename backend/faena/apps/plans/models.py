"""Plans brought by people."""

from django.conf import settings
from django.db import models


class BroughtPlan(models.Model):
    """A plan as it was written, kept under a key that nobody guesses: statements can hold what not all should see."""

    key = models.CharField(max_length=22, primary_key=True)
    digest = models.CharField(max_length=64, unique=True)
    written = models.TextField()
    title = models.CharField(max_length=200, default="")
    brought_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    brought_at = models.DateTimeField(auto_now_add=True)
