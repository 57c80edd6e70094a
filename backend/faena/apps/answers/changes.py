"""Changes of a server with what became of each: whether it is followed, and the verdict so far."""

from collections.abc import Collection
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.models import User
from faena.apps.accounts.policy import may
from faena.apps.accounts.roles import Role
from faena.apps.answers import following
from faena.apps.changes import actions, selectors
from faena.apps.changes.actions import Told
from faena.apps.changes.models import ChangeToken, Looked
from faena.apps.changes.selectors import Kept
from faena.apps.locks import deadlocks
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.verdicts import actions as verdicts
from faena.apps.verdicts.models import Followed
from faena.core.answers.proof.verdicts import Verdict
from faena.core.changes.kinds import ChangeKind
from faena.core.series.window import Window


@dataclass(frozen=True, slots=True, kw_only=True)
class FollowedVerdict:
    """The verdict so far of something that is followed; moments in ms since 1970."""

    id: int
    verdict: str
    label: str
    sentence: str
    told_at: int | None
    until: int
    settled: bool


def verdict_of(row: Followed | None) -> FollowedVerdict | None:
    """None where it is not followed."""
    if row is None:
        return None
    return FollowedVerdict(
        id=row.pk, verdict=row.verdict, label=Verdict(row.verdict).label,
        sentence=row.sentence or "Too early to tell: it is compared once a minute has passed.",
        told_at=row.told_at_ms, until=row.after_end_ms, settled=row.settled,
    )  # fmt: skip


def pattern_verdict(server_id: int, name: str) -> FollowedVerdict | None:
    """Whether the deadlocks of a pattern stay away since it was handled; None where nobody handled it. Raises NotFound."""
    row = deadlocks.pattern(server_id, name)
    return verdict_of(verdicts.of(server_id, verdicts.PATTERN, [row.pk]).get(row.pk))


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeWithVerdict:
    """`mine`: who asks may remove it."""

    change: Kept
    verdict: FollowedVerdict | None
    mine: bool


def changes_of(
    server_id: int,
    window: Window,
    *,
    kinds: Collection[ChangeKind],
    words: str,
    limit: int,
    by: AbstractBaseUser | AnonymousUser,
) -> tuple[list[ChangeWithVerdict], int | None]:
    """The newest first, and when the catalogue was last compared. Raises NotFound."""
    servers.server(server_id)
    rows = selectors.changes(server_id, window, kinds=kinds, words=words, limit=limit)
    looked = Looked.objects.filter(server_id=server_id).values_list("at_ms", flat=True).first()
    return _with_verdicts(server_id, rows, by), looked or None


def _with_verdicts(server_id: int, rows: list[Kept], by: AbstractBaseUser | AnonymousUser) -> list[ChangeWithVerdict]:
    followed = verdicts.of(server_id, verdicts.CHANGE, [one.id for one in rows])
    return [
        ChangeWithVerdict(change=one, verdict=verdict_of(followed.get(one.id)), mine=_removable(one, by))
        for one in rows
    ]


def _removable(one: Kept, by: AbstractBaseUser | AnonymousUser) -> bool:
    if one.origin == actions.FOUND or not may(by, Role.OPERATOR):
        return False
    return may(by, Role.ADMIN) or (isinstance(by, User) and one.by == by.username)


def note(server: Server, told: Told, now_ms: int, *, by: AbstractBaseUser | AnonymousUser) -> ChangeWithVerdict:
    """Noted by hand, and followed from its moment on. Raises NotAllowed, BadInput."""
    made = actions.tell(server, told, now_ms, by=by)
    following.follow_change(server, made)
    return _with_verdicts(server.pk, [selectors.change(server.pk, made.pk)], by)[0]


def tell(token: ChangeToken, server: Server | None, told: Told, now_ms: int) -> list[int]:
    """Told by a pipeline, and followed. Raises BadInput, NotFound."""
    made = actions.tell_by_token(token, server, told, now_ms)
    for one in made:
        following.follow_change(one.server, one)
    return [one.pk for one in made]
