"""Watched servers."""

from django.db import models

from faena.core.series.window import MAX_WINDOW_MS


class Server(models.Model):
    """One watched server. `revision` grows with each change of settings, so that the collector takes it up anew."""

    class Engine(models.TextChoices):
        POSTGRESQL = "postgresql"
        SIMULATED = "simulated"

    name = models.CharField(max_length=80, unique=True)
    engine = models.CharField(max_length=20, choices=Engine.choices, default=Engine.POSTGRESQL)
    host = models.CharField(max_length=255, default="127.0.0.1")
    port = models.PositiveIntegerField(default=5432)
    database = models.CharField(max_length=63, default="postgres")
    username = models.CharField(max_length=63, default="faena")
    password_sealed = models.BinaryField(default=b"")
    sslmode = models.CharField(max_length=20, default="prefer")
    period_ms = models.PositiveIntegerField(default=1000)
    counters_every_ms = models.PositiveIntegerField(default=15_000)
    sample_retention_days = models.PositiveIntegerField(default=30)
    cores = models.PositiveIntegerField(null=True)
    enabled = models.BooleanField(default=True)
    revision = models.PositiveIntegerField(default=1)
    facts = models.JSONField(default=dict)
    state = models.CharField(max_length=20, default="new")
    state_message = models.TextField(default="")
    lease_holder = models.CharField(max_length=200, default="")
    lease_until = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return self.name


class Holdings(models.Model):
    """How much is stored of a server (see holdings.py). `rewrites` grows whenever something older than the newest changes.

    `first_ms` is the oldest moment watched and still kept, 0 while nothing is.
    """

    server = models.OneToOneField(Server, on_delete=models.CASCADE, primary_key=True)
    first_ms = models.BigIntegerField(default=0)
    newest_ms = models.BigIntegerField(default=0)
    codes = models.IntegerField(default=0)
    rewrites = models.BigIntegerField(default=0)
    texts = models.BigIntegerField(default=0)


class ServerNote(models.Model):
    """Something that happened to the watching: connected, away, counters reset, the store was away."""

    pk = models.CompositePrimaryKey("server_id", "at_ms", "event")
    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    at_ms = models.BigIntegerField()
    event = models.CharField(max_length=40)
    detail = models.TextField(default="")


NOTE_RETENTION_MS = MAX_WINDOW_MS  # notes explain gaps, so they live as long as a window can reach back
