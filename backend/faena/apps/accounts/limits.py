"""How often a sign-in may fail: axes counts a name from one address; here count all names of one, and all addresses of a name."""

from datetime import timedelta

from django.utils import timezone

from faena.apps.accounts.asked import address_of_request
from faena.apps.accounts.models import AuditEntry

WITHIN = timedelta(minutes=15)
PER_ADDRESS = 30
PER_NAME = (
    100  # from anywhere: far above what a person mistypes, so that locking somebody out takes an effort that is seen
)


def too_many(username: str) -> bool:
    """Whether this address, or this name, failed too often of late."""
    failed = AuditEntry.objects.filter(act="sign_in.failed", at__gte=timezone.now() - WITHIN)
    address = address_of_request.get()
    if address and failed.filter(address=address).count() >= PER_ADDRESS:
        return True
    return failed.filter(subject=username[:200]).count() >= PER_NAME
