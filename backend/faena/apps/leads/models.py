"""Leads by identity, and each time they came."""

from typing import ClassVar

from django.db import models

from faena.apps.servers.models import Server


class KnownLead(models.Model):
    """The same trouble on one server, by kind and root. `state`: open, handled or dismissed; by whom, when and why.

    `times` counts the spans in which it was seen; the newest of them says title and root as they were then.
    """

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    identity = models.CharField(max_length=16)
    kind = models.CharField(max_length=30)
    title = models.TextField()
    root = models.JSONField(default=dict)
    first_ms = models.BigIntegerField()
    last_ms = models.BigIntegerField()
    unbroken_ms = models.BigIntegerField(default=0)  # since when it went on without a break until last_ms
    times = models.PositiveIntegerField(default=0)
    state = models.CharField(max_length=10, default="open")
    state_ms = models.BigIntegerField(default=0)
    state_by = models.CharField(max_length=150, default="", blank=True)
    reason = models.TextField(default="", blank=True)
    came_back_ms = models.BigIntegerField(null=True)  # after it was handled

    class Meta:
        constraints: ClassVar = [models.UniqueConstraint(name="lead_once", fields=["server", "identity"])]
        indexes: ClassVar = [models.Index(fields=["server", "-last_ms"], name="lead_by_time")]


class LeadSpan(models.Model):
    """A time during which a lead was seen. `share` and `seconds` are those of its worst look; `main`: it was the first."""

    lead = models.ForeignKey(KnownLead, on_delete=models.CASCADE, related_name="spans")
    start_ms = models.BigIntegerField()
    end_ms = models.BigIntegerField()
    share = models.FloatField()
    seconds = models.FloatField()
    main = models.BooleanField(default=False)
    title = models.TextField()

    class Meta:
        indexes: ClassVar = [models.Index(fields=["lead", "-end_ms"], name="span_of_lead")]


class LeadLook(models.Model):
    """Up to when a server's newest samples were looked at, and in a line what was found."""

    server = models.OneToOneField(Server, on_delete=models.CASCADE, primary_key=True)
    until_ms = models.BigIntegerField(default=0)
    lead = models.ForeignKey(KnownLead, on_delete=models.SET_NULL, null=True)
    line = models.TextField(default="", blank=True)
    took_ms = models.FloatField(default=0.0)
