"""Sessions that last: long statements, holders of locks, the queues behind them, transactions left idle."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from faena.core.sampling.dimensions import Combination
from faena.core.sql.texts import fingerprint
from faena.core.units import QueryId
from faena.sources.simulated.estate import Estate, Statement
from faena.sources.simulated.incidents import Activity, Deadlock, Happening, Hold, ReplayStops, Turns
from faena.sources.simulated.queues import Floats

Ints = npt.NDArray[np.int64]
PATIENCE_S = 30  # after so long an application gives up waiting and asks anew
READING_SHARE = 0.85  # of a holder slowed by the disk, the time it waits for reads
HOLDER_PID, MIDDLE_PID, ACTIVITY_PID, WAITER_PID, DEADLOCK_PID, STARTUP_PID = 900, 950, 1000, 60_000, 70_000, 40
TURN_PID = 65_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Scene:
    """What all effects of an hour need: `at` seconds since 1970, `day_s` the midnight before."""

    estate: Estate
    at: Ints
    effects: Sequence[Happening]
    chance: np.random.Generator
    day_s: int

    def inside(self, h: Happening) -> npt.NDArray[np.bool_]:
        return (self.at * 1000 >= h.start) & (self.at * 1000 < h.end)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sighting:
    """`table` (N, 6): second of the hour, pid, blocker, session start, transaction and statement age in ms.

    `key` (N,) is the index of each one's label in `labels`.
    """

    table: Ints
    labels: Sequence[Combination]
    key: Ints


@dataclass(slots=True, kw_only=True)
class Lasting:
    """What lasting sessions were seen doing, and what they take: cores, disk requests, slots of their program's pool."""

    cpu: Floats
    reads: Floats
    sightings: list[Sighting] = field(default_factory=list)
    occupied: dict[str, Floats] = field(default_factory=dict)

    def occupy(self, program: str, sessions: Floats) -> None:
        self.occupied[program] = self.occupied.get(program, np.zeros_like(sessions)) + sessions


def lasting_sessions(scene: Scene, statements: Sequence[Statement], calls: Floats) -> Lasting:
    """`calls` (statements, seconds) says how fast a queue behind a lock grows."""
    found = Lasting(cpu=np.zeros(len(scene.at)), reads=np.zeros(len(scene.at)))
    for number, h in enumerate(scene.effects):
        match h.effect:
            case Activity() as effect:
                _activity(scene, h, effect, found, number)
            case Hold() as effect:
                _hold(scene, h, effect, found, statements, calls)
            case Turns() as effect:
                _turns(scene, h, effect, found)
            case Deadlock() as effect:
                _deadlocks(scene, h, effect, found)
            case ReplayStops():
                label = Combination(
                    active=True, wait_type="IPC", wait_event="RecoveryConflictSnapshot", query_id=None, database="",
                    user="", program="startup", client="", backend="startup", held_by="",
                )  # fmt: skip
                found.sightings.append(_steady(scene, h, STARTUP_PID, label))
            case _:
                pass
    return found


def _label(
    scene: Scene, program: str, text: str, wait: str = "", *, active: bool = True, held_by: str = ""
) -> Combination:
    """`wait` as "type:event"; empty: running."""
    wait_type, _, wait_event = wait.partition(":")
    who = scene.estate.programs[program]
    return Combination(
        active=active, wait_type=wait_type, wait_event=wait_event, query_id=QueryId(fingerprint(text)), database="",
        user=who.user, program=program, client=who.hosts[0], backend="client backend", held_by=held_by,
    )  # fmt: skip


def _table(scene: Scene, h: Happening, pid: int, seconds: Ints, blocker: int = 0) -> Ints:
    """One session at each of the seconds since 1970, at work since the happening began."""
    age = 1000 * seconds - h.start
    hour_start = int(scene.at[-1]) - 3599
    started = np.full(len(seconds), h.start // 1000 - 40)
    return np.column_stack(
        [seconds - hour_start, np.full(len(seconds), pid), np.full(len(seconds), blocker), started, age, age]
    ).astype(np.int64)


def _steady(scene: Scene, h: Happening, pid: int, label: Combination, blocker: int = 0) -> Sighting:
    table = _table(scene, h, pid, scene.at[scene.inside(h)], blocker)
    return Sighting(table=table, labels=[label], key=np.zeros(len(table), dtype=np.int64))


def _mixed(scene: Scene, h: Happening, pid: int, labels: Sequence[Combination], share: float) -> Sighting:
    """A session seen with the second label for `share` of its time, else with the first."""
    table = _table(scene, h, pid, scene.at[scene.inside(h)])
    key = (scene.chance.random(len(table)) < share).astype(np.int64)
    return Sighting(table=table, labels=labels, key=key)


def _activity(scene: Scene, h: Happening, effect: Activity, found: Lasting, number: int) -> None:
    inside = scene.inside(h)
    found.cpu += np.where(inside, effect.sessions * (1 - effect.io), 0.0)
    found.reads += np.where(inside, effect.reads_per_s, 0.0)
    labels = [_label(scene, effect.activity, effect.text), _label(scene, effect.activity, effect.text, effect.wait)]
    for i in range(effect.sessions):
        found.sightings.append(_mixed(scene, h, ACTIVITY_PID + 20 * number + i, labels, effect.io))


def _hold(
    scene: Scene, h: Happening, effect: Hold, found: Lasting, statements: Sequence[Statement], calls: Floats
) -> None:
    text = effect.text or scene.estate.statements[effect.statement].text
    if effect.state == "idle":
        label = _label(scene, effect.holder, text, "Client:ClientRead", active=False)
        found.sightings.append(_steady(scene, h, HOLDER_PID, label))
    elif effect.state == "working":
        found.sightings.append(_steady(scene, h, HOLDER_PID, _label(scene, effect.holder, text)))
        found.cpu += np.where(scene.inside(h), 1.0, 0.0)
    else:
        labels = [_label(scene, effect.holder, text), _label(scene, effect.holder, text, "IO:DataFileRead")]
        found.sightings.append(_mixed(scene, h, HOLDER_PID, labels, READING_SHARE))
    blocker, held_by = HOLDER_PID, effect.holder
    if effect.middle:
        middle = scene.estate.statements[effect.middle_statement].text
        label = _label(scene, effect.middle, middle, "Lock:transactionid", held_by=held_by)
        found.sightings.append(_steady(scene, h, MIDDLE_PID, label, HOLDER_PID))
        found.occupy(effect.middle, np.where(scene.inside(h), 1.0, 0.0))
        blocker = MIDDLE_PID
    for row, one in enumerate(statements):
        if one.touches == effect.hold and effect.share > 0:
            _queue(scene, h, effect, found, one, calls[row], blocker)


def _queue(
    scene: Scene, h: Happening, effect: Hold, found: Lasting, one: Statement, calls: Floats, blocker: int
) -> None:
    """Sessions arrive and wait until the holder lets go, up to four fifths of the pool."""
    program = scene.estate.programs[one.program]
    most = int(program.pool * 0.8)
    # The rate at its beginning, found without the hour's own chance, so that the queue is the same in the next hour.
    rate = max(effect.least, effect.share * float(calls.mean()))
    gaps = np.random.default_rng([h.start // 1000, len(one.key)]).exponential(1 / max(rate, 0.05), most)
    arrivals = h.start // 1000 + 1 + np.minimum(np.cumsum(gaps), np.arange(1, most + 1) * 2.0).astype(np.int64)
    hour_start = int(scene.at[-1]) - 3599
    label = _label(scene, one.program, one.text, effect.wait, held_by=effect.holder)
    endpoint = scene.estate.endpoint_of(one.key)
    labels = [replace(label, client=host, endpoint=endpoint) for host in program.hosts]
    inside = scene.at[scene.inside(h)]
    waiter, second = np.nonzero(inside[None, :] >= arrivals[:, None])
    at = inside[second]
    waited = (at - arrivals[waiter]) % PATIENCE_S * 1000
    table = np.column_stack(
        [
            at - hour_start,
            WAITER_PID + 200 * len(one.key) + waiter,
            np.full(len(at), blocker),
            scene.day_s - waiter * 31,
            waited + 20,
            waited,
        ]
    )
    found.sightings.append(Sighting(table=table.astype(np.int64), labels=labels, key=waiter % len(labels)))
    waiting = np.where(scene.inside(h), np.searchsorted(arrivals, scene.at, side="right"), 0).astype(np.float64)
    found.occupy(one.program, waiting)


def _turns(scene: Scene, h: Happening, effect: Turns, found: Lasting) -> None:
    """At each second another of the sessions has the row and commits, the others stand behind it."""
    one = scene.estate.statements[effect.turns]
    program = scene.estate.programs[one.program]
    many = min(effect.sessions, int(program.pool * 0.8))
    seconds = scene.at[scene.inside(h)]
    turn = np.random.default_rng([h.start // 1000, 5]).permutation(86_400)[seconds % 86_400] % many
    holding = _label(scene, one.program, one.text, "IO:WALSync")
    waiting = _label(scene, one.program, one.text, "Lock:transactionid", held_by=one.program)
    hosts = program.hosts
    labels = [replace(label, client=host) for label in (holding, waiting) for host in hosts]
    for number in range(many):
        table = _table(scene, h, TURN_PID + number, seconds)
        mine = turn == number
        behind = (number - turn) % many
        table[:, 2] = np.where(mine, 0, TURN_PID + turn)
        age = np.where(mine, effect.held_ms / 2, behind * effect.held_ms).astype(np.int64)
        table[:, 3] = scene.day_s - number * 31
        table[:, 4], table[:, 5] = age + 5, age
        key = np.where(mine, 0, len(hosts)) + number % len(hosts)
        found.sightings.append(Sighting(table=table, labels=labels, key=key.astype(np.int64)))
    found.occupy(one.program, np.where(scene.inside(h), float(many), 0.0))


def _deadlocks(scene: Scene, h: Happening, effect: Deadlock, found: Lasting) -> None:
    """Each pair waits for a second, until the server has found the circle."""
    where = deadlock_seconds(h, effect)
    number = np.arange(len(where)) * 2
    here = np.isin(where, scene.at)
    where, number = where[here], number[here]
    pair = [scene.estate.statements[key] for key in effect.deadlock]
    for side, one in enumerate(pair):
        other = pair[1 - side]
        label = _label(scene, one.program, one.text, "Lock:transactionid", held_by=other.program)
        table = _table(scene, h, 0, where)
        table[:, 1], table[:, 2] = DEADLOCK_PID + number + side, DEADLOCK_PID + number + 1 - side
        table[:, 4], table[:, 5] = 1400, 700
        found.sightings.append(Sighting(table=table, labels=[label], key=np.zeros(len(table), dtype=np.int64)))


def deadlock_seconds(h: Happening, effect: Deadlock) -> Ints:
    """At which seconds since 1970 its pairs meet, the same whoever asks."""
    seconds = np.arange(h.start // 1000 + 5, h.end // 1000)
    return np.random.default_rng(h.start // 1000).choice(seconds, effect.pairs, replace=False)
