"""The store's own jobs: closing hours, summing up, forgetting. Each may be run at any time, by anyone, and again.

What fails of one server keeps nothing else from being done; the job then says what it was.
"""

import logging
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from django.db import InterfaceError, OperationalError

from faena.apps.alerts import actions as alerts
from faena.apps.alerts.sending import send_waiting
from faena.apps.answers.alerts.evaluating import watch
from faena.apps.answers.alerts.telling import tell_due
from faena.apps.answers.following import judge_followed
from faena.apps.answers.found import look_for_changes
from faena.apps.answers.looking import look_for_leads
from faena.apps.changes import actions as changes
from faena.apps.collecting import schema
from faena.apps.collecting.away import away_means_away
from faena.apps.collecting.models import CollectorState
from faena.apps.hosts import actions as hosts
from faena.apps.leads import actions as leads
from faena.apps.locks import actions as locks
from faena.apps.locks import deadlocks
from faena.apps.plans import selectors as plans
from faena.apps.requests import judging
from faena.apps.samples.closing import close_hours, forget_before, sum_up_missed
from faena.apps.servers import vitals
from faena.apps.servers.models import Server
from faena.apps.statements import actions as statements
from faena.apps.statements import hours, logged
from faena.apps.verdicts import actions as verdicts
from faena.collector.jobs import PartFailed
from faena.core.units import MS_PER_DAY, Seconds

log = logging.getLogger(__name__)
COLLECTOR_KEPT_MS = 7 * MS_PER_DAY  # a collector that was not seen for so long is not shown any more
HALF_A_MINUTE, EVERY_MINUTE, EVERY_TEN_MINUTES = Seconds(30.0), Seconds(60.0), Seconds(600.0)
WATCH_EVERY, TELL_EVERY = Seconds(15.0), Seconds(5.0)  # of alerts
MOST_TOLD = 3  # parts that failed, by name; the others are counted
Part: TypeAlias = Callable[[Server, int], object]  # of one server, at a moment


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseJob:
    """Named parts, done for each server in turn; `once` is done before them."""

    name: str
    every: Seconds
    parts: Sequence[tuple[str, Part]] = ()
    once: Callable[[int], object] | None = None

    def run(self, now_ms: int) -> None:
        """Raises StoreAway, or PartFailed at the end, which names what failed."""
        _run(self, now_ms)


@away_means_away
def _run(job: HouseJob, now_ms: int) -> None:
    schema.require_known()
    if job.once is not None:
        job.once(now_ms)
    failed = []
    for server in Server.objects.all() if job.parts else ():
        for what, act in job.parts:
            try:
                act(server, now_ms)
            except (OperationalError, InterfaceError):
                raise
            except Exception as error:
                log.exception("%s of server %s", what, server.pk)
                failed.append(f"{what} of {server.name} ({type(error).__name__})")
    if failed:
        more = f" and {len(failed) - MOST_TOLD} more" if len(failed) > MOST_TOLD else ""
        raise PartFailed("; ".join(failed[:MOST_TOLD]) + more)


def _since(now_ms: int, days: int) -> int:
    return now_ms - days * MS_PER_DAY


def _forget_samples(server: Server, now: int) -> None:
    samples = _since(now, server.sample_retention_days)
    forget_before(server.pk, samples, _since(now, server.sum_retention_days))
    locks.forget_before(server.pk, samples)


def _forget_statements(server: Server, now: int) -> None:
    statements.forget_before(server.pk, _since(now, server.counter_retention_days))


def _forget_log(server: Server, now: int) -> None:
    runs = _since(now, server.execution_retention_days)
    logged.forget_before(server.pk, runs)
    deadlocks.forget_before(server.pk, runs)
    plans.forget_captured(server.pk, runs)


def _forget_figures(server: Server, now: int) -> None:
    since = _since(now, server.machine_retention_days)
    vitals.forget_before(server.pk, since)
    hosts.forget_before(server.pk, since)


def _forget_loose_ends(now: int) -> None:
    alerts.forget_before(now - changes.RETENTION_MS, now)
    CollectorState.objects.filter(seen_ms__lt=now - COLLECTOR_KEPT_MS).delete()
    plans.forget_old()
    hosts.forget_machines(now)


def _forget_requests(server: Server, now: int) -> None:
    judging.forget_sums(server.pk, _since(now, server.sample_retention_days), _since(now, server.sum_retention_days))


JOBS = (
    HouseJob(
        name="closing hours",
        every=EVERY_MINUTE,
        parts=[("closing hours", lambda server, now: close_hours(server.pk, now))],
    ),
    HouseJob(
        name="summing up",
        every=EVERY_MINUTE,
        parts=[
            ("summing up samples", lambda server, _: sum_up_missed(server.pk)),
            ("summing up statements", lambda server, now: hours.sum_up(server.pk, now)),
        ],
    ),
    HouseJob(name="finding changes", every=EVERY_MINUTE, parts=[("finding changes", look_for_changes)]),
    HouseJob(name="looking for leads", every=EVERY_MINUTE, parts=[("looking for leads", look_for_leads)]),
    HouseJob(name="judging changes", every=HALF_A_MINUTE, parts=[("judging changes", judge_followed)]),
    HouseJob(name="watching for alerts", every=WATCH_EVERY, parts=[("watching for alerts", watch)]),
    HouseJob(name="telling of alerts", every=TELL_EVERY, once=tell_due),
    HouseJob(name="sending notices", every=TELL_EVERY, once=send_waiting),
    HouseJob(name="forgetting single requests", every=EVERY_MINUTE, once=judging.forget),
    HouseJob(
        name="forgetting what is older than kept",
        every=EVERY_TEN_MINUTES,
        once=_forget_loose_ends,
        parts=[
            ("forgetting samples", _forget_samples),
            ("forgetting statements", _forget_statements),
            ("forgetting executions and events", _forget_log),
            ("forgetting figures of it and its tables", _forget_figures),
            ("forgetting sums of requests", _forget_requests),
            ("forgetting leads", lambda server, now: leads.forget_before(server.pk, now - changes.RETENTION_MS)),
            ("forgetting verdicts", lambda server, now: verdicts.forget_before(server.pk, now - changes.RETENTION_MS)),
            ("forgetting changes", lambda server, now: changes.forget_before(server.pk, now - changes.RETENTION_MS)),
        ],
    ),
)


def keep_house(now_ms: int) -> None:
    """All jobs once, for commands and tests. Raises StoreAway, or PartFailed at the end."""
    failed = []
    for job in JOBS:
        try:
            job.run(now_ms)
        except PartFailed as error:
            failed.append(str(error))
    if failed:
        raise PartFailed("; ".join(failed))
