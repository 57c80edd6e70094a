"""Keeping plans that people bring, and plans that servers used."""

import hashlib
import logging
import secrets
from collections.abc import Sequence

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.plans.models import BroughtPlan, CapturedPlan
from faena.core.logged import Execution
from faena.core.plans.reader import BadPlan, read_plan
from faena.core.plans.shape import gist, shape

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


def bring(written: str, title: str, *, by: AbstractBaseUser | AnonymousUser) -> BroughtPlan:
    """Keep a plan that can be read; the same text again is the same plan. Raises BadPlan."""
    text = written.replace("\0", "")
    read_plan(text)
    digest = hashlib.sha256(text.encode()).hexdigest()
    plan, _ = BroughtPlan.objects.get_or_create(
        digest=digest,
        defaults={
            "key": secrets.token_urlsafe(16), "written": text, "title": title.strip()[:200], "brought_by_id": by.pk,
        },
    )  # fmt: skip
    return plan
