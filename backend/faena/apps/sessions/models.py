"""Recordings, and the record of sessions that were ended."""

from django.conf import settings
from django.db import models

from faena.apps.servers.models import Server


class Recording(models.Model):
    """An order to record all waits of one session, or of the next session of a program, at the finer rate."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    program = models.TextField(default="")  # empty: the session named by pid and start
    pid = models.IntegerField(null=True)
    started_s = models.IntegerField(null=True)
    from_ms = models.BigIntegerField()
    until_ms = models.BigIntegerField()
    asked_by = models.CharField(max_length=150)


class EndedSession(models.Model):
    """The audit record of a statement or session that was ended, or that somebody tried to end."""

    server = models.ForeignKey(Server, on_delete=models.CASCADE)
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    by_name = models.CharField(max_length=150)
    what = models.CharField(max_length=10)  # statement or session
    pid = models.IntegerField()
    started_ms = models.BigIntegerField()
    program = models.TextField()
    user = models.TextField()
    client = models.TextField()
    query_id = models.BigIntegerField(null=True)
    reason = models.TextField()
    answer = models.TextField()
    freed = models.JSONField(default=list)  # pids that waited behind it before and not after
    still = models.JSONField(default=list)  # pids that waited behind it and wait on
