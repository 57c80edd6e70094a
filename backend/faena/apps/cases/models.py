"""Cases, what is kept in them, what they are about, and what people say."""

from typing import ClassVar

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.servers.models import Server


class Case(models.Model):
    """An investigation. `address`: the installation that it was imported from, "" where it was made here."""

    title = models.CharField(max_length=200)
    state = models.CharField(max_length=10, default="open")
    conclusion = models.TextField(default="", blank=True)
    people = ArrayField(models.CharField(max_length=150), default=list)
    made_ms = models.BigIntegerField()
    made_by = models.CharField(max_length=150)
    changed_ms = models.BigIntegerField()
    address = models.CharField(max_length=300, default="", blank=True)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["-changed_ms"], name="case_by_time")]

    def __str__(self) -> str:
        return self.title


class KeptEvidence(models.Model):
    """Evidence as it was when it was kept; `place` orders it in its case. `server` is a name, since servers are removed."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="evidence")
    place = models.IntegerField()
    kind = models.CharField(max_length=10)
    title = models.CharField(max_length=200)
    server = models.CharField(max_length=80, default="", blank=True)
    sentence = models.TextField(default="", blank=True)
    link = models.TextField(default="", blank=True)
    lines = models.JSONField(default=list)
    svg = models.TextField(default="", blank=True)
    figures = models.JSONField(null=True)
    note = models.TextField(default="", blank=True)
    at_ms = models.BigIntegerField()
    by = models.CharField(max_length=150)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["case", "place"], name="evidence_of_case")]


class CaseComment(models.Model):
    """What somebody says of a case, in Markdown."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="comments")
    at_ms = models.BigIntegerField()
    by = models.CharField(max_length=150)
    text = models.TextField()


class CaseLink(models.Model):
    """What a case is about; `server` null where that is not known here."""

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="links")
    about = models.CharField(max_length=10)
    server = models.ForeignKey(Server, on_delete=models.SET_NULL, null=True)
    server_name = models.CharField(max_length=80, default="", blank=True)
    key = models.CharField(max_length=200)
    title = models.CharField(max_length=200)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="case_link_once", fields=["case", "about", "server_name", "key"])
        ]
        indexes: ClassVar = [models.Index(fields=["about", "server", "key"], name="cases_about")]
