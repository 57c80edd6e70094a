"""Who collects, how that goes, and which version of Faena the store belongs to."""

from django.db import models


class CollectorState(models.Model):
    """A collector as it last told of itself, every two seconds. `state` as collector/supervise.py makes it."""

    holder = models.CharField(max_length=200, primary_key=True)
    version = models.CharField(max_length=40)
    seen_ms = models.BigIntegerField()
    standing_by = models.BooleanField(default=False)  # keeps what it reads on disk, since the store is being upgraded
    state = models.JSONField(default=dict)


class Upgrade(models.Model):
    """That the store is about to get, or has got, another schema. One row."""

    id = models.SmallIntegerField(primary_key=True, default=1)
    migrations = models.JSONField(default=list)  # names of all that the new version knows
    since_ms = models.BigIntegerField(null=True)  # while it is under way
    version = models.CharField(max_length=40, default="")  # that upgraded last
