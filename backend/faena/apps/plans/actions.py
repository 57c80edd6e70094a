"""Keeping plans that people bring."""

import hashlib
import secrets

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.plans.models import BroughtPlan
from faena.core.plans.reader import read_plan


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
