"""What was planted in the simulated past, and what it does to the servers."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeAlias

from faena.core.errors import BadInput
from faena.core.units import MS_PER_DAY, EpochMs

MS_PER_MINUTE = 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Calls:
    """A statement is called `times` as often, or `to` calls a second; with `text`, a variant of it from one host."""

    calls: str
    times: float = 1.0
    to: float | None = None
    host: str = ""
    text: str = ""
    cpu_ms: float = 0.0
    reads: float = 0.0
    plan: str = ""  # of the variant, what EXPLAIN would print


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """Each call of a statement costs so many times as much."""

    cost: str
    cpu: float = 1.0
    reads: float = 1.0
    plan: str = ""  # what EXPLAIN would print while it lasts; empty: the usual


@dataclass(frozen=True, slots=True, kw_only=True)
class Activity:
    """Sessions that run one long statement; `io` is the share of their time that they wait, the rest burns a core."""

    activity: str  # the program
    text: str
    sessions: int
    io: float
    reads_per_s: float
    wait: str = "IO:DataFileRead"
    on: str = ""  # another server than the incident's
    temp_mb: float = 0.0  # spilled by each session's statement


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """A session holds what others touch. With `middle`, that one waits for it, and the others behind `middle`.

    With `share` 0 nobody touches it.
    """

    hold: str
    holder: str  # program
    state: str  # idle: in transaction; reading: slow for want of the disk; working: on a core
    share: float  # of the calls that touch it, those that hit upon what is held
    statement: str = ""
    text: str = ""
    wait: str = "Lock:transactionid"
    middle: str = ""
    middle_statement: str = ""
    least: float = 0.0  # arrivals per second at quiet hours


@dataclass(frozen=True, slots=True, kw_only=True)
class Turns:
    """Sessions of a program want the same row, each for so many milliseconds, one after the other: one holds it, the others wait."""

    turns: str  # the statement that changes the row
    sessions: int
    held_ms: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Retries:
    """Transactions of a statement's program fail for each other, so many a second, and are begun anew."""

    retries: str  # the statement in which most of them fail
    per_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Deadlock:
    """Pairs of two statements that wait for each other until the server breaks it."""

    deadlock: Sequence[str]
    pairs: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ReplayStops:
    """A replica's replay waits; it lags, and cancels readers."""

    replay_stops: bool
    conflicts_per_minute: float


Effect: TypeAlias = Calls | Cost | Activity | Hold | Turns | Retries | Deadlock | ReplayStops
_KINDS: dict[str, type[Effect]] = {
    "calls": Calls,
    "cost": Cost,
    "activity": Activity,
    "hold": Hold,
    "turns": Turns,
    "retries": Retries,
    "deadlock": Deadlock,
    "replay_stops": ReplayStops,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class PlantedChange:
    """What changed on the server so many minutes after the incident began (below zero: before), as Faena would have found
    it, or, with `note`, as somebody or a pipeline told it."""

    minutes: float
    kind: str
    object: str = ""
    table: str = ""
    before: str = ""
    after: str = ""
    note: str = ""
    version: str = ""
    by: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Incident:
    """`found` is what an investigation must find; see demo/incidents.toml."""

    name: str
    server: str
    days_ago: float
    at_ms: int  # after midnight UTC
    length_ms: int
    cause: str
    effects: Sequence[Effect]
    found: Mapping[str, Any] = field(default_factory=dict)
    every_ms: int = 0
    times: int = 1
    changes: Sequence[PlantedChange] = ()

    def spans(self, anchor_ms: int) -> Iterator[tuple[EpochMs, EpochMs]]:
        """Each time it happened, as [start, end), for a past made at `anchor_ms`."""
        midnight = anchor_ms - anchor_ms % MS_PER_DAY
        first = midnight - round(self.days_ago * MS_PER_DAY) + self.at_ms
        for i in range(self.times):
            start = first + i * self.every_ms
            yield EpochMs(start), EpochMs(start + self.length_ms)


@dataclass(frozen=True, slots=True)
class Happening:
    """One effect on one server over one span."""

    start: EpochMs
    end: EpochMs
    effect: Effect
    incident: str


def happenings(incidents: Sequence[Incident], server: str, anchor_ms: int, start: int, end: int) -> list[Happening]:
    """All effects on a server that touch [start, end)."""
    found = []
    for incident in incidents:
        for effect in incident.effects:
            if (getattr(effect, "on", "") or incident.server) == server:
                spans = incident.spans(anchor_ms)
                found += [Happening(a, b, effect, incident.name) for a, b in spans if a < end and b > start]
    return found


def read_incidents(raw: Mapping[str, Any]) -> list[Incident]:
    """Raises BadInput naming the entry at fault."""
    found = []
    for entry in raw.get("incidents", ()):
        try:
            hours, minutes = entry["at"].split(":")
            found.append(
                Incident(
                    name=entry["name"],
                    server=entry["server"],
                    days_ago=entry["days_ago"],
                    at_ms=(int(hours) * 60 + int(minutes)) * MS_PER_MINUTE,
                    length_ms=entry["minutes"] * MS_PER_MINUTE,
                    cause=entry["cause"],
                    effects=[_effect(one) for one in entry["effects"]],
                    found=entry.get("found", {}),
                    every_ms=entry.get("every_minutes", 0) * MS_PER_MINUTE,
                    times=entry.get("times", 1),
                    changes=[PlantedChange(**one) for one in entry.get("changes", ())],
                )
            )
        except (KeyError, TypeError, ValueError) as error:
            raise BadInput(f"incident {entry.get('name', '?')} cannot be read: {error}", field="incidents") from error
    return found


def _effect(raw: Mapping[str, Any]) -> Effect:
    kinds = [kind for name, kind in _KINDS.items() if name in raw]
    if len(kinds) != 1:
        raise ValueError(f"an effect is one of {', '.join(_KINDS)}, not {sorted(raw)}")
    return kinds[0](**raw)
