"""What a condition can be set on: the figures of a server that are looked at again and again."""

from dataclasses import dataclass

from faena.core.labels import Labelled


class Source(Labelled):
    """Where the figures come from, and so how often there is one, and how late it may come."""

    SAMPLES = "samples", "samples of sessions"
    READINGS = "readings", "what the server and its machine count each minute"
    LOG = "log", "the server's log"
    FOUND = "found", "what Faena found"
    WATCH = "watch", "the watching itself"


class Unit(Labelled):
    """Of a signal's level."""

    SESSIONS = "sessions", "sessions"
    RATIO = "ratio", "times"
    PER_S = "per_s", "a second"
    PER_MIN = "per_min", "in a minute"
    SHARE = "share", "share"
    MS = "ms", "ms"
    BYTES = "bytes", "bytes"
    BYTES_PER_S = "bytes_per_s", "bytes a second"
    COUNT = "count", ""


class Signal(Labelled):
    """The value is the word in the API."""

    LOAD = "load", "active sessions"
    RUNNING_PER_CORE = "running_per_core", "sessions running for each core"
    WAITING = "waiting", "sessions waiting"
    BLOCKED = "blocked", "sessions blocked", "They wait for a row or table lock."
    CALLS = "calls", "executions"
    ERRORS = "errors", "rollbacks"
    DEADLOCKS = "deadlocks", "deadlocks"
    CANCELLED_READERS = "cancelled_readers", "readers cancelled on a replica"
    CONNECTIONS = "connections", "connections"
    CPU = "cpu", "CPU of the machine"
    READS = "reads", "disk reads"
    WRITES = "writes", "disk writes"
    DISK_LATENCY = "disk_latency", "disk latency"
    TEMP = "temp", "temp written"
    SIZE = "size", "allocated size"
    GROWTH = "growth", "growth of the allocated size in a day"
    LAG = "lag", "replay lag"
    TRANSACTION_AGE = "transaction_age", "age of the oldest transaction id", "Writes stop near two billion."
    EVENTS = "events", "entries of the server's log", "Of the kinds that are chosen, or of any."
    LEADS = "leads", "leads", "Of the kinds that are chosen, or of any; dismissed ones do not count."
    CHANGES = "changes", "changes", "Of the kinds that are chosen, or of any."
    STALE = "stale", "time without a sample"


@dataclass(frozen=True, slots=True, kw_only=True)
class Trait:
    """`step_ms`: there is one value for each; `late_ms`: a step is looked at so long after its end, when all has come in."""

    source: Source
    unit: Unit
    step_ms: int
    late_ms: int


QUICK_MS, MINUTE_MS = 15_000, 60_000


def _trait(source: Source, unit: Unit, step_ms: int, late_ms: int) -> Trait:
    return Trait(source=source, unit=unit, step_ms=step_ms, late_ms=late_ms)


def _sampled(unit: Unit) -> Trait:
    return _trait(Source.SAMPLES, unit, QUICK_MS, 0)


def _read(unit: Unit) -> Trait:
    return _trait(Source.READINGS, unit, MINUTE_MS, MINUTE_MS)


TRAITS: dict[Signal, Trait] = {
    Signal.LOAD: _sampled(Unit.SESSIONS),
    Signal.RUNNING_PER_CORE: _sampled(Unit.RATIO),
    Signal.WAITING: _sampled(Unit.SESSIONS),
    Signal.BLOCKED: _sampled(Unit.SESSIONS),
    Signal.CALLS: _read(Unit.PER_S),
    Signal.ERRORS: _read(Unit.PER_S),
    Signal.DEADLOCKS: _read(Unit.PER_MIN),
    Signal.CANCELLED_READERS: _read(Unit.PER_MIN),
    Signal.CONNECTIONS: _read(Unit.COUNT),
    Signal.CPU: _read(Unit.SHARE),
    Signal.READS: _read(Unit.PER_S),
    Signal.WRITES: _read(Unit.PER_S),
    Signal.DISK_LATENCY: _read(Unit.MS),
    Signal.TEMP: _read(Unit.BYTES_PER_S),
    Signal.SIZE: _read(Unit.BYTES),
    Signal.GROWTH: _read(Unit.SHARE),
    Signal.LAG: _read(Unit.MS),
    Signal.TRANSACTION_AGE: _read(Unit.COUNT),
    Signal.EVENTS: _trait(Source.LOG, Unit.PER_MIN, MINUTE_MS, MINUTE_MS // 2),
    Signal.LEADS: _trait(Source.FOUND, Unit.COUNT, MINUTE_MS, MINUTE_MS),
    Signal.CHANGES: _trait(Source.FOUND, Unit.COUNT, MINUTE_MS, MINUTE_MS),
    Signal.STALE: _trait(Source.WATCH, Unit.MS, QUICK_MS, 0),
}
# Signals of which some kinds can be chosen, and those whose usual value means something.
WITH_KINDS = (Signal.EVENTS, Signal.LEADS, Signal.CHANGES)
WITH_USUAL = tuple(
    one
    for one, trait in TRAITS.items()
    if trait.source in (Source.SAMPLES, Source.READINGS)
    and one not in (Signal.GROWTH, Signal.SIZE, Signal.TRANSACTION_AGE)
)
