"""Looks at each condition on each server, on from where it was looked at last: once per condition and moment."""

from django.db import transaction

from faena.apps.alerts import actions
from faena.apps.alerts.conditions import covering, enabled, to_core
from faena.apps.alerts.models import AlertCondition
from faena.apps.answers.alerts.signals import Signals
from faena.apps.servers.clock import calendar_named, clock_of
from faena.apps.servers.models import Server
from faena.core.alerts.stepping import advance
from faena.core.units import MS_PER_HOUR

FURTHEST_MS = 24 * MS_PER_HOUR  # what nobody looked at for longer is not made up for
NEW_MS = 10 * 60_000  # a condition that is new looks back so far


def watch(server: Server, now_ms: int) -> None:
    """All conditions of one server. What one of them finds is kept before the next is looked at."""
    if not server.enabled:
        with transaction.atomic():
            actions.end_all(server=server)
        return
    signals = Signals(server, now_ms)
    for condition in covering(server, enabled()):
        look(server, condition, signals, now_ms)


def look(server: Server, row: AlertCondition, signals: Signals, now_ms: int) -> None:
    """One condition on one server, up to what has come in."""
    calendar = calendar_named(row.time_zone) if row.time_zone else None
    condition = to_core(row, calendar or clock_of(server).calendar)
    with transaction.atomic():
        mine = actions.locked(row, server, now_ms - NEW_MS)
        if mine is None:
            return
        state = actions.state_of(mine)
        since = max(state.until, now_ms - FURTHEST_MS)
        steps = signals.steps(condition, since, signals.settled_ms(condition.signal))
        if steps:
            state, turns = advance(state, condition, steps)
            actions.keep(mine, state, turns, now_ms)
