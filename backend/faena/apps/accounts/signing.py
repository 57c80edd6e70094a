"""What a sign-in leaves behind, however it came about."""

import time

from django.http import HttpRequest

from faena.apps.accounts import audit
from faena.apps.accounts.models import User


def begin_session(request: HttpRequest, user: User, *, by: str = "") -> None:
    """The session is in use from now on, and the record says who began it, and by what."""
    request.session["seen"] = int(time.time())
    audit.record(user, "sign_in", subject=user.get_username(), detail=by)
