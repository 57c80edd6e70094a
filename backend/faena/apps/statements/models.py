"""Texts and counter differences of statements."""

from typing import ClassVar

from django.db import models

from faena.apps.servers.models import Server


class Text(models.Model):
    """A statement without its literals. `tables` holds the names it touches, joined by a comma."""

    pk = models.CompositePrimaryKey("server_id", "query_id")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    query_id = models.BigIntegerField()
    text = models.TextField()
    tables = models.TextField(default="")
    learned_at = models.DateTimeField(auto_now_add=True)


class Work(models.Model):
    """What a statement did in (since, until], as counted by the server. Times in ms, blocks in the server's pages."""

    pk = models.CompositePrimaryKey("server_id", "until_ms", "query_id", "database", "user", "toplevel")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    until_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    query_id = models.BigIntegerField()
    database = models.TextField()
    user = models.TextField()
    toplevel = models.BooleanField()
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
        indexes: ClassVar = [models.Index(fields=["server", "query_id", "until_ms"], name="work_of_statement")]


class CountSpan(models.Model):
    """A pair of counter readings: (since, until] is covered, whether or not any statement ran in it."""

    pk = models.CompositePrimaryKey("server_id", "until_ms")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    until_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    breaks = models.TextField(default="")
