"""A user with one of three roles."""

from django.contrib.auth.models import AbstractUser
from django.db import models

from faena.apps.accounts.roles import Role


class User(AbstractUser):
    """`may_run` is a grant of its own beside the role: to run statements on watched servers, to measure their plans."""

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
    may_run = models.BooleanField(default=False)


class Preference(models.Model):
    """Something a user has chosen to see, under a key of ours."""

    pk = models.CompositePrimaryKey("user_id", "key")
    user = models.ForeignKey(User, on_delete=models.CASCADE, db_index=False)
    key = models.CharField(max_length=60)
    value = models.JSONField()


class AuditEntry(models.Model):
    """Something that somebody did. Names are kept as texts, so that an entry outlives the person and the server."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL)
    by_name = models.CharField(max_length=150)
    act = models.CharField(max_length=60)  # "server.removed"; a thing and what was done to it
    server = models.CharField(max_length=80, default="")
    subject = models.CharField(max_length=200, default="")
    detail = models.CharField(max_length=1000, default="")  # without literals of statements
    address = models.CharField(max_length=64, default="")
