"""Keeping plans that people bring, and plans that servers used."""

import hashlib
import logging
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require, require_grant_to_run
from faena.apps.accounts.roles import Role
from faena.apps.plans.models import BroughtPlan, CapturedPlan
from faena.apps.servers import engines
from faena.apps.servers.asking import asking
from faena.apps.servers.models import Server
from faena.core.engines.profile import Capability, Plans
from faena.core.errors import BadInput
from faena.core.logged import Execution
from faena.core.plans.model import BadPlan
from faena.core.plans.shape import gist, shape
from faena.core.privacy import Normalised, Raw
from faena.core.sql.texts import normalise, storable
from faena.sources.logs.plans import plans_in

log = logging.getLogger(__name__)


def capture(server_id: int, executions: Sequence[Execution]) -> dict[int, int]:
    """Keep the plans of executions; returns the shape of each by the index of its execution."""
    return {i: found for i, found in enumerate(capture_many(server_id, executions)) if found is not None}


def capture_many(server_id: int, executions: Sequence[Execution]) -> list[int | None]:
    """As `capture`, as a list with None for executions without a plan. Each shape is written once.

    A plan that cannot be read, because the log was cut off in it or it is of another tool, is passed over.
    """
    if not any(one.plan for one in executions):
        return [None] * len(executions)
    plans = engines.profile_by_id(server_id).plans
    read: dict[str, _Read | None] = {}
    shapes: list[int | None] = []
    kept: dict[tuple[int | None, int], CapturedPlan] = {}
    for one in executions:
        if one.plan not in read:
            read[one.plan] = _read(server_id, plans, one.plan)
        known = read[one.plan]
        shapes.append(None if known is None else known.shape)
        if known is None:
            continue
        fresh = CapturedPlan(
            server_id=server_id, query_id=one.query_id, shape=known.shape, first_ms=one.started, last_ms=one.ended,
            took_ms=one.took_ms, written=known.written, raw=known.raw, gist=known.gist,
        )  # fmt: skip
        same = kept.get((one.query_id, known.shape))
        kept[one.query_id, known.shape] = fresh if same is None else _joined(same, fresh)
    for plan in kept.values():
        keep(plan)
    return shapes


class _Read(NamedTuple):
    """A plan that could be read. `raw` None where it came without literals."""

    shape: int
    gist: str
    written: Normalised
    raw: Raw | None


def _read(server_id: int, plans: Plans | None, told: str) -> _Read | None:
    if not told or plans is None:
        return None
    try:
        plan = plans.read(told)
    except BadPlan:  # its words are not for a log: they cite the plan
        log.info("a plan of server %d that cannot be read was passed over", server_id)
        return None
    written = plans.bare(plan)
    return _Read(shape(plan), gist(plan), written, None if told == written else Raw(told))


def _joined(one: CapturedPlan, other: CapturedPlan) -> CapturedPlan:
    """`one` with what `other` adds."""
    one.first_ms, one.last_ms = min(one.first_ms, other.first_ms), max(one.last_ms, other.last_ms)
    one.asked = one.asked and other.asked
    if other.took_ms >= one.took_ms:
        one.took_ms, one.written, one.raw, one.gist = other.took_ms, other.written, other.raw, other.gist
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


_GROWING = ("first_ms", "last_ms", "took_ms", "written", "raw", "gist", "asked")


def bring(text: str, title: str, *, by: AbstractBaseUser | AnonymousUser) -> BroughtPlan:
    """Keep a plan that can be read; the same text again by the same person is the same plan. Raises BadPlan.

    As it was brought it is for that person and for operators; all others who have the link see it without literals.
    """
    text = storable(text)
    text = next(iter(plans_in(text)), text)  # an entry of a log, with its prefix
    plans = engines.plans_of(None)
    written = plans.bare(plans.read(text))
    return _under_a_link(_digest("brought", by.pk, text), written, Raw(text), title, by=by)


def open_captured(plan: CapturedPlan, title: str, *, by: AbstractBaseUser | AnonymousUser) -> BroughtPlan:
    """A plan that a server used, under a link of its own; with literals for operators, where they are kept."""
    digest = _digest("captured", plan.server_id, plan.query_id, plan.shape, plan.raw, plan.written)
    return _under_a_link(
        digest, plan.written, plan.raw, title, by=by, of=(plan.server_id, plan.query_id), personal=False
    )


def _digest(*parts: object) -> str:
    told = "\0".join(one.sealed() if isinstance(one, Raw) else str(one) for one in parts)
    return hashlib.sha256(told.encode()).hexdigest()


def _under_a_link(
    digest: str, written: Normalised, raw: Raw | None, title: str, *, by: AbstractBaseUser | AnonymousUser,
    of: tuple[int | None, int | None] = (None, None), personal: bool = True,
) -> BroughtPlan:  # fmt: skip
    server_id, query_id = of
    plan, _ = BroughtPlan.objects.get_or_create(
        digest=digest,
        defaults={
            "key": secrets.token_urlsafe(16), "written": written, "raw": raw, "title": storable(title).strip()[:200],
            "brought_by_id": by.pk, "server_id": server_id, "query_id": query_id, "personal": personal,
        },
    )  # fmt: skip
    return plan


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
    """Ask the server for a plan and keep it. Running a statement takes a grant and an explicit yes. Both are recorded.

    Raises NotAllowed, BadInput, SourceError.
    """
    engines.require(server, Capability.EXPLAIN)
    if question.run:
        require_grant_to_run(by)
    else:
        require(by, Role.OPERATOR, "ask a server for a plan")
    if question.run and not question.confirmed:
        raise BadInput("running a statement to measure it wants an explicit yes", field="confirmed")
    asked, plans = engines.inquiry_of(server, Capability.EXPLAIN, question.database), engines.plans_of(server)
    audit.record(
        by, "plan.measured" if question.run else "plan.asked", server=server.name,
        subject=f"statement {query_id}" if query_id is not None else "a statement of one's own",
        detail=f"in {question.database or server.database}: {normalise(question.statement)}",
    )  # fmt: skip
    with asking(server, by, "ask a server for a plan"):
        told = asked.explain(
            question.statement, question.values, run=question.run, foreign=settings.ENVIRONMENT.explain_foreign_tables
        )
    plan = plans.read(told)
    written = plans.bare(plan)
    keep(
        CapturedPlan(
            server_id=server.id, query_id=query_id, shape=shape(plan), first_ms=now_ms, last_ms=now_ms,
            took_ms=plan.execution_ms or 0.0, written=written, gist=gist(plan), asked=True,
        )
    )  # fmt: skip
    kind = (
        "measured" if question.run else "estimate" + (" for no values in particular" if question.values is None else "")
    )
    digest = _digest("asked", server.id, query_id, told)
    return _under_a_link(
        digest, written, Raw(told), f"{server.name}: {kind}", by=by, of=(server.id, query_id), personal=False
    )
