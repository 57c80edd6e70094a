"""Single executions, as the simulated server's log would show a sample of them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import log, sqrt
from zlib import crc32

import numpy as np

from faena.core.logged import Execution
from faena.core.sql.texts import fingerprint
from faena.core.units import EpochMs, Pid
from faena.sources.simulated.engine import Engine, Hour
from faena.sources.simulated.incidents import Cost, happenings
from faena.sources.simulated.lasting import ACTIVITY_PID
from faena.sources.simulated.work import SPREAD, ended_activities

_SIGMA = sqrt(log(1 + SPREAD**2))  # of a lognormal law with that ratio of standard deviation to mean


@dataclass(frozen=True, slots=True)
class _PlanSpan:
    start: int
    end: int
    plan: str


def hour_executions(engine: Engine, hour: Hour, first: int, last: int, every_s: int) -> Iterator[Execution]:
    """Of the seconds [first, last) of an hour, one execution of each statement for every `every_s` seconds.

    Each stands for all that ended in them. Durations are lognormal around the second's mean; the same hour and
    `every_s` always yield the same ones.
    """
    chance = np.random.default_rng([engine.seed, crc32(engine.server.name.encode()), hour.start // 1000, every_s, 17])
    programs = list(dict.fromkeys(one.program for one in hour.traffic.statements))
    for row, one in enumerate(hour.traffic.statements):
        program = engine.estate.programs[one.program]
        spans = _plans(engine, hour, one.key, one.plan)
        counts = hour.arrived[row]
        draws = chance.random((3600 // every_s, 3))
        noise = chance.normal(0, _SIGMA, 3600 // every_s)
        for block in range(first // every_s, -(-last // every_s)):
            begin = block * every_s
            arrived = counts[begin : begin + every_s]
            total = int(arrived.sum())
            second = begin + int(np.searchsorted(arrived.cumsum(), draws[block, 0] * total, side="right"))
            if not total or not first <= second < last:
                continue
            took_ms = float(hour.took_s[row, second]) * 1000 * float(np.exp(noise[block] - _SIGMA**2 / 2))
            ended = EpochMs(hour.start + second * 1000 + int(draws[block, 1] * 1000))
            slot = int(draws[block, 2] * max(program.pool, 1))
            host = hour.traffic.hosts[row] or program.hosts[slot % len(program.hosts)]
            yield Execution(
                ended, max(took_ms, 0.01), Pid(2000 + 1000 * programs.index(one.program) + slot), row, "", one.query_id,
                "", engine.server.group or engine.server.name, program.user, program.name, host,
                plan=next((span.plan for span in spans if span.start <= ended < span.end), ""), weight=float(total),
            )  # fmt: skip
    for number, (h, effect) in enumerate(ended_activities(engine, hour, first, last)):
        who = engine.estate.programs[effect.activity]
        for i in range(effect.sessions):
            yield Execution(
                EpochMs(h.end + i), float(h.end - h.start), Pid(ACTIVITY_PID + i), 20 * number + i, "", fingerprint(effect.text), "",
                engine.server.group or engine.server.name, who.user, who.name, who.hosts[0],
                temp_bytes=int(effect.temp_mb * 1_000_000),
            )  # fmt: skip


def _plans(engine: Engine, hour: Hour, key: str, usual: str) -> Sequence[_PlanSpan]:
    """Which plan the statement uses when within the hour: an incident's before its own."""
    end = hour.start + 3_600_000
    effects = happenings(engine.incidents, engine.server.name, engine.anchor, hour.start, EpochMs(end))
    other = [
        _PlanSpan(h.start, h.end, h.effect.plan)
        for h in effects
        if isinstance(h.effect, Cost) and h.effect.cost == key and h.effect.plan
    ]
    return [*other, _PlanSpan(hour.start, end, usual)]
