"""Lock waits in detail, deadlocks and their patterns."""

from typing import ClassVar

from django.db import models

from faena.apps.fields import BareTextField, RawTextField
from faena.apps.servers.models import Server


class LockKind(models.Model):
    """The dictionary of lock waits: what they were about, coded 0, 1, 2 … per server. Fields as in core LockFact."""

    pk = models.CompositePrimaryKey("server_id", "code")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    code = models.IntegerField()
    lock_type = models.TextField()
    object = models.TextField()
    table = models.TextField()
    mode_wanted = models.TextField()
    mode_held = models.TextField()
    via = models.TextField()

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                name="lock_kind_once",
                fields=["server", "lock_type", "object", "table", "mode_wanted", "mode_held", "via"],
            )
        ]


class LockWait(models.Model):
    """At one tick one session in another's way. `place` 0 is the one to blame; `blocker` -1 a prepared transaction."""

    pk = models.CompositePrimaryKey("server_id", "at_ms", "waiter", "place")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    waiter = models.IntegerField()
    place = models.SmallIntegerField()
    blocker = models.IntegerField()
    code = models.IntegerField()
    which = models.TextField()
    gid = models.TextField()
    waited_ms = models.IntegerField()


class DeadlockPattern(models.Model):
    """Deadlocks of the same shape on one server. What people say of them stands here; what is told of each, in Deadlock."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    pattern = models.CharField(max_length=16)
    handled_at_ms = models.BigIntegerField(null=True)
    handled_by = models.CharField(max_length=150, default="")
    change = models.CharField(max_length=200, default="")  # what was done about it

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="pattern_once", fields=["server", "pattern"])]


class PatternComment(models.Model):
    """What somebody wrote about a pattern."""

    pattern = models.ForeignKey(DeadlockPattern, on_delete=models.CASCADE)
    written_at = models.DateTimeField(auto_now_add=True)
    written_by = models.CharField(max_length=150)
    text = models.TextField()


class Deadlock(models.Model):
    """One deadlock as its server's log told it. `parties` as in core Party, without literals; as they were only where capture was asked for."""

    pk = models.CompositePrimaryKey("server_id", "at_ms", "victim", "place")
    server = models.ForeignKey(Server, on_delete=models.CASCADE, db_index=False)
    at_ms = models.BigIntegerField()
    victim = models.IntegerField()
    place = models.BigIntegerField()
    pattern = models.ForeignKey(DeadlockPattern, on_delete=models.CASCADE)
    cause = models.CharField(max_length=30)
    reason = models.TextField()
    confidence = models.CharField(max_length=10, default="likely")  # certain, likely, perhaps
    mends = models.JSONField(default=list)  # what mends it, the best first
    waited_ms = models.FloatField(null=True)  # session-time that all parties waited, as far as it is known
    lost_ms = models.FloatField(null=True)  # age of the victim's transaction: work that was rolled back
    parties = models.JSONField()
    parties_raw = RawTextField()  # as JSON, with statements and contexts as they were
    record = BareTextField()
    record_raw = RawTextField()
