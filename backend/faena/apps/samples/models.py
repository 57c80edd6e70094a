"""Tables of session samples. `server` comes first in every key."""

from typing import ClassVar

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.servers.models import Server


class Combination(models.Model):
    """The dictionary: one row per distinct combination of dimension values, coded 0, 1, 2 … per server."""

    pk = models.CompositePrimaryKey("server_id", "code")
    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    code = models.IntegerField()
    active = models.BooleanField()
    wait_type = models.TextField()
    wait_event = models.TextField()
    query_id = models.BigIntegerField(null=True)
    database = models.TextField()
    user = models.TextField()
    program = models.TextField()
    client = models.TextField()
    backend = models.TextField()
    held_by = models.TextField()
    endpoint = models.TextField(default="")

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                name="combination_once",
                fields=[
                    "server", "active", "wait_type", "wait_event", "query_id", "database",
                    "user", "program", "client", "backend", "held_by", "endpoint",
                ],
                nulls_distinct=False,
            )
        ]  # fmt: skip


class Sighting(models.Model):
    """A statement that a session was seen with, and the trace context it carried. `blocked`: it waited for another session.

    Written with the samples; when its trace is judged, they learn the endpoint from it.
    """

    pk = models.CompositePrimaryKey("server_id", "trace", "span", "pid", "started_s")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    trace = models.BinaryField(max_length=16)
    span = models.BinaryField(max_length=8)
    pid = models.IntegerField()
    started_s = models.IntegerField()
    first_ms = models.BigIntegerField()
    last_ms = models.BigIntegerField()
    keep_until_ms = models.BigIntegerField()
    blocked = models.BooleanField()
    endpoint = models.TextField(default="")

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["server", "pid", "first_ms"], name="sighting_of_session"),
            models.Index(fields=["trace"], name="sighting_of_trace"),
            models.Index(fields=["keep_until_ms"], name="sighting_by_age"),
        ]


class Tick(models.Model):
    """A period of the open hours in which the server was sampled, by its start, whether or not anything was active.

    `late_ms` is how long after it the sample was taken, drawn by chance.
    """

    pk = models.CompositePrimaryKey("server_id", "at_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    took_us = models.IntegerField()
    missed = models.IntegerField()
    late_ms = models.IntegerField(default=0)


class OpenSample(models.Model):
    """One session at one tick of the open hours. Ages in milliseconds, -1 where unknown; `blocker` 0 where none."""

    pk = models.CompositePrimaryKey("server_id", "at_ms", "pid")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    pid = models.IntegerField()
    code = models.IntegerField()
    blocker = models.IntegerField()
    started_s = models.IntegerField()
    transaction_ms = models.IntegerField()
    statement_ms = models.IntegerField()


class Rollup(models.Model):
    """A closed hour summed up by minute, packed. `cells` has ticks, running and waiting of each cell of five minutes.

    See core/sampling/rollup.py.
    """

    pk = models.CompositePrimaryKey("server_id", "hour_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    hour_ms = models.BigIntegerField()
    ticks = models.IntegerField()
    cells = ArrayField(models.IntegerField())
    tick_ms = models.BinaryField()
    tick = models.BinaryField()
    code = models.BinaryField()
    taken = models.BinaryField()
    seen = models.BinaryField()


class UnusualSpan(models.Model):
    """A span marked as an incident: what is usual is not learned from it."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    start_ms = models.BigIntegerField()
    end_ms = models.BigIntegerField()
    label = models.CharField(max_length=200)
    marked_by = models.CharField(max_length=150)


class DayTotals(models.Model):
    """The closed hours of a day in UTC, summed up by hour, packed."""

    pk = models.CompositePrimaryKey("server_id", "day_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    day_ms = models.BigIntegerField()
    tick_ms = models.BinaryField()
    tick = models.BinaryField()
    code = models.BinaryField()
    taken = models.BinaryField()
    seen = models.BinaryField()


class WaitHour(models.Model):
    """Lock waits of a closed hour: the ticks that have any, with the sessions that waited or stood in the way.

    They are mostly a thousandth of its samples, so blocking over weeks is read from them.
    `columns` holds those of its samples one behind the other, as sessions.py lists them.
    """

    pk = models.CompositePrimaryKey("server_id", "hour_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    hour_ms = models.BigIntegerField()
    samples = models.IntegerField()
    tick_ms = models.BinaryField()
    columns = models.BinaryField()


class Chunk(models.Model):
    """A closed hour of one server, each column packed by itself (see packing.py). `revision` grows on late data."""

    pk = models.CompositePrimaryKey("server_id", "hour_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    hour_ms = models.BigIntegerField()
    revision = models.IntegerField(default=1)
    ticks = models.IntegerField()
    samples = models.IntegerField()
    tick_ms = models.BinaryField()
    took_us = models.BinaryField()
    missed = models.BinaryField()
    late_ms = models.BinaryField(default=b"")  # empty: of an earlier version, which sampled at once
    tick = models.BinaryField()
    code = models.BinaryField()
    pid = models.BinaryField()
    blocker = models.BinaryField()
    started_s = models.BinaryField()
    transaction_ms = models.BinaryField()
    statement_ms = models.BinaryField()


class OpenBytes(models.Model):
    """What a server's processes read from the disks and wrote to them in the `covers_ms` before a tick, in bytes.

    No row: nothing was counted. Of the arrays an item each for a process that moved any; pid 0 for those that ended.
    """

    pk = models.CompositePrimaryKey("server_id", "at_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    covers_ms = models.IntegerField()
    pids = ArrayField(models.IntegerField())
    codes = ArrayField(models.IntegerField())
    read = ArrayField(models.BigIntegerField())
    written = ArrayField(models.BigIntegerField())


class BytesHour(models.Model):
    """A closed hour of OpenBytes, packed: as it was with a `unit_ms` of 0, else summed up by so many milliseconds."""

    pk = models.CompositePrimaryKey("server_id", "unit_ms", "hour_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    unit_ms = models.IntegerField()
    hour_ms = models.BigIntegerField()
    tick_ms = models.BinaryField()
    covers_ms = models.BinaryField()
    tick = models.BinaryField()
    code = models.BinaryField()
    pid = models.BinaryField()
    read = models.BinaryField()
    written = models.BinaryField()
