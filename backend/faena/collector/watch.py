"""Watches one server: a sample each period, counters now and then, texts as they become known."""

import asyncio
import logging
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from random import random

from faena.collector.intake import Record
from faena.collector.kinds import Counted, Learned, Logged, Noted, Sampled, Surveyed
from faena.collector.orders import WatchOrder
from faena.core.errors import SourceAway, SourceError, SourceRefused
from faena.core.logged import LogPosition
from faena.core.ports import Clock, Source
from faena.core.readings import CounterReading, ServerFacts
from faena.core.series.schedule import next_open
from faena.core.series.ticks import next_tick
from faena.core.statements.counters import difference
from faena.core.units import EpochMs, Millis, QueryId, Seconds

log = logging.getLogger(__name__)
FAULT_REMEDY = "sampling begins again by itself; Faena's log has the place, for the people who look after it"

BACKOFF_S: tuple[float, ...] = (0.5, 1, 2, 3)  # the last one repeats; a restart of a server should cost few samples
STUCK_S = 3.0  # a sample without any answer for so long means that the server or the way to it is stopped
CONNECT_S = 4.5  # two connections and what the server says of itself
STEP_MS = 2_000  # the wall clock and the one that only goes forward differ by so much: somebody set it
STOPPED = "see whether the server is stopped or its host away"
LEARN_EVERY_S = Seconds(2.0)
SURVEY_EVERY_MS = 60_000
MAX_TEXT_TRIES = 10  # a statement whose text never turns up (evicted) is not asked for again


@dataclass(slots=True)
class WatchState:
    """What the status file and the screen show of a watch."""

    state: str = "connecting"
    message: str = ""
    last_sample: EpochMs | None = None
    took_ms: float | None = None
    missed: int = 0
    tries: dict[QueryId, int] = field(default_factory=dict)


class Watch:
    """Runs until cancelled. Every trouble of the server ends in a gap and a note, never in an exception."""

    def __init__(
        self,
        order: WatchOrder,
        source: Source,
        put: Callable[[Record], None],
        clock: Clock,
        log_position: LogPosition | None = None,
        chance: Callable[[], float] = random,
    ) -> None:
        """`chance` draws, from 0 to below 1, the moment within its period at which a sample is taken."""
        self._order, self._source, self._put, self._clock = order, source, put, clock
        self._log_position = log_position
        self._chance = chance
        self._log_trouble = ""
        self._told: SourceError | None = None  # the outage that was noted last
        self._wanted: set[QueryId] = set()
        self._known: set[QueryId] = set()
        self._before: CounterReading | None = None
        self._last_tick: EpochMs | None = None
        self.state = WatchState()

    async def run(self) -> None:
        attempt = 0
        try:
            while True:
                try:
                    facts = await self._connect()
                    attempt = 0
                    self._connected(facts)
                    await self._watch()
                except SourceError as error:
                    self._away(error, first=attempt == 0)
                except Exception as error:  # whatever one server brings up, it must not stop the watch of another
                    log.exception("%s: the watch broke off and begins again", self._order.name)
                    reason = f"what it answered could not be read ({type(error).__name__})"
                    self._away(SourceAway(reason, remedy=FAULT_REMEDY), first=attempt == 0)
                await self._source.close()
                await self._clock.sleep(Seconds(BACKOFF_S[min(attempt, len(BACKOFF_S) - 1)]))
                attempt += 1
        finally:
            await self._source.close()

    async def _connect(self) -> ServerFacts:
        try:
            async with asyncio.timeout(CONNECT_S):
                return await self._source.connect()
        except TimeoutError:
            raise SourceAway(f"no answer to connecting within {CONNECT_S} s", remedy=STOPPED) from None

    def _connected(self, facts: ServerFacts) -> None:
        self.state.state, self.state.message = "watching", ""
        self._note("connected", f"{facts.product} {facts.version_text}", asdict(facts))

    def _away(self, error: SourceError, *, first: bool) -> None:
        self.state.state, self.state.message = "away", str(error)
        if first and error is not self._told:  # once per outage, not once per try
            self._told = error
            self._note("away", f"{error}; {error.remedy}" if error.remedy else str(error))

    def _note(self, event: str, detail: str, facts: dict[str, object] | None = None) -> None:
        log.info("%s: %s: %s", self._order.name, event, detail)
        now = self._clock.now()
        self._put(Noted(server_id=self._order.server_id, at=now, event=event, detail=detail, facts=facts))

    async def _watch(self) -> None:
        """Both loops until one fails; its error is raised once both have ended.

        No task group: on Python 3.11 one that is cancelled while it fails swallows the cancelling, and we would go on.
        """
        loops = [asyncio.create_task(self._sample_forever()), asyncio.create_task(self._read_slowly_forever())]
        try:
            failed, _ = await asyncio.wait(loops, return_when=asyncio.FIRST_COMPLETED)
            for loop in failed:  # said at once: what follows waits for questions that nobody answers any more
                if isinstance(error := loop.exception(), SourceError):
                    self._away(error, first=True)
        finally:
            for loop in loops:
                loop.cancel()
            await asyncio.gather(*loops, return_exceptions=True)
        for loop in failed:
            loop.result()

    async def _sample_forever(self) -> None:
        """One sample in flight at most; ticks that come due meanwhile are missed and counted."""
        baseline = self._clock.now() - round(1000 * self._clock.monotonic())
        while True:
            baseline = self._note_step(baseline)
            opens = next_open(self._order.schedule, self._clock.now())
            if opens > self._clock.now():  # outside the schedule: what is not wanted is not missed
                self._last_tick = None
                await self._clock.sleep(Seconds((opens - self._clock.now()) / 1000))
            tick = next_tick(self._last_tick, self._order.period_ms, self._clock.now())
            # Not always at its start: what works in step with the clock would be seen each time, or never.
            drawn = tick.due + round(self._chance() * self._order.period_ms)
            await self._clock.sleep(Seconds(max(0, drawn - self._clock.now()) / 1000))
            if self._clock.now() < tick.due - STEP_MS:  # set back while we slept: this tick lies in the future now
                continue
            # Not asyncio.timeout: ending a question to a server that does not answer can itself take seconds.
            late = Millis(max(0, self._clock.now() - tick.due))
            asked = asyncio.create_task(self._source.sample(tick.due, late))
            try:
                await asyncio.wait({asked}, timeout=STUCK_S)
                if not asked.done():
                    raise SourceAway(f"no answer to a sample within {STUCK_S:.0f} s", remedy=STOPPED)
            finally:
                asked.cancel()
            reading = asked.result()
            self._last_tick = tick.due
            self.state.last_sample, self.state.took_ms = tick.due, reading.took
            self.state.missed += tick.missed
            self._wanted.update(s.query_id for s in reading.sessions if s.query_id is not None)
            self._put(Sampled(server_id=self._order.server_id, reading=reading, missed=tick.missed))

    def _note_step(self, baseline: int) -> int:
        """Notice that the wall clock was set. What was sampled keeps its moments; from here on the new time counts."""
        now = self._clock.now() - round(1000 * self._clock.monotonic())
        step = now - baseline
        if abs(step) < STEP_MS:
            return baseline
        way = "forward" if step > 0 else "back"
        kept = "" if step > 0 else "; moments that were sampled before keep their first samples"
        self._note(
            "clock_step", f"the clock of the collector's machine was set {way} by {abs(step) / 1000:.0f} s{kept}"
        )
        self._last_tick = None
        return now

    async def _read_slowly_forever(self) -> None:
        """Counters, texts and surveys share the second connection, so they take turns."""
        last: EpochMs | None = None
        due = survey_due = self._clock.now()
        while True:
            if self._clock.now() >= survey_due:
                survey = await self._source.survey(self._clock.now())
                if (
                    survey.vitals or survey.tables or survey.host or survey.catalogue
                ):  # the first one has nothing to count from
                    self._put(Surveyed(server_id=self._order.server_id, survey=survey))
                survey_due = next_tick(None, SURVEY_EVERY_MS, self._clock.now()).due
            if self._clock.now() >= due:
                await self._count()
                last = due
                due = next_tick(last, self._order.counters_every_ms, self._clock.now()).due
            await self._read_log()
            await self._learn()
            await self._clock.sleep(LEARN_EVERY_S)

    async def _read_log(self) -> None:
        """A log that cannot be read costs the log and nothing else; it is noted once."""
        try:
            reading = await self._source.log(self._clock.now(), self._log_position, self._order.rules)
        except SourceRefused as error:
            if str(error) != self._log_trouble:
                self._log_trouble = str(error)
                self._note("log_refused", f"{error}; {error.remedy}" if error.remedy else str(error))
            return
        self._log_trouble = ""
        if reading is None or reading.position == self._log_position:
            return
        if reading.broken:
            self._note("log_broken", reading.broken)
        self._log_position = reading.position
        self._wanted.update(one.query_id for one in reading.executions if one.query_id is not None)
        self._put(Logged(server_id=self._order.server_id, reading=reading))

    async def _count(self) -> None:
        reading = await self._source.counters(self._clock.now())
        if reading is None:
            self._before = None  # what comes when they can be read again is not the work since the last reading
            return
        before, self._before = self._before, reading
        if before is None or reading.at <= before.at:
            return
        delta = difference(before, reading)
        self._wanted.update(key.query_id for key in delta.keys)
        for one in sorted(delta.breaks):
            self._note(f"counters_{one}", "statement counters do not run through here; work in between may be missing")
        self._put(Counted(server_id=self._order.server_id, delta=delta))

    async def _learn(self) -> None:
        """Texts of statements seen since the last round."""
        missing = [i for i in self._wanted - self._known if self.state.tries.get(i, 0) < MAX_TEXT_TRIES][:1000]
        self._wanted.intersection_update(missing)
        if not missing:
            return
        texts = tuple(await self._source.texts(missing))
        for i in missing:
            self.state.tries[i] = self.state.tries.get(i, 0) + 1
        for text in texts:
            self._known.add(text.query_id)
            self.state.tries.pop(text.query_id, None)
        if texts:
            self._put(Learned(server_id=self._order.server_id, texts=texts))
