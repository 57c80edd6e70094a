"""Watched servers."""

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.core.series.window import MAX_WINDOW_MS


class Server(models.Model):
    """One watched server. `revision` grows with each change of settings, so that the collector takes it up anew."""

    name = models.CharField(max_length=80, unique=True)
    engine = models.CharField(max_length=20, default="postgresql")
    host = models.CharField(max_length=255, default="127.0.0.1")
    port = models.PositiveIntegerField(default=5432)
    database = models.CharField(max_length=63, default="postgres")
    username = models.CharField(max_length=63, default="faena")
    password_sealed = models.BinaryField(default=b"")
    sslmode = models.CharField(max_length=20, default="prefer")
    period_ms = models.PositiveIntegerField(default=1000)
    counters_every_ms = models.PositiveIntegerField(default=15_000)
    sample_retention_days = models.PositiveIntegerField(default=30)
    sum_retention_days = models.PositiveIntegerField(default=400)
    counter_retention_days = models.PositiveIntegerField(default=90)
    machine_retention_days = models.PositiveIntegerField(default=90)
    slow_ms = models.PositiveIntegerField(default=1000)
    schedule = models.JSONField(default=list)  # spans of the week in which to sample; empty: always
    close_watch_until_ms = models.BigIntegerField(default=0)
    group = models.CharField(max_length=80, default="", blank=True)
    storage = models.CharField(
        max_length=80, default="", blank=True
    )  # name of the disk, shared by servers that say the same
    machine = models.CharField(max_length=80, default="", blank=True)  # name under which its host's figures come in
    log = models.CharField(max_length=255, default="", blank=True)  # path, "server", or empty: its log is not read
    fast_share = models.FloatField(default=0.01)  # of executions below slow_ms, kept by chance
    time_zone = models.CharField(max_length=64, default="", blank=True)  # by name; empty: that of its log
    keep_parameters = models.BooleanField(default=False)
    execution_retention_days = models.PositiveIntegerField(default=30)
    simulation = models.JSONField(null=True)  # of a made-up server: its name in the estate, seed and anchor
    passfile = models.CharField(max_length=255, default="", blank=True)
    service = models.CharField(max_length=80, default="", blank=True)
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

    `first_ms` is the oldest moment watched and still kept, 0 while nothing is. `recodes` grows when samples of the open
    hours get other codes; `recoded_ms` has of the last of these times the oldest sample that changed.
    """

    server = models.OneToOneField(Server, on_delete=models.CASCADE, primary_key=True)
    first_ms = models.BigIntegerField(default=0)
    newest_ms = models.BigIntegerField(default=0)
    codes = models.IntegerField(default=0)
    rewrites = models.BigIntegerField(default=0)
    texts = models.BigIntegerField(default=0)
    recodes = models.BigIntegerField(default=0)
    recoded_ms = ArrayField(models.BigIntegerField(), default=list)


class Vitals(models.Model):
    """A server's own counts over (at - covers, at], and its sizes at that moment. Null where it does not tell."""

    pk = models.CompositePrimaryKey("server_id", "at_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    covers_ms = models.IntegerField()
    connections = models.IntegerField()
    size_bytes = models.BigIntegerField(null=True)
    commits = models.FloatField()
    rollbacks = models.FloatField()
    deadlocks = models.FloatField()
    conflicts = models.FloatField()
    temp_bytes = models.FloatField()
    blocks_read = models.FloatField()
    blocks_hit = models.FloatField()
    lag_ms = models.FloatField(null=True)  # of a replica's replay
    transaction_age = models.FloatField(null=True)  # of the oldest transaction id, in transactions


class ServerNote(models.Model):
    """Something that happened to the watching: connected, away, counters reset, the store was away."""

    pk = models.CompositePrimaryKey("server_id", "at_ms", "event")
    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    at_ms = models.BigIntegerField()
    event = models.CharField(max_length=40)
    detail = models.TextField(default="")


NOTE_RETENTION_MS = MAX_WINDOW_MS  # notes explain gaps, so they live as long as a window can reach back
