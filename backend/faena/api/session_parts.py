"""What answers about sessions share: a session, who stands in whose way, a stretch of doing the same, waits summed."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from faena.api.out import Out
from faena.apps.answers.labels import lines
from faena.apps.locks.blocking import Moment
from faena.apps.samples import sightings
from faena.apps.samples.sightings import Seen
from faena.core.engines.profile import Waits
from faena.core.readings import LockEdge, SessionSample
from faena.core.sampling.dimensions import Dictionary
from faena.core.sessions.tape import WaitSum
from faena.core.waits.kinds import WaitKind


class WatchedSessionOut(Out):
    """A session at a moment. Ages in milliseconds, null where not known. `wait` as "type:event", "" when it runs.

    `trace` is that of the request it worked for, `endpoint` what a trace has told of it by now; both "" where not known.
    """

    pid: int
    started_s: int
    state: str
    active: bool
    kind: str
    wait: str
    wait_label: str
    query_id: str | None
    statement: str
    database: str
    user: str
    program: str
    client: str
    backend: str
    transaction_ms: int | None
    statement_ms: int | None
    trace: str
    endpoint: str


class EdgeOut(Out):
    """Who stands in whose way, and how. `blocker` -1: the prepared transaction `gid`."""

    waiter: int
    blocker: int
    lock_type: str
    object: str
    which: str
    table: str
    mode_wanted: str
    mode_held: str
    via: str
    gid: str
    waited_ms: int | None


class LiveSessionOut(WatchedSessionOut):
    """A session as it is now.

    `blocked_by` are those in its way, the one to blame first; `blocks` counts those behind it at any distance.
    """

    blocked_by: list[int]
    blocks: int
    waits_for: EdgeOut | None


class StretchOut(Out):
    """[first, last] are moments of the first and the last tick at which it did this."""

    first: int
    last: int
    ticks: int
    kind: str
    wait: str
    wait_label: str
    active: bool
    query_id: str | None
    blocker: int


class WaitSumOut(Out):
    """What a session waited for in all: `count` waits, `ticks` sightings in all, `longest` in a row."""

    wait: str
    label: str
    kind: str
    meaning: str
    hint: str
    count: int
    ticks: int
    longest: int


Sighted = Mapping[tuple[int, int], Seen]  # by pid and start of the session


def sighted(server_id: int, found: Moment) -> Sighted:
    """The traces of a moment's sessions."""
    return {} if found.at is None else sightings.at_moment(server_id, found.at, [one.pid for one in found.sessions])


def session_fields(
    one: SessionSample, texts: Mapping[int, str], waits: Waits, seen: Sighted = MappingProxyType({})
) -> dict[str, Any]:
    """What WatchedSessionOut and its kin share."""
    worked_for = seen.get((one.pid, one.started_s))
    wait = f"{one.wait_type}:{one.wait_event}" if one.wait_type else ""
    return {
        "pid": one.pid, "started_s": one.started_s, "state": one.state, "active": one.is_active,
        "kind": str(waits.kind_of(one.wait_type, one.wait_event) if one.is_active else WaitKind.SLEEP),
        "wait": wait, "wait_label": waits.label(wait or "running")[0] if one.is_active else one.state,
        "query_id": None if one.query_id is None else str(one.query_id),
        "statement": texts.get(one.query_id or 0, ""), "database": one.database, "user": one.user,
        "program": one.program, "client": one.client, "backend": one.backend,
        "transaction_ms": None if one.transaction_ms < 0 else one.transaction_ms,
        "statement_ms": None if one.statement_ms < 0 else one.statement_ms,
        "trace": worked_for.trace if worked_for else "",
        "endpoint": one.endpoint or (worked_for.endpoint if worked_for else ""),
    }  # fmt: skip


def edge_out(edge: LockEdge) -> EdgeOut:
    fact = edge.fact
    return EdgeOut(
        waiter=edge.waiter, blocker=edge.blocker, lock_type=fact.lock_type, object=fact.object, which=edge.which,
        table=fact.table, mode_wanted=fact.mode_wanted, mode_held=fact.mode_held, via=str(fact.via), gid=fact.gid,
        waited_ms=None if edge.waited_ms < 0 else edge.waited_ms,
    )  # fmt: skip


def live(server_id: int, found: Moment, waits: Waits) -> list[LiveSessionOut]:
    """Sessions of a moment with who blocks them and how many they block."""
    texts, seen = lines(server_id, (one.query_id for one in found.sessions)), sighted(server_id, found)
    blocks = {link.pid: link.behind for chain in found.chains for link in chain.links}
    behind = {link.pid: link.edge for chain in found.chains for link in chain.links if link.edge}
    return [
        LiveSessionOut(
            **session_fields(one, texts, waits, seen),
            blocked_by=list(one.blocked_by),
            blocks=blocks.get(one.pid, 0),
            waits_for=edge_out(edge) if (edge := behind.get(one.pid)) else None,
        )
        for one in found.sessions
    ]


def wait_sum(one: WaitSum, dictionary: Dictionary, waits: Waits) -> WaitSumOut:
    label = dictionary.combinations[one.code]
    meaning = waits.explain(label.wait_type, label.wait_event)
    value = f"{label.wait_type}:{label.wait_event}" if label.wait_type else "running"
    idle = not label.active
    return WaitSumOut(
        wait=value,
        label="idle in transaction" if idle else waits.label(value)[0],
        kind=str(WaitKind.SLEEP if idle else meaning.kind),
        meaning="It holds its transaction open and waits for its client." if idle else meaning.meaning,
        hint=waits.hints.get(label.wait_event, ""),
        count=one.count,
        ticks=one.ticks,
        longest=one.longest,
    )


def id_text(query_id: int | None) -> str | None:
    """A statement's number as text: JSON's numbers do not hold it."""
    return None if query_id is None else str(query_id)


def code_fields(dictionary: Dictionary, code: int, waits: Waits) -> dict[str, Any]:
    """What a stretch with this code was."""
    label = dictionary.combinations[code]
    wait = f"{label.wait_type}:{label.wait_event}" if label.wait_type else ""
    return {
        "kind": dictionary.kinds[code], "wait": wait, "active": label.active, "query_id": id_text(label.query_id),
        "wait_label": waits.label(wait or "running")[0] if label.active else "idle in transaction",
    }  # fmt: skip
