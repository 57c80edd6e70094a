"""Something that is judged again as data comes, until the verdict stands."""

from typing import ClassVar

from django.contrib.postgres.fields import ArrayField
from django.db import models

from faena.apps.servers.models import Server


class Followed(models.Model):
    """A change, lead or pattern whose effect is measured from `at_ms` on; exactly one of the three is set by number.

    What came before lies in `before_start_ms` to `before_end_ms`. `aim` and `key` are those of core Question;
    `query_ids` null: all statements. `settled`: the verdict stands.
    """

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    subject = models.CharField(max_length=10)  # change, lead, pattern
    subject_id = models.BigIntegerField()
    at_ms = models.BigIntegerField()
    before_start_ms = models.BigIntegerField()
    before_end_ms = models.BigIntegerField()
    aim = models.CharField(max_length=12)
    key = models.CharField(max_length=40, default="", blank=True)
    query_ids = ArrayField(models.BigIntegerField(), null=True)
    about = models.TextField(default="", blank=True)
    verdict = models.CharField(max_length=20, default="too_early")
    sentence = models.TextField(default="", blank=True)
    told_at_ms = models.BigIntegerField(null=True)
    after_end_ms = models.BigIntegerField(default=0)
    judged_ms = models.BigIntegerField(default=0)
    settled = models.BooleanField(default=False)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(name="followed_once", fields=["server", "subject", "subject_id", "at_ms"])
        ]
        indexes: ClassVar = [models.Index(fields=["server"], name="still_followed", condition=models.Q(settled=False))]
