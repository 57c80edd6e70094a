"""What is followed: which question a change, a lead or a pattern asks, and when its verdict stands."""

from dataclasses import replace

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import Min

from faena.apps.answers.proof import DEADLOCK, LONGEST_MS, PATTERN, compare_windows, server_changes
from faena.apps.changes import selectors as changes
from faena.apps.changes.models import Change
from faena.apps.changes.selectors import Kept
from faena.apps.leads.models import KnownLead
from faena.apps.locks import deadlocks
from faena.apps.locks.models import Deadlock, DeadlockPattern
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.apps.statements import selectors as statements
from faena.apps.verdicts import actions
from faena.apps.verdicts.models import Followed
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.proof.sides import Aim, Question
from faena.core.answers.proof.verdicts import Verdict
from faena.core.changes.kinds import ChangeKind
from faena.core.errors import BadWindow
from faena.core.series.window import Window
from faena.core.sql.texts import fingerprint
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId
from faena.core.waits.kinds import WaitKind

BEFORE_MS = MS_PER_HOUR // 2  # compared with so much before it, unless something else says how much
LEAST_MOMENTS, LEAST_READINGS = 20, 6  # of a lead's trouble; where it was shorter, of the time just before it, too
LEAST_AFTER_MS = 45_000  # before that nothing is asked
LEAST_BEFORE_MS = 60_000  # what is shorter is no time to hold anything against
FIRM_MS = 5 * 60_000  # a verdict that holds for so long stands
SAME_AFTER_MS = MS_PER_HOUR // 2  # "no real difference" is said for good after so long
DEADLINE_MS = 24 * MS_PER_HOUR  # what cannot be told by then will not be told by waiting
OFTEN_MS, SELDOM_MS = 30_000, 600_000  # how often it is judged in its first hour, and after it
MOST_AT_ONCE = 20
# Changes that are followed by themselves. What comes and goes, and restarts, is told and not judged.
FOLLOWED = (
    ChangeKind.INDEX_MADE, ChangeKind.INDEX_DROPPED, ChangeKind.TABLE_ALTERED, ChangeKind.SETTING,
    ChangeKind.ROLE_SETTING, ChangeKind.PLAN_SWITCH, ChangeKind.VERSION, ChangeKind.CORES, ChangeKind.DEPLOY,
    ChangeKind.NOTE,
)  # fmt: skip
_WAITS_FOR_LOCKS = (
    LeadKind.IDLE_TRANSACTION, LeadKind.LOCK_CHAIN, LeadKind.HOT_ROW, LeadKind.ADVISORY_LOCK, LeadKind.MAINTENANCE,
)  # fmt: skip
_BY_KIND = {
    LeadKind.SLOW_CLIENT: WaitKind.CLIENT, LeadKind.COMMIT_RATE: WaitKind.COMMIT,
    LeadKind.INTERNAL_CONTENTION: WaitKind.ENGINE, LeadKind.DISK_SATURATION: WaitKind.DATA_IO,
    LeadKind.NEIGHBOUR: WaitKind.DATA_IO,
}  # fmt: skip


def question_of_change(server: Server, change: Kept) -> Question:
    """What would be different if it had an effect: the statements that it touches, or all work."""
    if change.query_id is not None:
        return Question(statements=[QueryId(change.query_id)], about="calls of this statement")
    if change.table:
        touching = statements.naming(server.pk, change.table)
        if touching:
            return Question(statements=touching, about=f"statements on {change.table}")
    return Question(about="the same calls")


def _of_the_same(one: Kept, other: Kept) -> bool:
    """Whether two changes are of one table, one statement or one setting; a deploy or a note is of nothing."""
    if one.id == other.id or (one.query_id, one.table, one.object) == (None, "", ""):
        return False
    return (one.query_id, one.table or one.object) == (other.query_id, other.table or other.object)


def question_of_lead(server: Server, lead: KnownLead) -> Question:
    """What it made slow: sessions that waited, a statement, statements on a table, or all work."""
    kind, root = LeadKind(lead.kind), lead.root
    if kind in _WAITS_FOR_LOCKS:
        return Question(aim=Aim.LOAD, key=WaitKind.LOCK.value, about="sessions that wait for locks")
    if kind is LeadKind.DEADLOCK_PATTERN:
        return Question(aim=Aim.HAPPENING, key=DEADLOCK, about="deadlocks")
    if kind in _BY_KIND:
        waits = _BY_KIND[kind]
        return Question(aim=Aim.LOAD, key=waits.value, about=f"sessions: {waits.label}")
    if root.get("statement"):
        same = _known_as(server.pk, str(root["statement"]))
        if same:
            return Question(statements=same, about="calls of this statement")
    if root.get("table"):
        return Question(statements=statements.naming(server.pk, root["table"]), about=f"statements on {root['table']}")
    return Question(about="the same calls")


def _known_as(server_id: int, text: str) -> list[QueryId]:
    """Numbers under which the server counts a statement of this text."""
    wanted = fingerprint(text)
    found = statements.containing(server_id, text[:40], at_most=200)
    return [QueryId(query_id) for query_id, one in found.items() if fingerprint(one.text) == wanted]


def follow_change(server: Server, change: Change | Kept) -> Followed:
    """From its moment on, against the half hour before it, or what of it came after the last change of the same thing: an
    index that was dropped and made again is held against the time without it."""
    kept = change if isinstance(change, Kept) else changes.change(server.pk, change.pk)
    before = Window(start=EpochMs(kept.since - BEFORE_MS), end=EpochMs(kept.since))
    same = [one.at for one in changes.changes(server.pk, before, kinds=FOLLOWED) if _of_the_same(one, kept)]
    last = max((at for at in same if at <= kept.since - LEAST_BEFORE_MS), default=before.start)
    before = replace(before, start=EpochMs(max(last, before.start)))
    return actions.follow(server, actions.CHANGE, kept.id, kept.at, before, question_of_change(server, kept))


def follow_lead(server: Server, lead: KnownLead, now_ms: int) -> Followed:
    """From now on, against the time that it went on without a break before, half an hour of it at most: what was quiet
    between two times of trouble would hide what the second one did."""
    end = min(lead.last_ms, now_ms)
    question = question_of_lead(server, lead)
    least = {Aim.LOAD: LEAST_MOMENTS * server.period_ms, Aim.WORK: LEAST_READINGS * server.counters_every_ms}
    # Happenings are counted: there the quiet between them belongs to how often they come.
    begun = lead.first_ms if question.aim is Aim.HAPPENING else lead.unbroken_ms or lead.first_ms
    start = max(min(begun, end - least.get(question.aim, 1)), end - BEFORE_MS)
    before = Window(start=EpochMs(start), end=EpochMs(end))
    return actions.follow(server, actions.LEAD, lead.pk, now_ms, before, question)


def handle_pattern(
    row: DeadlockPattern, change: str, since_ms: int, now_ms: int, *, by: AbstractBaseUser | AnonymousUser
) -> DeadlockPattern:
    """Note what was done about deadlocks, and follow whether they stay away: against all that is kept of the time before,
    a week at most. Raises NotAllowed, BadInput."""
    handled = deadlocks.handle(row, change, since_ms, now_ms, by=by)
    first = Deadlock.objects.filter(pattern=row).aggregate(at=Min("at_ms"))["at"] or since_ms
    start = min(max(first, since_ms - LONGEST_MS), since_ms - MS_PER_HOUR)
    question = Question(aim=Aim.HAPPENING, key=f"{PATTERN}:{row.pk}", about="deadlocks of this pattern")
    actions.stop(row.server_id, actions.PATTERN, row.pk)
    before = Window(start=EpochMs(start), end=EpochMs(since_ms))
    actions.follow(row.server, actions.PATTERN, row.pk, since_ms, before, question)
    return handled


def reopen_pattern(row: DeadlockPattern, *, by: AbstractBaseUser | AnonymousUser) -> DeadlockPattern:
    """Take that back. Raises NotAllowed."""
    opened = deadlocks.reopen(row, by=by)
    actions.stop(row.server_id, actions.PATTERN, row.pk)
    return opened


def question_of(row: Followed, *, growing: bool) -> Question:
    """As it was asked when the following began."""
    return Question(
        aim=Aim(row.aim), key=row.key, about=row.about, growing=growing,
        statements=None if row.query_ids is None else [QueryId(one) for one in row.query_ids],
    )  # fmt: skip


def begin_following(server: Server, now_ms: int) -> None:
    """Take up changes of the last hour that are followed by themselves."""
    window = Window(start=EpochMs(now_ms - MS_PER_HOUR), end=EpochMs(now_ms))
    fresh = changes.changes(server.pk, window, kinds=FOLLOWED, limit=MOST_AT_ONCE)
    known = actions.of(server.pk, actions.CHANGE, [one.id for one in fresh])
    for one in fresh:
        if one.id not in known:
            follow_change(server, one)


def judge_followed(server: Server, now_ms: int) -> None:
    """Each that is due, by the data up to the newest sample."""
    begin_following(server, now_ms)
    newest = holdings.read(server.pk).newest_ms
    for row in actions.still_followed(server.pk)[:MOST_AT_ONCE]:
        every = OFTEN_MS if now_ms - row.at_ms < MS_PER_HOUR else SELDOM_MS
        if now_ms - row.judged_ms >= every and newest - row.at_ms >= LEAST_AFTER_MS:
            judge(server, row, newest, now_ms)


def judge(server: Server, row: Followed, newest_ms: int, now_ms: int) -> None:
    """Compare what came since with what was before, and settle it when its verdict stands."""
    end = min(newest_ms, row.at_ms + DEADLINE_MS)
    before = Window(start=EpochMs(row.before_start_ms), end=EpochMs(row.before_end_ms))
    after = Window(start=EpochMs(row.at_ms), end=EpochMs(end))
    over = end - row.at_ms >= DEADLINE_MS
    question = question_of(row, growing=not over)
    own = row.subject_id if row.subject == actions.CHANGE else None
    question = replace(question, server_changed=server_changes(server.pk, before, after, own))
    earlier = Verdict(row.verdict)
    try:
        found = compare_windows(server, before, after, question, now_ms)
    except BadWindow:
        actions.stop(server.pk, row.subject, row.subject_id)
        return
    lasted = end - row.at_ms
    stands = found.verdict in (Verdict.BETTER, Verdict.WORSE) and earlier is found.verdict and lasted >= FIRM_MS
    stands = stands or (found.verdict is Verdict.SAME and lasted >= SAME_AFTER_MS)
    actions.judged(row, found, after, now_ms, settled=stands or over)
