"""Changes, who may tell of them by a token, and what a server was made of when it was last looked at."""

from typing import ClassVar

from django.db import models

from faena.apps.servers.models import Server


class Change(models.Model):
    """`since_ms` to `at_ms` is when it came about. `origin`: found, hand or api; `by` who told it, "" for what was found.

    What was found is there once, however often it is found.
    """

    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    kind = models.CharField(max_length=30)
    object = models.CharField(max_length=300, default="", blank=True)
    table = models.CharField(max_length=200, default="", blank=True)
    before = models.TextField(default="", blank=True)
    after = models.TextField(default="", blank=True)
    query_id = models.BigIntegerField(null=True)
    note = models.TextField(default="", blank=True)
    version = models.CharField(max_length=100, default="", blank=True)
    link = models.CharField(max_length=500, default="", blank=True)
    origin = models.CharField(max_length=10)
    by = models.CharField(max_length=150, default="", blank=True)
    told_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["server", "at_ms"], name="change_by_time")]
        constraints: ClassVar = [
            models.UniqueConstraint(
                name="found_once", fields=["server", "at_ms", "kind", "object"], condition=models.Q(origin="found")
            )
        ]


class Looked(models.Model):
    """What a server was made of at its last look, packed, and up to which hour comings and goings were looked for."""

    server = models.OneToOneField(Server, on_delete=models.CASCADE, primary_key=True)
    at_ms = models.BigIntegerField(default=0)
    catalogue = models.BinaryField(default=b"")
    hour_ms = models.BigIntegerField(default=0)
    cores = models.PositiveIntegerField(null=True)


class ChangeToken(models.Model):
    """A pipeline that may tell of changes, of all servers or of one."""

    name = models.CharField(max_length=80, unique=True)
    server = models.ForeignKey(Server, on_delete=models.CASCADE, null=True)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True)
