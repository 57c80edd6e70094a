"""Conditions, where each stands on each server, alerts with what fires in them, and what was sent of them."""

from typing import ClassVar

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.leads.models import KnownLead
from faena.apps.servers.models import Server


class Way(models.Model):
    """A way out: mails to some people, or calls of a web address. `settings` are plain, `secret_sealed` is not."""

    name = models.CharField(max_length=80, unique=True)
    kind = models.CharField(max_length=10)  # email, webhook
    settings = models.JSONField(default=dict)
    secret_sealed = models.BinaryField(default=b"")
    enabled = models.BooleanField(default=True)

    def __str__(self) -> str:
        return self.name


class AlertCondition(models.Model):
    """What core Condition says, on some servers; no servers and no groups: on all. `builtin`: one that came with Faena."""

    name = models.CharField(max_length=120, unique=True)
    builtin = models.CharField(max_length=40, default="", blank=True)
    signal = models.CharField(max_length=30)
    kinds = ArrayField(models.CharField(max_length=40), default=list)
    level = models.FloatField()
    clears = models.FloatField()
    below = models.BooleanField(default=False)
    of_usual = models.BooleanField(default=False)
    for_ms = models.BigIntegerField(default=0)
    clear_ms = models.BigIntegerField(default=120_000)
    schedule = models.JSONField(default=list)
    time_zone = models.CharField(max_length=64, default="", blank=True)  # empty: that of each server
    severity = models.CharField(max_length=10, default="soon")
    servers = models.ManyToManyField(Server, blank=True)
    groups = ArrayField(models.CharField(max_length=80), default=list)
    ways = models.ManyToManyField(Way, blank=True)  # none: all that are enabled
    close_watch_minutes = models.PositiveIntegerField(default=0)
    enabled = models.BooleanField(default=True)

    def __str__(self) -> str:
        return self.name


class ConditionState(models.Model):
    """Where a condition stands on a server: core State, and what fires, if anything does."""

    condition = models.ForeignKey(AlertCondition, on_delete=models.CASCADE)
    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    until_ms = models.BigIntegerField()
    phase = models.CharField(max_length=10, default="calm")
    since_ms = models.BigIntegerField(default=0)
    began_ms = models.BigIntegerField(default=0)
    worst = models.FloatField(default=0.0)
    worst_ms = models.BigIntegerField(default=0)
    usual = models.FloatField(null=True)
    said = models.FloatField(default=0.0)
    known_ms = models.BigIntegerField(default=0)
    firing = models.ForeignKey("Firing", on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="state_once", fields=["condition", "server"]),
        ]


class Alert(models.Model):
    """One trouble that somebody is told of once: all that fires on a server while it lasts, and the same elsewhere.

    `state`: unread, acknowledged, snoozed (until `snoozed_ms`) or handled. `headline` and `told` are as they were when it
    was told first: `told` has the chain of the best lead and what had changed. `over_ms` null: it goes on.
    """

    began_ms = models.BigIntegerField()
    fired_ms = models.BigIntegerField()
    over_ms = models.BigIntegerField(null=True)
    severity = models.CharField(max_length=10)
    headline = models.TextField(default="")
    told = models.JSONField(default=dict)
    lead = models.ForeignKey(KnownLead, on_delete=models.SET_NULL, null=True)
    muted = models.BooleanField(default=False)
    state = models.CharField(max_length=12, default="unread")
    state_ms = models.BigIntegerField(default=0)
    state_by = models.CharField(max_length=150, default="", blank=True)
    snoozed_ms = models.BigIntegerField(default=0)
    due_ms = models.BigIntegerField(null=True)  # when its ways are told next of what is not told yet

    class Meta:
        indexes: ClassVar = [
            models.Index(fields=["-fired_ms"], name="alert_by_time"),
            models.Index(fields=["due_ms"], name="alert_due", condition=models.Q(due_ms__isnull=False)),
        ]


class Firing(models.Model):
    """A condition that holds on a server, as a part of an alert. `told_worst`: the worst value that was told."""

    alert = models.ForeignKey(Alert, on_delete=models.CASCADE, related_name="firings")
    condition = models.ForeignKey(AlertCondition, on_delete=models.CASCADE)
    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    began_ms = models.BigIntegerField()
    fired_ms = models.BigIntegerField()
    over_ms = models.BigIntegerField(null=True)
    first = models.FloatField()
    worst = models.FloatField()
    worst_ms = models.BigIntegerField()
    usual = models.FloatField(null=True)
    detail = models.TextField(default="")
    told = models.CharField(max_length=10, default="")  # the last turn that was told: began, worse, over
    untold = models.CharField(max_length=10, default="began")  # the one that is not told yet

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="fires_once", fields=["condition", "server", "began_ms"]),
        ]
        indexes: ClassVar = [models.Index(fields=["server", "-began_ms"], name="firing_of_server")]


class Notice(models.Model):
    """What is sent of an alert by a way. `number` counts the notices of an alert, so that none is made twice.

    `state`: waiting, sent or given_up. What was refused or not answered is tried again at `next_ms`.
    """

    alert = models.ForeignKey(Alert, on_delete=models.CASCADE, related_name="notices", null=True)  # null: a trial
    way = models.ForeignKey(Way, on_delete=models.CASCADE)
    number = models.PositiveIntegerField()
    what = models.CharField(max_length=10)  # began, worse, over, test
    body = models.JSONField()
    state = models.CharField(max_length=10, default="waiting")
    made_ms = models.BigIntegerField()
    next_ms = models.BigIntegerField()
    tries = models.PositiveIntegerField(default=0)
    error = models.TextField(default="", blank=True)
    sent_ms = models.BigIntegerField(null=True)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="notice_once", fields=["alert", "way", "number"]),
        ]
        indexes: ClassVar = [
            models.Index(fields=["next_ms"], name="notice_waiting", condition=models.Q(state="waiting")),
            models.Index(fields=["way", "-made_ms"], name="notice_of_way"),
        ]


class AlertComment(models.Model):
    """What somebody says of an alert."""

    alert = models.ForeignKey(Alert, on_delete=models.CASCADE, related_name="comments")
    at_ms = models.BigIntegerField()
    by = models.CharField(max_length=150)
    text = models.TextField()


class Mute(models.Model):
    """No notice of a server, of a condition, or of one on the other, until it ends. Alerts are kept all the same."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE, null=True)
    condition = models.ForeignKey(AlertCondition, on_delete=models.CASCADE, null=True)
    until_ms = models.BigIntegerField()
    by = models.CharField(max_length=150)
    reason = models.TextField(default="", blank=True)
