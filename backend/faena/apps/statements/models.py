"""Texts and counter differences of statements."""

from typing import ClassVar

from django.contrib.postgres.indexes import GinIndex
from django.db import models

from faena.apps.fields import BareTextField, RawTextField
from faena.apps.servers.models import Server
from faena.core.privacy import Normalised


class Text(models.Model):
    """A statement without its literals. `tables` holds the names it touches, joined by a comma."""

    pk = models.CompositePrimaryKey("server_id", "query_id")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    query_id = models.BigIntegerField()
    text = BareTextField()
    tables = models.TextField(default="")
    tool = models.BooleanField(default=False)  # asks about the server or the session, not for the application
    learned_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes: ClassVar = [GinIndex(name="text_by_part", fields=["text"], opclasses=["gin_trgm_ops"])]


class Figures(models.Model):
    """The counters of COUNTER_FIELDS. Times in ms, blocks in the server's pages."""

    calls = models.FloatField()
    total_ms = models.FloatField()
    sumsq_ms2 = models.FloatField()
    rows = models.FloatField()
    plan_ms = models.FloatField()
    blocks_hit = models.FloatField()
    blocks_read = models.FloatField()
    blocks_dirtied = models.FloatField()
    blocks_written = models.FloatField()
    read_ms = models.FloatField()
    write_ms = models.FloatField()
    temp_read = models.FloatField()
    temp_written = models.FloatField()
    wal_bytes = models.FloatField()

    class Meta:
        abstract = True


class Work(Figures):
    """What a statement did in (since, until], as counted by the server. Times in ms, blocks in the server's pages."""

    pk = models.CompositePrimaryKey("server_id", "until_ms", "query_id", "database", "user", "toplevel")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    until_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    query_id = models.BigIntegerField()
    database = models.TextField()
    user = models.TextField()
    toplevel = models.BooleanField()

    class Meta:
        indexes: ClassVar = [models.Index(fields=["server", "query_id", "until_ms"], name="work_of_statement")]


class WorkHour(Figures):
    """Work of one full hour, the sum of the Work whose readings ended in it: (hour, hour + 1 h]."""

    pk = models.CompositePrimaryKey("server_id", "hour_ms", "query_id", "database", "user", "toplevel")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    hour_ms = models.BigIntegerField()
    query_id = models.BigIntegerField()
    database = models.TextField()
    user = models.TextField()
    toplevel = models.BooleanField()


class SummedHour(models.Model):
    """An hour whose Work was summed up, also when there was none. Work that comes late takes its mark away."""

    pk = models.CompositePrimaryKey("server_id", "hour_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    hour_ms = models.BigIntegerField()


class Execution(models.Model):
    """One execution as the server logged it. `place` tells executions of one session and millisecond apart.

    Statement and parameters as they were run are there only where their capture was asked for.
    """

    pk = models.CompositePrimaryKey("server_id", "ended_ms", "pid", "place")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    ended_ms = models.BigIntegerField()
    pid = models.IntegerField()
    place = models.BigIntegerField()
    took_ms = models.FloatField()
    query_id = models.BigIntegerField(null=True)
    statement = RawTextField()
    parameters = RawTextField()
    database = models.TextField(default="")
    user = models.TextField(default="")
    program = models.TextField(default="")
    client = models.TextField(default="")
    parse_ms = models.FloatField(null=True)
    bind_ms = models.FloatField(null=True)
    execute_ms = models.FloatField(null=True)
    temp_bytes = models.BigIntegerField(default=0)
    weight = models.FloatField(default=1.0)
    plan_id = models.BigIntegerField(null=True)  # the plan it used, by its shape; see apps/plans

    class Meta:
        indexes: ClassVar = [models.Index(fields=["server", "query_id", "ended_ms"], name="execution_of_statement")]


class LogEvent(models.Model):
    """Something else that the server logged: an error, a wait, a refused connection.

    Texts as they were are there only where their capture was asked for.
    """

    pk = models.CompositePrimaryKey("server_id", "at_ms", "pid", "place")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    pid = models.IntegerField()
    place = models.BigIntegerField()
    kind = models.CharField(max_length=30)
    severity = models.TextField()
    sqlstate = models.CharField(max_length=5, default="")
    message = BareTextField()
    detail = BareTextField(default=Normalised(""))
    context = BareTextField(default=Normalised(""))
    message_raw = RawTextField()
    detail_raw = RawTextField()
    context_raw = RawTextField()
    statement = RawTextField()
    query_id = models.BigIntegerField(null=True)
    database = models.TextField(default="")
    user = models.TextField(default="")
    program = models.TextField(default="")
    client = models.TextField(default="")
    waited_ms = models.FloatField(null=True)

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["server", "query_id", "at_ms"], name="event_of_statement"),
            GinIndex(name="message_by_part", fields=["message"], opclasses=["gin_trgm_ops"]),
        ]


class LogMark(models.Model):
    """How far a server's log was read, and how that goes."""

    server = models.OneToOneField(Server, on_delete=models.CASCADE, primary_key=True)
    name = models.TextField()
    offset = models.BigIntegerField()
    tail = models.BinaryField(default=b"")
    behind = models.BigIntegerField(default=0)
    unreadable = models.BigIntegerField(default=0)
    read_at = models.DateTimeField(auto_now=True)


class CountSpan(models.Model):
    """A pair of counter readings: (since, until] is covered, whether or not any statement ran in it."""

    pk = models.CompositePrimaryKey("server_id", "until_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    until_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    breaks = models.TextField(default="")
