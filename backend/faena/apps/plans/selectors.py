"""Reading plans that people brought."""

from datetime import timedelta

from django.utils import timezone

from faena.apps.plans.models import BroughtPlan
from faena.core.errors import NotFound

KEPT = timedelta(days=90)


def brought(key: str) -> BroughtPlan:
    """Raises NotFound."""
    found = BroughtPlan.objects.filter(key=key).first()
    if found is None:
        raise NotFound("there is no plan under this link; plans are kept for 90 days")
    return found


def recent(user_id: int, limit: int = 20) -> list[BroughtPlan]:
    """The newest that a user brought."""
    return list(BroughtPlan.objects.filter(brought_by_id=user_id).defer("written").order_by("-brought_at")[:limit])


def forget_old() -> int:
    """Retention; returns how many went."""
    gone, _ = BroughtPlan.objects.filter(brought_at__lt=timezone.now() - KEPT).delete()
    return gone
