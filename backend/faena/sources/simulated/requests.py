"""Requests of the made-up estate's past: a few of each hour, each standing for many, as traces would have told them.

What a statement takes follows the simulated server second by second, so that what happened there shows in the requests;
what a change to a program did (a statement for each row, a cache asked no more, a slow service) is told in the estate.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple
from zlib import crc32

import numpy as np

from faena.core.requests.span import NANOSECONDS, Attributes, Span, SpanKind
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated.engine import Engine, Hour
from faena.sources.simulated.estate import Endpoint, RequestChange
from faena.sources.simulated.incidents import Hold, happenings

AN_HOUR = 12  # requests of each endpoint that are made; they stand for all of the hour
SPREAD = 0.35  # of own code and of calls, as the deviation of the logarithm of a time
GAP_NS = 50_000  # between the parts of a request


@dataclass(frozen=True, slots=True)
class Made:
    """The spans of one trace, and how many requests it stands for."""

    spans: Sequence[Span]
    weight: float


def hour_requests(engine: Engine, hour: Hour, first: int, last: int) -> Iterator[Made]:
    """Requests that began in the seconds [first, last) of an hour; the same hour always yields the same ones."""
    effects = happenings(engine.incidents, engine.server.name, engine.anchor, hour.start, hour.start + MS_PER_HOUR)
    holds = [Held(one.start, one.end, one.effect) for one in effects if isinstance(one.effect, Hold)]
    for number, endpoint in enumerate(engine.estate.requests_on(engine.server.name)):
        seed = [engine.seed, crc32(endpoint.name.encode()), hour.start // 1000, 23]
        chance = np.random.default_rng(seed)
        rows = {one.key: row for row, one in enumerate(hour.traffic.statements)}
        lead = rows[endpoint.lead]
        arrived = hour.arrived[lead] / endpoint.statements[endpoint.lead]
        whole = float(arrived.sum())
        if not whole:
            continue
        seconds = np.searchsorted(arrived.cumsum(), chance.random(AN_HOUR) * whole, side="right")
        for i, second in enumerate(np.sort(seconds).tolist()):
            trace = _Trace(engine, hour, rows, endpoint, chance, second, (number, i), holds)
            spans = trace.spans()
            if first <= second < last:
                yield Made(spans, whole / AN_HOUR)


class Held(NamedTuple):
    """From when to when a session holds something that others touch."""

    start: int
    end: int
    effect: Hold


class _Trace:
    """One request on its way: time goes on as parts are added."""

    def __init__(
        self,
        engine: Engine,
        hour: Hour,
        rows: Mapping[str, int],
        endpoint: Endpoint,
        chance: np.random.Generator,
        second: int,
        number: tuple[int, int],
        holds: Sequence[Held],
    ) -> None:
        self._hour, self._rows, self._endpoint, self._chance, self._second = hour, rows, endpoint, chance, second
        at = hour.start + 1000 * second
        self._changes = [one for one in endpoint.changes if _is_on(one, engine.anchor, at)]
        named = [*number, hour.start // 1000, engine.seed, 29]
        self._id = np.random.default_rng(named).bytes(16)
        self._begin = self._now = (at + int(chance.random() * 1000)) * NANOSECONDS
        self._resource: Attributes = {
            "service.name": endpoint.service,
            "service.version": next((one.version for one in self._changes if one.version), endpoint.version),
            "host.name": engine.estate.programs[endpoint.service].hosts[
                int(chance.integers(len(engine.estate.programs[endpoint.service].hosts)))
            ],
        }
        self._below: list[Span] = []
        self._holds = holds

    def spans(self) -> list[Span]:
        endpoint = self._endpoint
        own_ms = next((one.own_ms for one in self._changes if one.own_ms), endpoint.own_ms)
        self._pause(own_ms / 2)
        asks_cache = endpoint.cache_ms and not any(one.cache == "unasked" for one in self._changes)
        if asks_cache:
            self._part("GET", self._drawn(endpoint.cache_ms), {"db.system.name": "redis"})
        for key, runs in endpoint.statements.items():
            for _ in range(runs):
                self._statement(key)
        for change in self._changes:
            for _ in range(change.runs):
                self._statement(change.statement)
        for name, usual_ms in endpoint.calls.items():
            ms = next((one.ms for one in self._changes if one.call == name), usual_ms)
            address = {"http.request.method": "GET", "server.address": name, "url.full": f"http://{name}/permits"}
            self._part("GET", self._drawn(ms), address)
        self._pause(own_ms / 2)
        method, _, route = endpoint.name.partition(" ")
        web: Attributes = {"http.request.method": method, "http.route": route}
        job = not route
        top = Span(
            self._id, (1).to_bytes(8), b"", endpoint.name, SpanKind.INTERNAL if job else SpanKind.SERVER, self._begin,
            self._now, endpoint.service, "", {} if job else web, self._resource,
        )  # fmt: skip
        return [top, *self._below]

    def _drawn(self, ms: float) -> float:
        return ms * float(np.exp(self._chance.normal(0, SPREAD)))

    def _pause(self, ms: float) -> None:
        self._now += int(self._drawn(ms) * NANOSECONDS)

    def _statement(self, key: str) -> None:
        row = self._rows[key]
        one = self._hour.traffic.statements[row]
        took_ms = self._drawn(float(self._hour.took_s[row, self._second]) * 1000) + self._held_up_ms(one.touches)
        text = one.text
        self._part(text.partition(" ")[0], took_ms, {"db.system.name": "postgresql", "db.query.text": text})

    def _held_up_ms(self, touches: str) -> float:
        """What it waits for a session that holds what it touches: to the end of that, if it hits upon it."""
        now_ms = self._now // NANOSECONDS
        for one in self._holds:
            if (
                one.start <= now_ms < one.end
                and one.effect.hold == touches
                and self._chance.random() < one.effect.share
            ):
                return float(one.end - now_ms)
        return 0.0

    def _part(self, name: str, ms: float, attributes: Attributes) -> None:
        begin = self._now + GAP_NS
        self._now = begin + max(1000, int(ms * NANOSECONDS))
        number = (2 + len(self._below)).to_bytes(8)
        below = Span(
            self._id, number, (1).to_bytes(8), name, SpanKind.CLIENT, begin, self._now, self._endpoint.service, "", attributes,
            self._resource,
        )  # fmt: skip
        self._below.append(below)


def _is_on(change: RequestChange, anchor_ms: int, at: int) -> bool:
    start, end = change.span(EpochMs(anchor_ms))
    return start <= at < end
