"""Deadlocks as they are stored, their patterns, and what people say and do about them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import or_
from typing import Any, Final

import numpy as np
import orjson
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction
from django.db.models import Count, Max, Min, Q, QuerySet, Sum

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.locks.models import Deadlock, DeadlockPattern, PatternComment
from faena.apps.plans.models import CapturedPlan
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.sessions import hours_of, read_hour
from faena.apps.servers.engines import profile_by_id
from faena.core.answers.scanning import deadlock_reader, scans_what_it_locks
from faena.core.deadlocks.cause import Cause
from faena.core.deadlocks.reading import told
from faena.core.deadlocks.report import BadReport, Party, Report, Wanted
from faena.core.discreet import bare_context
from faena.core.errors import BadInput, NotFound
from faena.core.logged import Execution, LogEvent
from faena.core.privacy import Normalised, Permit, Raw, shown
from faena.core.sampling.dimensions import Combination, Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window
from faena.core.sessions.frame import SessionFrame
from faena.core.sql.texts import normalise, storable
from faena.core.units import MS_PER_HOUR, EpochMs

MOST_AGAIN = 500  # deadlocks judged again at once, the newest first
AROUND_MS = 2_500  # how far before a deadlock its parties are looked for in the samples
BY_PARTIES: Final = (
    Dimension.STATEMENT, Dimension.PROGRAM, Dimension.USER, Dimension.DATABASE, Dimension.CLIENT
)  # fmt: skip
PARTY = ("pid", "waits_for", "statement", "context", "program", "user", "database", "client")


def store(server_id: int, happenings: Sequence[LogEvent | Execution], *, literals: bool) -> int:
    """Keep the deadlocks among what a log told, each once. Returns how many could be read.

    Who the survivors are is filled in from what the log told before and from the samples of that second.
    """
    reader, samples, count = deadlock_reader(profile_by_id(server_id)), _Samples(server_id), 0
    if reader is None:
        return 0
    for one in happenings:
        names = dict(one.names) if isinstance(one, LogEvent) else {}
        try:
            found = reader.take(one, names)
        except BadReport:
            continue  # it stands in the list of events as it was logged
        if found is not None and isinstance(one, LogEvent):
            _keep(server_id, found.report, one, samples.of(found.report), literals=literals)
            count += 1
    return count


@transaction.atomic
def _keep(
    server_id: int, report: Report, event: LogEvent, seen: Mapping[int, Mapping[str, Any]], *, literals: bool
) -> None:
    as_they_were = [_party(one, seen.get(one.pid, {}), event) for one in report.parties]
    parties = [_bare(one) for one in as_they_were]
    scanning = frozenset(
        one["pid"]
        for one in as_they_were
        if one["query_id"] and _scans(server_id, int(one["query_id"]), one["statement"])
    )
    found = told(report, scanning)
    pattern, _ = DeadlockPattern.objects.get_or_create(server_id=server_id, pattern=found.pattern)
    victim = seen.get(report.victim.pid, {})
    waited = [ms for one in parties if (ms := seen.get(one["pid"], {}).get("statement_ms")) is not None]
    Deadlock.objects.bulk_create(
        [
            Deadlock(
                server_id=server_id, at_ms=event.at, victim=report.victim.pid, place=event.place, pattern=pattern,
                cause=str(found.cause.kind), reason=found.cause.sentence,
                confidence=str(found.cause.confidence),
                mends=list(found.cause.steps),
                waited_ms=sum(waited) if waited else event.waited_ms, lost_ms=victim.get("transaction_ms"),
                parties=parties, parties_raw=Raw(orjson.dumps(as_they_were).decode()) if literals else None,
                record=_bare_record(report), record_raw=Raw(report.raw) if literals else None,
            )
        ],
        ignore_conflicts=True,
    )  # fmt: skip


def judge_again(server_id: int, executions: Sequence[Execution]) -> int:
    """Deadlocks kept before, of statements whose plan, logged only now, scans the rows they lock. Returns how many."""
    found, plans = 0, profile_by_id(server_id).plans
    if plans is None:
        return 0
    scanning = {
        one.query_id: one.statement
        for one in executions
        if one.query_id is not None and one.plan and scans_what_it_locks(one.statement, one.plan, plans)
    }
    for query_id in scanning:
        rows = Deadlock.objects.filter(server_id=server_id, parties__contains=[{"query_id": str(query_id)}])
        for row in rows.exclude(cause=str(Cause.MISSING_INDEX_SCAN)).order_by("-at_ms")[:MOST_AGAIN]:
            report = Report(at=EpochMs(row.at_ms), parties=tuple(map(_party_of, row.parties)), raw=str(row.record))
            pids = frozenset(one["pid"] for one in row.parties if one["query_id"] == str(query_id))
            cause = told(report, pids).cause
            if cause.kind is Cause.MISSING_INDEX_SCAN:
                Deadlock.objects.filter(server_id=server_id, at_ms=row.at_ms, victim=row.victim, place=row.place).update(
                    cause=str(cause.kind), reason=cause.sentence, confidence=str(cause.confidence),
                    mends=list(cause.steps),
                )  # fmt: skip
                found += 1
    return found


def _party_of(kept: Mapping[str, Any]) -> Party:
    wants = {name: kept["wants"][name] for name in Wanted._fields}
    return Party(**{name: kept[name] for name in PARTY}, wants=Wanted(**wants))


def _party(one: Party, seen: Mapping[str, Any], event: LogEvent) -> dict[str, Any]:
    kept = {name: getattr(one, name) for name in PARTY}
    for name in ("program", "user", "client", "database"):
        kept[name] = kept[name] or seen.get(name, "")
    own = event.query_id if one.pid == event.pid else None
    query_id = own if own is not None else seen.get("query_id")
    wants = {**one.wants._asdict(), "words": one.wants.words}
    told = {**kept, "query_id": None if query_id is None else str(query_id), "wants": wants}
    return {name: storable(value) if isinstance(value, str) else value for name, value in told.items()}


def _bare(party: Mapping[str, Any]) -> dict[str, Any]:
    """A party without the literals of its statement and of statements within functions."""
    return {**party, "statement": normalise(party["statement"]), "context": bare_context(party["context"])}


def _bare_record(report: Report) -> Normalised:
    """The record with its statements bare: a circle's figures are no personal data, what people searched for is."""
    lines = [
        f"Process {one.pid} waits for {one.wants.mode} on {one.wants.said}; blocked by process {one.waits_for}."
        for one in report.parties
    ]
    lines += [f"Process {one.pid}: {normalise(one.statement)}" for one in report.parties]
    context = bare_context(report.victim.context)
    told = "ERROR:  deadlock detected\nDETAIL:  " + "\n".join(lines) + (f"\nCONTEXT:  {context}" if context else "")
    return Normalised(storable(told))


def parties_of(row: Deadlock, permit: Permit | None) -> list[dict[str, Any]]:
    """Who was in it, with their statements as this reader may see them."""
    if row.parties_raw is not None and permit is not None:
        found: list[dict[str, Any]] = orjson.loads(row.parties_raw.open(permit))
        return found
    return list(row.parties)


class _Samples:
    """What samples shortly before deadlocks tell of their parties. Deadlocks come in bursts, so an hour is read once."""

    def __init__(self, server_id: int) -> None:
        self._server_id = server_id
        self._hour: tuple[int, SessionFrame] | None = None
        self._dictionary = read_dictionary(server_id)

    def of(self, report: Report) -> dict[int, dict[str, Any]]:
        """By pid; of a pid that waits for a lock that, which others of it may not."""
        found: dict[int, dict[str, Any]] = {}
        for part in hours_of(Window(start=EpochMs(report.at - AROUND_MS), end=EpochMs(report.at + 1))):
            frame = self._read(part).within(part)
            chosen = np.isin(frame.pid, [one.pid for one in report.parties]) & (frame.code < len(self._dictionary))
            for i in np.flatnonzero(chosen).tolist():
                code = int(frame.code[i])
                label = self._dictionary.combinations[code]
                if self._dictionary.held_up[code] or int(frame.pid[i]) not in found:
                    found[int(frame.pid[i])] = _fields(label, frame, i)
        return found

    def _read(self, part: Window) -> SessionFrame:
        hour = part.start - part.start % MS_PER_HOUR
        if self._hour is None or self._hour[0] != hour:
            whole = Window(start=EpochMs(hour), end=EpochMs(hour + MS_PER_HOUR))
            self._hour = (hour, read_hour(self._server_id, whole))
        return self._hour[1]


def _fields(label: Combination, frame: SessionFrame, i: int) -> dict[str, Any]:
    ages = {
        name: float(age) if (age := getattr(frame, name)[i]) >= 0 else None
        for name in ("transaction_ms", "statement_ms")
    }
    told = ("program", "user", "client", "database", "query_id")
    return {**{name: getattr(label, name) for name in told}, **ages}


def _scans(server_id: int, query_id: int, statement: str) -> bool:
    kept = CapturedPlan.objects.filter(server_id=server_id, query_id=query_id).order_by("-last_ms")
    plans = profile_by_id(server_id).plans
    newest = kept.values_list("written", flat=True)[:3]
    return plans is not None and any(scans_what_it_locks(statement, plan, plans) for plan in newest)


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternSummary:
    """A pattern in a window. `total`, `first` and `last` are over all that is kept. `series` counts by bucket.

    `state`: new (none before the window), seen, handled, came back. `since_change` counts those after it was handled.
    """

    pattern: str
    cause: str
    mends: Sequence[str]
    programs: Sequence[str]
    tables: Sequence[str]
    statements: Sequence[str]
    handled_at: int | None
    handled_by: str
    change: str
    count: int
    total: int
    first: int
    last: int
    waited_ms: float
    lost_ms: float
    series: list[int]
    state: str
    since_change: int | None
    comments: int


def patterns(
    server_id: int, window: Window, cells: Buckets, trail: Sequence[Pick] = (), *, only: DeadlockPattern | None = None
) -> list[PatternSummary]:
    """Patterns with a deadlock in the window, or handled ones without; those that happened most come first. Or `only` one.

    Inside a trail, those of which a deadlock has such a party.
    """
    known = [only] if only else DeadlockPattern.objects.filter(server_id=server_id)
    rows = {row.pk: row for row in known}
    everything = _with_parties(Deadlock.objects.filter(server_id=server_id), trail)
    ever = everything.values("pattern").annotate(n=Count("*"), first=Min("at_ms"), last=Max("at_ms")).order_by()
    overall = {one["pattern"]: one for one in ever}
    here = everything.filter(at_ms__gte=window.start, at_ms__lt=window.end)
    sums = here.values("pattern").annotate(n=Count("*"), waited=Sum("waited_ms"), lost=Sum("lost_ms")).order_by()
    inside = {one["pattern"]: one for one in sums}
    moments: dict[int, list[int]] = {}
    for pattern, at in here.values_list("pattern", "at_ms"):
        moments.setdefault(pattern, []).append(at)
    comments = dict(
        PatternComment.objects.filter(pattern__server_id=server_id)
        .values("pattern")
        .annotate(n=Count("*"))
        .values_list("pattern", "n")
    )
    found = []
    for pk, row in rows.items():
        whole, part = overall.get(pk), inside.get(pk)
        if whole is None or (part is None and row.handled_at_ms is None and only is None):
            continue
        last_example = everything.filter(pattern=pk).order_by("-at_ms").first()
        assert last_example is not None
        series = np.bincount(cells.index_of(np.array(moments.get(pk, []), dtype=np.int64)), minlength=cells.count)
        found.append(
            PatternSummary(
                **_of_example(row, last_example), count=part["n"] if part else 0, total=whole["n"], first=whole["first"],
                last=whole["last"], waited_ms=(part and part["waited"]) or 0.0, lost_ms=(part and part["lost"]) or 0.0,
                series=series[: cells.count].tolist(), state=_state(row, whole["first"], whole["last"], window),
                since_change=_since(row), comments=comments.get(pk, 0),
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: (-one.count, -one.last, one.pattern))


def _with_parties(rows: QuerySet[Deadlock], trail: Sequence[Pick]) -> QuerySet[Deadlock]:
    """Deadlocks with a party inside the trail. As of samples: values of one dimension add up, dimensions narrow each
    other, excluded values always go. What parties do not tell narrows nothing."""
    picks = [pick for pick in trail if pick.dimension in BY_PARTIES]
    for dimension in dict.fromkeys(pick.dimension for pick in picks):
        mine = [pick for pick in picks if pick.dimension is dimension]
        if wanted := [_has_party(pick) for pick in mine if not pick.exclude]:
            rows = rows.filter(reduce(or_, wanted))
        for unwanted in (_has_party(pick) for pick in mine if pick.exclude):
            rows = rows.exclude(unwanted)
    return rows


def _has_party(pick: Pick) -> Q:
    field = "query_id" if pick.dimension is Dimension.STATEMENT else str(pick.dimension)
    return Q(parties__contains=[{field: pick.value}])


def _of_example(row: DeadlockPattern, example: Deadlock) -> dict[str, Any]:
    """What the newest deadlock of a pattern tells of all, and what people noted."""
    parties = example.parties
    return {
        "pattern": row.pattern, "cause": example.cause, "mends": example.mends,
        "programs": list(dict.fromkeys(p["program"] for p in parties if p["program"])),
        "tables": sorted({p["wants"]["table"] for p in parties if p["wants"]["table"]}),
        "statements": list(dict.fromkeys(p["statement"][:200] for p in parties)),
        "handled_at": row.handled_at_ms, "handled_by": row.handled_by, "change": row.change,
    }  # fmt: skip


def _state(row: DeadlockPattern, first: int, last: int, window: Window) -> str:
    if row.handled_at_ms is not None:
        return "came back" if last > row.handled_at_ms else "handled"
    return "new" if first >= window.start else "seen"


def _since(row: DeadlockPattern) -> int | None:
    if row.handled_at_ms is None:
        return None
    return Deadlock.objects.filter(server_id=row.server_id, pattern=row, at_ms__gt=row.handled_at_ms).count()


def pattern(server_id: int, name: str) -> DeadlockPattern:
    """Raises NotFound."""
    found = DeadlockPattern.objects.filter(server_id=server_id, pattern=name).first()
    if found is None or not Deadlock.objects.filter(server_id=server_id, pattern=found).exists():
        raise NotFound("no deadlock of this pattern is known on this server, or all are older than events are kept")
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownDeadlock:
    """One deadlock as its reader may see it. `parties` as in the store: each waits for the next, the first is the victim.

    `waited_ms` is what they waited in all, `lost_ms` the age of the victim's transaction; None where it is not known.
    """

    at: int
    victim: int
    place: int
    cause: str
    confidence: str
    reason: str
    waited_ms: float | None
    lost_ms: float | None
    parties: Sequence[Mapping[str, Any]]
    sentence: str
    raw: str


def of_pattern(row: DeadlockPattern, permit: Permit | None, limit: int = 200) -> list[KnownDeadlock]:
    """Its deadlocks, newest first."""
    names = ("victim", "place", "cause", "confidence", "reason", "waited_ms", "lost_ms")
    return [
        KnownDeadlock(
            at=one.at_ms,
            parties=parties_of(one, permit),
            sentence=_sentence(one.parties),
            raw=shown(one.record, one.record_raw, permit),
            **{name: getattr(one, name) for name in names},
        )
        for one in Deadlock.objects.filter(server_id=row.server_id, pattern=row).order_by("-at_ms")[:limit]
    ]


def _sentence(parties: Sequence[Mapping[str, Any]]) -> str:
    """What happened, with what is known of the parties by now."""
    by_pid = {one["pid"]: one for one in parties}

    def who(one: Mapping[str, Any]) -> str:
        return f"{one['program'] or 'a session'} (pid {one['pid']})"

    steps = [
        f"{who(one)} wanted {one['wants']['words']}, which {who(by_pid[one['waits_for']])} held" for one in parties
    ]
    return f"{'; '.join(steps)}. The server ended the transaction of {who(parties[0])}."


@dataclass(frozen=True, slots=True, kw_only=True)
class Comment:
    """What somebody wrote about a pattern, at a moment in ms since 1970."""

    at: int
    by: str
    text: str


def _comment(row: PatternComment) -> Comment:
    return Comment(at=round(row.written_at.timestamp() * 1000), by=row.written_by, text=row.text)


def comments(row: DeadlockPattern) -> list[Comment]:
    """What was written about it, oldest first."""
    return [_comment(one) for one in PatternComment.objects.filter(pattern=row).order_by("written_at")]


def comment(row: DeadlockPattern, text: str, *, by: AbstractBaseUser | AnonymousUser) -> Comment:
    """Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "comment on a deadlock")
    if not text.strip():
        raise BadInput("a comment has a text", field="text")
    return _comment(PatternComment.objects.create(pattern=row, written_by=user.username, text=text.strip()[:4000]))


def handle(
    row: DeadlockPattern, change: str, since_ms: int, now_ms: int, *, by: AbstractBaseUser | AnonymousUser
) -> DeadlockPattern:
    """Note that something was done about it: from then on it is counted whether it comes back. Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "note a deadlock as handled")
    if not change.strip():
        raise BadInput("say what was changed: the index, the order, the release", field="change")
    if not 0 < since_ms <= now_ms:
        raise BadInput("a change counts from a moment that has been", field="at")
    row.handled_at_ms, row.handled_by, row.change = since_ms, user.username, change.strip()[:200]
    row.save(update_fields=["handled_at_ms", "handled_by", "change"])
    audit.record(by, "deadlock.handled", server=row.server.name, subject=row.pattern, detail=row.change)
    return row


def reopen(row: DeadlockPattern, *, by: AbstractBaseUser | AnonymousUser) -> DeadlockPattern:
    """Take that back. Raises NotAllowed."""
    require(by, Role.OPERATOR, "open a deadlock again")
    row.handled_at_ms, row.handled_by, row.change = None, "", ""
    row.save(update_fields=["handled_at_ms", "handled_by", "change"])
    return row


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention. Patterns that people have written about stay."""
    Deadlock.objects.filter(server_id=server_id, at_ms__lt=before_ms)._raw_delete(using="default")
