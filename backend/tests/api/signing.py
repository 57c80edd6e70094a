"""A client of the API in a role."""

from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role

BACKEND = "django.contrib.auth.backends.ModelBackend"


def signed_in(role: Role) -> Client:
    client = Client()
    client.force_login(save_user(str(role), "correct horse", role), backend=BACKEND)
    return client
