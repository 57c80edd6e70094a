"""One hour of one simulated server, second by second.

Short executions are a queueing network in rounds of a second: arrivals by hour and weekday, cores that never idle while
work is left, a disk that its servers share, a log that commits share, pools that bound how many sessions there are. How
many executions of a kind are there at a sample follows from arrival rate and time in the system (Little's law), with
the scatter that such a count has. Whatever lasts (a report, a lock and its queue, an idle transaction) is a session of
its own with a beginning and an end. All is a function of seed, server and hour, so that any hour can be had by itself.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from zlib import crc32

import numpy as np
import numpy.typing as npt

from faena.core.sampling.dimensions import Combination
from faena.core.sql.texts import fingerprint
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId
from faena.sources.simulated.estate import Estate, Statement
from faena.sources.simulated.incidents import Activity, Calls, Cost, Happening, Incident, ReplayStops, happenings
from faena.sources.simulated.lasting import Scene, Sighting, lasting_sessions
from faena.sources.simulated.queues import Floats, disk_latency_ms, flush_latency_ms, serve

Ints = npt.NDArray[np.int64]
WARM_UP_S = 120  # seconds simulated before the hour, so that a backlog is carried over its edge
STATES: tuple[tuple[str, str], ...] = (("", ""), ("IO", "DataFileRead"), ("LWLock", "WALWrite"), ("IO", "WALSync"))
RUNNING, READING, WRITING_LOG, SYNCING = range(len(STATES))
SYNC_SHARE = 0.4  # of the time until a commit is safe, the part spent syncing
ENGINE_SHARE = 0.02  # of running sessions, those that wait for a latch inside the engine at a sample
CACHE_HITS_PER_READ = 20.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Traffic:
    """What is asked of a server in each second: per statement and second, shape (statements, seconds)."""

    statements: Sequence[Statement]
    hosts: Sequence[str]  # the one host a variant comes from; empty: all of the program's
    calls: Floats
    cpu_s: Floats
    reads: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Hour:
    """All samples of an hour in order of time and pid, and what the server did meanwhile.

    Per sample: `second` of the hour, `combination` index into `combinations`, and what a tape needs. Per second:
    work offered, done and left (core-seconds), disk requests and their latency. Per statement and second: `calls`, and
    mean time in the system `took_s`.
    """

    start: EpochMs
    combinations: Sequence[Combination]
    second: Ints
    combination: Ints
    pid: Ints
    blocker: Ints
    started_s: Ints
    transaction_ms: Ints
    statement_ms: Ints
    traffic: Traffic
    arrived: Ints
    took_s: Floats
    offered: Floats
    done: Floats
    left: Floats
    disk_requests: Floats
    disk_latency_ms: Floats
    lag_s: Floats
    conflicts: Floats


class Engine:
    """Simulates hours of one server. `anchor` is the moment from which incidents are counted back."""

    def __init__(self, estate: Estate, incidents: Sequence[Incident], server: str, anchor: EpochMs, seed: int) -> None:
        self.estate, self.incidents, self.anchor, self.seed = estate, incidents, anchor, seed
        self.server = estate.servers[server]
        self._codes: dict[Combination, int] = {}

    def hour(self, start: EpochMs) -> Hour:
        """The hour that begins at a full hour."""
        if start % MS_PER_HOUR:
            raise ValueError(f"not the beginning of an hour: {start}")
        chance = np.random.default_rng([self.seed, crc32(self.server.name.encode()), start // MS_PER_HOUR])
        at = np.arange(-WARM_UP_S, 3600) + start // 1000
        effects = happenings(
            self.incidents, self.server.name, self.anchor, start - WARM_UP_S * 1000, start + MS_PER_HOUR
        )
        traffic = self._traffic(self.server.name, at, effects)
        arrived = chance.poisson(traffic.calls)
        scene = Scene(
            estate=self.estate, at=at, effects=effects, chance=chance, day_s=int(start // 86_400_000) * 86_400
        )
        lasting = lasting_sessions(scene, traffic.statements, traffic.calls)
        own_work = (arrived * traffic.cpu_s * chance.normal(1, 0.03, arrived.shape)).clip(0)
        room = sum(p.pool for p in self.estate.programs.values()) * float(traffic.cpu_s.mean())
        offered = own_work.sum(axis=0) + lasting.cpu
        done, left = serve(offered, float(self.server.cores), room)
        requests = (arrived * traffic.reads).sum(axis=0) + lasting.reads
        disk = self.estate.disks[self.server.disk]
        latency = disk_latency_ms(requests + self._neighbours(at, start), disk.service_ms, disk.channels)
        means = self._means(traffic, lasting.cpu, left, latency)
        means = self._bounded(means, traffic, lasting.occupied)
        with np.errstate(divide="ignore", invalid="ignore"):
            took = np.nan_to_num(means.sum(axis=1) / traffic.calls, posinf=0.0)
        lag, conflicts = self._replay(at, effects)
        sightings = [self._short(chance, scene, traffic, means, took), *lasting.sightings]
        table = np.concatenate([sighting.table for sighting in sightings])
        code = np.concatenate([self._coded(sighting) for sighting in sightings])
        inside = table[:, 0] >= 0
        table, code = table[inside], code[inside]
        order = np.lexsort((table[:, 1], table[:, 0]))
        hour = slice(WARM_UP_S, None)
        return Hour(
            start=start,
            combinations=tuple(self._codes),
            second=table[order, 0],
            combination=code[order],
            pid=table[order, 1],
            blocker=table[order, 2],
            started_s=table[order, 3],
            transaction_ms=table[order, 4],
            statement_ms=table[order, 5],
            traffic=traffic,
            arrived=arrived[:, hour],
            took_s=took[:, hour],
            offered=offered[hour],
            done=done[hour],
            left=left[hour],
            disk_requests=requests[hour],
            disk_latency_ms=latency[hour],
            lag_s=lag[hour],
            conflicts=conflicts[hour],
        )

    def _traffic(self, server: str, at: Ints, effects: Sequence[Happening]) -> Traffic:
        """Calls by hour and weekday with a slow wobble, then what the incidents change."""
        shape = self._shape(server, at)
        statements = self.estate.on(server)
        calls = np.array([one.rate for one in statements])[:, None] * shape
        cpu = np.array([one.cpu_ms / 1000 for one in statements])[:, None] * np.ones(len(at))
        reads = np.array([one.reads for one in statements])[:, None] * np.ones(len(at))
        index = {one.key: i for i, one in enumerate(statements)}
        hosts = [""] * len(statements)
        for h in effects:
            inside = (at * 1000 >= h.start) & (at * 1000 < h.end)
            match h.effect:
                case Calls(text="") as e:
                    row = index[e.calls]
                    calls[row] = np.where(inside, calls[row] * e.times if e.to is None else e.to, calls[row])
                case Calls() as e:
                    base = self.estate.statements[e.calls]
                    statements.append(_variant(base, e))
                    hosts.append(e.host)
                    calls = np.vstack([calls, np.where(inside, e.to or 0.0, 0.0)])
                    cpu = np.vstack([cpu, np.full(len(at), e.cpu_ms / 1000)])
                    reads = np.vstack([reads, np.full(len(at), e.reads)])
                case Cost() as e:
                    row = index[e.cost]
                    cpu[row] = np.where(inside, cpu[row] * e.cpu, cpu[row])
                    reads[row] = np.where(inside, reads[row] * e.reads, reads[row])
                case _:
                    pass
        return Traffic(statements=statements, hosts=hosts, calls=calls, cpu_s=cpu, reads=reads)

    def _shape(self, server: str, at: Ints) -> Floats:
        """Share of the busiest hour at each second: the profile, gliding from hour to hour, and a wobble of a few percent."""
        profile = self.estate.profiles[self.estate.servers[server].profile]
        hour, within = at // 3600, (at % 3600) / 3600

        def share(hours: Ints) -> Floats:
            weekend = (hours // 24 + 3) % 7 >= 5  # 1970-01-01 was a Thursday
            return np.where(weekend, np.array(profile.weekend)[hours % 24], np.array(profile.workday)[hours % 24])

        glide = share(hour) * (1 - within) + share(hour + 1) * within
        phase = crc32(server.encode()) % 1000
        wobble = sum(np.sin((at + phase * p) * 2 * np.pi / p) for p in (677, 2221, 10_391, 40_009))
        return np.asarray(glide * (1 + 0.025 * wobble), dtype=np.float64)

    def _neighbours(self, at: Ints, start: EpochMs) -> Floats:
        """Requests a second that the other servers of the same disk are expected to make."""
        total = np.zeros(len(at))
        for other in self.estate.servers.values():
            if other.disk != self.server.disk or other.name == self.server.name:
                continue
            effects = happenings(self.incidents, other.name, self.anchor, start - WARM_UP_S * 1000, start + MS_PER_HOUR)
            traffic = self._traffic(other.name, at, effects)
            total += (traffic.calls * traffic.reads).sum(axis=0)
            for h in effects:
                if isinstance(h.effect, Activity):
                    total += np.where((at * 1000 >= h.start) & (at * 1000 < h.end), h.effect.reads_per_s, 0.0)
        return total

    def _means(self, traffic: Traffic, lasting: Floats, left: Floats, latency: Floats) -> Floats:
        """Mean sessions at a sample, shape (statements, states, seconds): rate times time in each state.

        On the cores are as many as the work asked for, all cores while some is left, and with them those in the queue,
        which the server takes for running, too.
        """
        work = traffic.calls * traffic.cpu_s
        total = work.sum(axis=0)
        cores = (self.server.cores - lasting).clip(0)
        busy = np.where(left > 0, cores, np.minimum(total, cores))
        share = np.divide(work, total, out=np.zeros_like(work), where=total > 0)
        each = np.divide(total, traffic.calls.sum(axis=0), out=np.zeros_like(total), where=total > 0)
        queued = np.divide(left, each, out=np.zeros_like(left), where=each > 0)
        commits = traffic.calls * np.array([one.commits for one in traffic.statements])[:, None]
        flush = flush_latency_ms(commits.sum(axis=0), self.server.flush_ms) / 1000
        means = np.empty((len(traffic.statements), len(STATES), len(left)))
        means[:, RUNNING] = share * (busy + queued)
        means[:, READING] = traffic.calls * traffic.reads * latency / 1000
        means[:, WRITING_LOG] = commits * flush * (1 - SYNC_SHARE)
        means[:, SYNCING] = commits * flush * SYNC_SHARE
        return means

    def _bounded(self, means: Floats, traffic: Traffic, occupied: dict[str, Floats]) -> Floats:
        """No program has more sessions than its pool, those that wait for a lock included."""
        for name in {one.program for one in traffic.statements}:
            rows = [i for i, one in enumerate(traffic.statements) if one.program == name]
            free = (self.estate.programs[name].pool - occupied.get(name, 0.0)) * np.ones(means.shape[2])
            wanted = means[rows].sum(axis=(0, 1))
            fits = np.minimum(1.0, np.divide(free.clip(0), wanted, out=np.ones_like(wanted), where=wanted > 0))
            means[rows] *= fits
        return means

    def _short(
        self, chance: np.random.Generator, scene: Scene, traffic: Traffic, means: Floats, took: Floats
    ) -> Sighting:
        """Sightings of executions shorter than a sample is apart: each program's sessions get pids of its own."""
        counts = chance.poisson(means)
        rows, states, at = np.nonzero(counts)
        many = counts[rows, states, at]
        row, state, second = (np.repeat(values, many) for values in (rows, states, at))
        programs = list(dict.fromkeys(one.program for one in traffic.statements))
        program = np.array([programs.index(one.program) for one in traffic.statements])[row]
        order = np.lexsort((program, second))
        row, state, second, program = row[order], state[order], second[order], program[order]
        # A running number inside each (second, program); with it pids are distinct at every tick.
        group = second * len(programs) + program
        first = np.flatnonzero(np.r_[True, np.diff(group) != 0]) if len(group) else np.empty(0, np.int64)
        number = np.arange(len(group)) - np.repeat(first, np.diff(np.r_[first, len(group)]))
        pool = np.array([max(self.estate.programs[name].pool, 1) for name in programs])[program]
        around = np.maximum(pool, number.max(initial=0) + 1)
        slot = (number + 7 * second) % around
        ages = (chance.exponential(1.0, len(row)) * took[row, second] * 1000).astype(np.int64)
        latched = (state == RUNNING) & (chance.random(len(row)) < ENGINE_SHARE)
        table = np.zeros((len(row), 6), dtype=np.int64)
        table[:, 0] = second - WARM_UP_S
        table[:, 1] = 2000 + 1000 * program + slot
        table[:, 3] = scene.day_s - (slot * 97 + program * 13) % 3600
        table[:, 4] = ages + (ages * chance.random(len(row))).astype(np.int64)
        table[:, 5] = ages
        return Sighting(table=table, labels=self._labels(traffic), key=self._keys(traffic, row, state, slot, latched))

    def _labels(self, traffic: Traffic) -> list[Combination]:
        """Combinations of every (statement, state, host), states followed by the latch."""
        found = []
        for one, host in zip(traffic.statements, traffic.hosts, strict=True):
            program = self.estate.programs[one.program]
            endpoint = self.estate.endpoint_of(one.key)
            for wait_type, wait_event in (*STATES, ("LWLock", "BufferContent")):
                for client in (host,) if host else program.hosts:
                    found.append(
                        Combination(
                            active=True, wait_type=wait_type, wait_event=wait_event, query_id=one.query_id,
                            database=self.server.group or self.server.name, user=program.user, program=program.name,
                            client=client, backend="client backend", held_by="",
                            endpoint=endpoint,
                        )
                    )  # fmt: skip
        return found

    def _keys(self, traffic: Traffic, row: Ints, state: Ints, slot: Ints, latched: npt.NDArray[np.bool_]) -> Ints:
        """Index of each sighting's label in `_labels`."""
        hosts = np.array(
            [1 if host else len(self.estate.programs[one.program].hosts)
             for one, host in zip(traffic.statements, traffic.hosts, strict=True)]
        )  # fmt: skip
        base = np.r_[0, np.cumsum(hosts * (len(STATES) + 1))]
        state = np.where(latched, len(STATES), state)
        return np.asarray(base[row] + state * hosts[row] + slot % hosts[row], dtype=np.int64)

    def _coded(self, sighting: Sighting) -> Ints:
        """Labels as this server's codes. The order in which they were first seen decides; the store has codes of its own."""
        used = np.unique(sighting.key)
        codes = np.zeros(len(sighting.labels), dtype=np.int64)
        for i in used.tolist():
            codes[i] = self._codes.setdefault(sighting.labels[i], len(self._codes))
        return codes[sighting.key]

    def _replay(self, at: Ints, effects: Sequence[Happening]) -> tuple[Floats, Floats]:
        """A replica's lag in seconds, and readers cancelled in each second. It catches up ten times as fast as it fell back."""
        lag = np.full(len(at), 0.03 if self.server.role == "replica" else 0.0)
        conflicts = np.zeros(len(at))
        for h in effects:
            if isinstance(h.effect, ReplayStops):
                since, after = at - h.start / 1000, at - h.end / 1000
                length = (h.end - h.start) / 1000
                lag += np.where(since > 0, np.where(after < 0, since, length - 10 * after), 0.0).clip(0)
                inside = (since >= 0) & (after < 0)
                conflicts[inside] = h.effect.conflicts_per_minute / 60
        return lag, conflicts


def _variant(base: Statement, effect: Calls) -> Statement:
    return Statement(
        key=f"{base.key} (variant)",
        program=base.program,
        text=effect.text,
        servers=base.servers,
        rate=0.0,
        cpu_ms=effect.cpu_ms,
        reads=effect.reads,
        rows=base.rows,
        plan=effect.plan,
    )


def texts_of(estate: Estate, incidents: Sequence[Incident], server: str) -> dict[QueryId, str]:
    """Every statement text that can be seen on a server."""
    found = [one.text for one in estate.on(server)]
    for incident in incidents:
        for effect in incident.effects:
            found += [text for text in (getattr(effect, "text", ""),) if text]
            found += [estate.statements[key].text for key in _named(effect)]
    return {fingerprint(text): text for text in found}


def _named(effect: object) -> list[str]:
    names = (
        getattr(effect, "statement", ""),
        getattr(effect, "middle_statement", ""),
        getattr(effect, "turns", ""),
        getattr(effect, "retries", ""),
        *getattr(effect, "deadlock", ()),
    )
    return [name for name in names if name]
