"""Reading plans that people brought."""

from datetime import timedelta

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import Q
from django.utils import timezone

from faena.apps.accounts.policy import permit
from faena.apps.plans.models import BroughtPlan, CapturedPlan
from faena.apps.servers.sight import Groups, seen
from faena.core.errors import NotFound
from faena.core.privacy import Permit, shown

KEPT = timedelta(days=90)


def brought(key: str, groups: Groups = None) -> BroughtPlan:
    """Raises NotFound, also for one of a server of another group."""
    rows = BroughtPlan.objects.filter(key=key)
    rows = rows if groups is None else rows.filter(Q(server=None) | Q(server__in=seen(groups)))
    found = rows.first()
    if found is None:
        raise NotFound("there is no plan under this link; plans are kept for 90 days")
    return found


def as_shown(plan: BroughtPlan, user: AbstractBaseUser | AnonymousUser) -> str:
    """The plan as this reader may see it: as it was for operators and for whoever brought it, else without literals."""
    allowed = permit(user)
    if allowed is None and plan.personal and plan.brought_by_id is not None and plan.brought_by_id == user.pk:
        allowed = Permit(holder=str(user))
    return shown(plan.written, plan.raw, allowed)


def recent(user_id: int, limit: int = 20) -> list[BroughtPlan]:
    """The newest that a user brought."""
    return list(
        BroughtPlan.objects.filter(brought_by_id=user_id).defer("written", "raw").order_by("-brought_at")[:limit]
    )


def forget_old() -> int:
    """Retention; returns how many went."""
    gone, _ = BroughtPlan.objects.filter(brought_at__lt=timezone.now() - KEPT).delete()
    return gone


def of_statement(server_id: int, query_id: int) -> list[CapturedPlan]:
    """Plans that a statement is known to have used, newest first, without what they are written as."""
    return list(
        CapturedPlan.objects.filter(server_id=server_id, query_id=query_id).defer("written", "raw").order_by("-last_ms")
    )


def captured(server_id: int, plan_id: int) -> CapturedPlan:
    """Raises NotFound."""
    found = CapturedPlan.objects.filter(server_id=server_id, id=plan_id).first()
    if found is None:
        raise NotFound("there is no such plan of this server, or it is older than executions are kept")
    return found


def forget_captured(server_id: int, before_ms: int) -> None:
    """Retention of plans that servers used."""
    CapturedPlan.objects.filter(server_id=server_id, last_ms__lt=before_ms).delete()


def gists(server_id: int, shapes: set[int]) -> dict[int, str]:
    """Plans in a line, by shape."""
    found = CapturedPlan.objects.filter(server_id=server_id, shape__in=shapes)
    return dict(found.values_list("shape", "gist"))
