"""The machines that watched servers run on, and what their tables cost."""

from django.db import models

from faena.apps.servers.models import Server


class HostReading(models.Model):
    """A machine over the seconds before `at_ms`. Shares are of all cores, 0 to 1; rates are per second."""

    pk = models.CompositePrimaryKey("machine", "at_ms")
    machine = models.CharField(max_length=80)
    at_ms = models.BigIntegerField()
    covers_ms = models.IntegerField()
    cores = models.IntegerField()
    cpu_user = models.FloatField()
    cpu_system = models.FloatField()
    cpu_iowait = models.FloatField()
    cpu_steal = models.FloatField()
    memory_used = models.BigIntegerField()
    memory_total = models.BigIntegerField()
    disk_reads = models.FloatField()
    disk_writes = models.FloatField()
    disk_read_bytes = models.FloatField()
    disk_write_bytes = models.FloatField()
    disk_latency_ms = models.FloatField(null=True)  # null: no request in this time
    disk_queue = models.FloatField()
    net_in_bytes = models.FloatField()
    net_out_bytes = models.FloatField()
    processes = models.JSONField(default=list)


class HostToken(models.Model):
    """A machine's right to push its figures. Only a digest is kept."""

    machine = models.CharField(max_length=80, unique=True)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True)


class TableWork(models.Model):
    """What was read and written of one table (or of one index of it) in (since, until]; blocks and rows."""

    pk = models.CompositePrimaryKey("server_id", "until_ms", "table", "index")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    until_ms = models.BigIntegerField()
    since_ms = models.BigIntegerField()
    table = models.TextField()
    index = models.TextField(default="")  # empty: the table's own blocks
    blocks_read = models.FloatField()
    blocks_hit = models.FloatField()
    scans = models.FloatField()  # of a table: sequential ones
    rows_read = models.FloatField()
    rows_written = models.FloatField()
    size_bytes = models.BigIntegerField()
