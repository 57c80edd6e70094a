"""A client of the API in a role."""

from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role

BACKEND = "django.contrib.auth.backends.ModelBackend"


def signed_in(role: Role, *, may_run: bool = False) -> Client:
    client = Client()
    client.force_login(save_user(str(role), "correct horse", role, may_run=may_run), backend=BACKEND)
    return client
