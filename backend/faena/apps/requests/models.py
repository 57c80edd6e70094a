"""Traces on their way in, requests that are kept, and all requests summed up."""

from typing import ClassVar

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.fields import BareTextField
from faena.apps.servers.models import Server


class TraceSource(models.Model):
    """An application that may send traces. Its statements go to `server`, unless a span names another one by address."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    name = models.CharField(max_length=80, unique=True)
    digest = models.CharField(max_length=64, unique=True)  # of its token, which is not kept itself
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True)
    attributes = models.JSONField(default=list)  # keys that are kept beyond core/requests/keeping.ALWAYS
    personal = models.BooleanField(default=False)  # keeps also those of them that may tell of a person
    target_ms = models.FloatField(default=500.0)  # of endpoints that have none of their own
    retention_days = models.PositiveIntegerField(default=14)  # of single requests
    spans = models.BigIntegerField(default=0)  # taken, rejected and come twice, since it was made
    rejected = models.BigIntegerField(default=0)
    duplicates = models.BigIntegerField(default=0)
    rejected_why = models.TextField(default="")  # of the newest payload with any
    rejected_at_ms = models.BigIntegerField(default=0)


class Arrival(models.Model):
    """A payload that was taken and not yet put to its traces. Sealed, since literals are still in it."""

    source = models.ForeignKey(TraceSource, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    spans = models.IntegerField()
    sealed = models.BinaryField()


class OpenTrace(models.Model):
    """Spans of a trace that may still get more, each chunk packed by core/requests/packing. Without literals."""

    pk = models.CompositePrimaryKey("source_id", "trace")
    source = models.ForeignKey(TraceSource, on_delete=models.CASCADE, db_index=False)
    trace = models.BinaryField(max_length=16)
    first_ms = models.BigIntegerField()  # when the first of it came in
    last_ms = models.BigIntegerField()
    spans = models.IntegerField()
    rejected = models.IntegerField(default=0)
    chunks = ArrayField(models.BinaryField())

    class Meta:
        indexes: ClassVar = [models.Index(fields=["last_ms"], name="open_trace_quiet")]


class Trace(models.Model):
    """A trace that was judged. Kept for some minutes, so that spans that come late join the others; then only if chosen."""

    pk = models.CompositePrimaryKey("source_id", "trace")
    source = models.ForeignKey(TraceSource, on_delete=models.CASCADE, db_index=False)
    trace = models.BinaryField(max_length=16)
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    first_ms = models.BigIntegerField()  # start of its first request
    judged_ms = models.BigIntegerField()
    kept = models.BooleanField()
    rejected = models.IntegerField(default=0)
    spans = models.IntegerField()
    packed = models.BinaryField()

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["server", "first_ms"], name="trace_by_time"),
            models.Index(fields=["judged_ms"], name="trace_judged", condition=models.Q(kept=False)),
            models.Index(fields=["server", "trace"], name="trace_by_id"),
        ]


class Endpoint(models.Model):
    """What requests are called, of one service. `target_ms` None: that of whoever sent it."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    service = models.TextField()
    kind = models.CharField(max_length=4)
    name = models.TextField()
    target_ms = models.FloatField(null=True)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="endpoint_once", fields=["server", "service", "kind", "name"])
        ]


class Origin(models.Model):
    """An endpoint, as one version of its service served it on one host."""

    endpoint = models.ForeignKey(Endpoint, on_delete=models.CASCADE, db_index=False)
    version = models.TextField()
    host = models.TextField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="origin_once", fields=["endpoint", "version", "host"])]


class RequestStatement(models.Model):
    """A statement as traces tell it; `key` is a hash of the form by which statements of traces and of servers compare."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    key = models.BigIntegerField()
    text = BareTextField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="request_statement_once", fields=["server", "key"])]


class Callee(models.Model):
    """Whom requests call outside the database: `layer` is external, cache or queue."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    layer = models.CharField(max_length=10)
    name = models.TextField()

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="callee_once", fields=["server", "layer", "name"])]


class RequestSum(models.Model):
    """All requests of an origin that began in a minute, ten minutes or an hour. `figures` as REQUEST_FIGURES.

    `rungs` are requests by class of duration, as `rows.rungs_bytes` writes them.
    """

    pk = models.CompositePrimaryKey("server_id", "length_ms", "at_ms", "origin_id")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    length_ms = models.IntegerField()
    at_ms = models.BigIntegerField()
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, db_index=False)
    figures = ArrayField(models.FloatField())
    rungs = models.BinaryField()


class StatementSum(models.Model):
    """What an origin's requests ran of a statement. `figures` as STATEMENT_FIGURES."""

    pk = models.CompositePrimaryKey("server_id", "length_ms", "at_ms", "origin_id", "statement_id")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    length_ms = models.IntegerField()
    at_ms = models.BigIntegerField()
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, db_index=False)
    statement = models.ForeignKey(RequestStatement, on_delete=models.CASCADE, db_index=False)
    figures = ArrayField(models.FloatField())


class CallSum(models.Model):
    """What an origin's requests asked of somebody outside. `figures` as CALL_FIGURES."""

    pk = models.CompositePrimaryKey("server_id", "length_ms", "at_ms", "origin_id", "callee_id")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    length_ms = models.IntegerField()
    at_ms = models.BigIntegerField()
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, db_index=False)
    callee = models.ForeignKey(Callee, on_delete=models.CASCADE, db_index=False)
    figures = ArrayField(models.FloatField())


class KeptRequest(models.Model):
    """A single request whose trace is kept; it stands for `weight` requests. `layers` are ms in the order of Layer.

    `repeated` holds statement, count, ms, place in the code and statement before of each that was repeated.
    """

    pk = models.CompositePrimaryKey("server_id", "at_ms", "source_id", "trace", "top")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    source = models.ForeignKey(TraceSource, on_delete=models.CASCADE, db_index=False)
    trace = models.BinaryField(max_length=16)
    top = models.BinaryField(max_length=8)
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, db_index=False)
    duration_ms = models.FloatField()
    layers = ArrayField(models.FloatField())
    error = models.BooleanField()
    statements = models.IntegerField()
    spans = models.IntegerField()
    repeated = models.JSONField(default=list)
    attributes = models.JSONField(default=dict)  # of its topmost span and of what made it
    ran = ArrayField(models.BigIntegerField(), default=list)  # statements, each once
    called = ArrayField(models.BigIntegerField(), default=list)  # callees, each once
    weight = models.FloatField()
    why = models.CharField(max_length=10)  # it is kept: failed, slow, blocked or chosen

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["server", "trace"], name="kept_request_of_trace"),
            models.Index(fields=["origin", "at_ms"], name="kept_request_of_origin"),
        ]
