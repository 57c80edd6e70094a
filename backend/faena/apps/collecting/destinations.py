"""Where each kind of record goes in the store, whoever brings it: the collector's outbox, a push, an upload."""

from collections.abc import Callable, Mapping, Sequence
from itertools import chain
from typing import Any, TypeVar

from django.db import IntegrityError, transaction

from faena.apps.changes import actions as changes
from faena.apps.hosts import actions as hosts
from faena.apps.locks import actions as locks
from faena.apps.locks import deadlocks
from faena.apps.plans import actions as plans
from faena.apps.requests import arrivals
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.codebook import Codebook
from faena.apps.servers import actions as servers
from faena.apps.servers.models import Server
from faena.apps.statements import actions as statements
from faena.apps.statements import logged
from faena.collector.intake import Record
from faena.collector.kinds import Counted, HostRead, Learned, Logged, Noted, Sampled, Surveyed, Traced
from faena.core.logged import EventKind, Execution, LogEvent, LogReading
from faena.core.readings import SampleReading

R = TypeVar("R", bound=Record)


class Destinations:
    """Stores records of one server and one kind at a time, each once. Keeps the dictionaries of servers it has seen.

    Raises what the store raises; `forget` then, since what was not written must not be taken as known.
    """

    def __init__(self) -> None:
        self._codebooks: dict[int, Codebook] = {}
        self._kindbooks: dict[int, locks.KindBook] = {}
        self._of: Mapping[type, Callable[[int, list[Any]], object]] = {
            Sampled: self.sampled,
            Logged: _logged,
            Counted: _each(lambda server_id, one: statements.store_work(server_id, one.delta)),
            Learned: _each(lambda server_id, one: statements.learn_texts(server_id, one.texts)),
            Noted: _each(lambda server_id, one: servers.note(server_id, one.at, one.event, one.detail, one.facts)),
            Surveyed: _each(_surveyed),
            Traced: arrivals.store,
            HostRead: _each(lambda _, one: hosts.store_host(one.machine, [one.figures])),
        }

    def store(self, kind: type[Record], server_id: int, records: list[Any]) -> None:
        """All records are of that kind and server."""
        self._of[kind](server_id, records)

    def forget(self) -> None:
        """Drop the dictionaries kept of servers, so that they are read from the store again."""
        self._codebooks.clear()
        self._kindbooks.clear()

    def sampled(self, server_id: int, records: Sequence[Sampled]) -> list[SampleReading]:
        """Sessions and what they wait for, together or not at all; returns the ticks that were new."""
        try:
            return self._ticks(server_id, records)
        except IntegrityError:  # another collector had the server meanwhile and gave out codes we do not know
            self._codebooks.pop(server_id, None)
            self._kindbooks.pop(server_id, None)
            return self._ticks(server_id, records)

    @transaction.atomic
    def _ticks(self, server_id: int, records: Sequence[Sampled]) -> list[SampleReading]:
        if server_id not in self._codebooks:
            self._codebooks[server_id] = Codebook(server_id)
        ticks = [(one.reading, one.missed) for one in records]
        fresh = store_ticks(server_id, ticks, self._codebooks[server_id])
        if any(reading.edges for reading in fresh):
            if server_id not in self._kindbooks:
                self._kindbooks[server_id] = locks.KindBook(server_id)
            locks.store_waits(server_id, fresh, self._kindbooks[server_id])
        return list(fresh)


def _each(store: Callable[[int, R], object]) -> Callable[[int, list[R]], None]:
    def all_of(server_id: int, records: list[R]) -> None:
        for one in records:
            store(server_id, one)

    return all_of


def _surveyed(server_id: int, one: Surveyed) -> None:
    servers.store_survey(server_id, one.survey)
    hosts.store_survey(server_id, one.survey)
    if one.survey.catalogue is not None:
        changes.look(server_id, one.survey.catalogue)


def _logged(server_id: int, records: Sequence[Logged]) -> None:
    """Several readings of one log as if they had been one."""
    readings = [one.reading for one in records]
    last = readings[-1]
    reading = LogReading(
        position=last.position,
        executions=tuple(chain.from_iterable(one.executions for one in readings)),
        events=tuple(chain.from_iterable(one.events for one in readings)),
        unreadable=sum(one.unreadable for one in readings),
        behind=last.behind,
    )
    shapes = plans.capture(server_id, reading.executions)
    literals = Server.objects.filter(id=server_id, keep_parameters=True).exists()
    logged.store_log(server_id, reading, shapes, literals=literals)
    if any(one.kind is EventKind.DEADLOCK for one in reading.events):
        # In order of time, since what was told before says who the survivors are.
        told: list[Execution | LogEvent] = [*reading.executions, *reading.events]
        told.sort(key=lambda one: one.ended if isinstance(one, Execution) else one.at)
        deadlocks.store(server_id, told, literals=literals)
    if any(one.plan for one in reading.executions):
        deadlocks.judge_again(server_id, reading.executions)
