"""A user with one of three roles."""

from typing import ClassVar

from django.contrib.auth.models import AbstractUser
from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.accounts.roles import Role


class User(AbstractUser):
    """`may_run` is a grant of its own beside the role: to run statements on watched servers, to measure their plans.

    `operates`: groups on whose servers a viewer is an operator. `sees`: groups whose servers alone a viewer sees, beside
    those; none: all servers. `machine`: a program that has tokens and no password. `subject`: somebody whom a provider of OpenID Connect vouches for.
    """

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
    may_run = models.BooleanField(default=False)
    machine = models.BooleanField(default=False)
    operates = ArrayField(models.CharField(max_length=80), default=list, blank=True)  # groups of servers
    sees = ArrayField(models.CharField(max_length=80), default=list, blank=True)  # groups of servers
    subject = models.CharField(max_length=500, null=True, unique=True)


class ApiToken(models.Model):
    """Lets a program use the API as its owner, as far as `scope` goes, until it is over. The token itself is not kept."""

    owner = models.ForeignKey(User, on_delete=models.CASCADE, related_name="api_tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    scope = models.CharField(max_length=10)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    last_used_at = models.DateTimeField(null=True)

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="token_name_once", fields=["owner", "name"])]


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
