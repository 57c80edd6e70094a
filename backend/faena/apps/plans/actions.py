"""Keeping plans that people bring, and plans that servers used."""

import hashlib
import logging
import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts.models import Role
from faena.apps.accounts.policy import may, require
from faena.apps.plans.models import BroughtPlan, CapturedPlan
from faena.apps.servers.actions import target_of
from faena.apps.servers.models import Server, ServerNote
from faena.core.errors import BadInput
from faena.core.logged import Execution
from faena.core.plans.reader import BadPlan, read_plan
from faena.core.plans.shape import gist, shape
from faena.sources.logs.discreet import without_literals
from faena.sources.postgres.explain import estimate, measure

log = logging.getLogger(__name__)


def capture(server_id: int, executions: Sequence[Execution]) -> dict[int, int]:
    """Keep the plans of executions; returns the shape of each by the index of its execution."""
    return {i: found for i, found in enumerate(capture_many(server_id, executions)) if found is not None}


def capture_many(server_id: int, executions: Sequence[Execution]) -> list[int | None]:
    """As `capture`, as a list with None for executions without a plan. Each shape is written once.

    A plan that cannot be read, because the log was cut off in it or it is of another tool, is passed over.
    """
    read: dict[str, tuple[int, str] | None] = {}
    shapes: list[int | None] = []
    kept: dict[tuple[int | None, int], CapturedPlan] = {}
    for one in executions:
        if one.plan not in read:
            read[one.plan] = _read(server_id, one.plan)
        known = read[one.plan]
        shapes.append(None if known is None else known[0])
        if known is None:
            continue
        fresh = CapturedPlan(
            server_id=server_id, query_id=one.query_id, shape=known[0], first_ms=one.started, last_ms=one.ended,
            took_ms=one.took_ms, written=one.plan.replace("\0", ""), gist=known[1],
        )  # fmt: skip
        same = kept.get((one.query_id, known[0]))
        kept[one.query_id, known[0]] = fresh if same is None else _joined(same, fresh)
    for plan in kept.values():
        keep(plan)
    return shapes


def _read(server_id: int, written: str) -> tuple[int, str] | None:
    if not written:
        return None
    try:
        plan = read_plan(written)
    except BadPlan as error:
        log.info("a plan of server %d was passed over: %s", server_id, error)
        return None
    return shape(plan), gist(plan)


def _joined(one: CapturedPlan, other: CapturedPlan) -> CapturedPlan:
    """`one` with what `other` adds."""
    one.first_ms, one.last_ms = min(one.first_ms, other.first_ms), max(one.last_ms, other.last_ms)
    one.asked = one.asked and other.asked
    if other.took_ms >= one.took_ms:
        one.took_ms, one.written, one.gist = other.took_ms, other.written, other.gist
    return one


def keep(plan: CapturedPlan) -> CapturedPlan:
    """One row per server, statement and shape; the span it was seen in grows, and its slowest writing is kept."""
    same = CapturedPlan.objects.filter(server_id=plan.server_id, query_id=plan.query_id, shape=plan.shape)
    with transaction.atomic():
        known = same.select_for_update().first()
        row = plan if known is None else _joined(known, plan)
        if known is None:
            row, _ = CapturedPlan.objects.update_or_create(
                server_id=plan.server_id,
                query_id=plan.query_id,
                shape=plan.shape,
                defaults={name: getattr(plan, name) for name in _GROWING},
            )
        else:
            row.save(update_fields=_GROWING)
    return row


_GROWING = ("first_ms", "last_ms", "took_ms", "written", "gist", "asked")


def bring(
    written: str, title: str, *, by: AbstractBaseUser | AnonymousUser, server_id: int | None = None,
    query_id: int | None = None,
) -> BroughtPlan:  # fmt: skip
    """Keep a plan that can be read; the same text again is the same plan. Raises BadPlan."""
    text = written.replace("\0", "")
    read_plan(text)
    digest = hashlib.sha256(f"{server_id} {query_id} {text}".encode()).hexdigest()
    plan, _ = BroughtPlan.objects.get_or_create(
        digest=digest,
        defaults={
            "key": secrets.token_urlsafe(16), "written": text, "title": title.strip()[:200], "brought_by_id": by.pk,
            "server_id": server_id, "query_id": query_id,
        },
    )  # fmt: skip
    return plan


def open_captured(plan: CapturedPlan, title: str, *, by: AbstractBaseUser | AnonymousUser) -> BroughtPlan:
    """A plan that a server used, under a link of its own; without literals for who may not see parameters."""
    written = plan.written if may(by, Role.OPERATOR) else without_literals(plan.written)
    return bring(written, title, by=by, server_id=plan.server_id, query_id=plan.query_id)


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What a watched server is asked. `values` None: for no values in particular; `run`: measured, and rolled back.

    `database` empty: the one that Faena connects to.
    """

    statement: str
    database: str = ""
    values: Sequence[str | None] | None = None
    run: bool = False
    confirmed: bool = False


def ask(
    server: Server, query_id: int | None, question: Question, now_ms: int, *, by: AbstractBaseUser | AnonymousUser
) -> BroughtPlan:
    """Ask the server for a plan and keep it. Running a statement takes an operator's explicit yes and is noted.

    Raises NotAllowed, BadInput, SourceError.
    """
    if server.engine != Server.Engine.POSTGRESQL:
        raise BadInput("only a real server can be asked for a plan; this one is made up or imported", field="server")
    require(by, Role.OPERATOR, "run a statement on a watched server" if question.run else "ask a server for a plan")
    if question.run and not question.confirmed:
        raise BadInput("running a statement to measure it wants an explicit yes; it is rolled back", field="confirmed")
    if question.run:
        ServerNote.objects.bulk_create(
            [
                ServerNote(
                    server=server, at_ms=now_ms, event="statement_run",
                    detail=f"{by} ran a statement to measure its plan, rolled back: {question.statement[:300]}",
                )
            ],
            ignore_conflicts=True,
        )  # fmt: skip
    answer = measure if question.run else estimate
    written = answer(target_of(server, question.database), question.statement, question.values)
    plan = read_plan(written)
    keep(
        CapturedPlan(
            server_id=server.id, query_id=query_id, shape=shape(plan), first_ms=now_ms, last_ms=now_ms,
            took_ms=plan.execution_ms or 0.0, written=written, gist=gist(plan), asked=True,
        )
    )  # fmt: skip
    kind = (
        "measured" if question.run else "estimate" + (" for no values in particular" if question.values is None else "")
    )
    return bring(written, f"{server.name}: {kind}", by=by, server_id=server.id, query_id=query_id)
