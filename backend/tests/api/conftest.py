"""Shared by tests of the API."""

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role


@pytest.fixture
def clients() -> dict[str, Client]:
    """One signed in of each role, by its name."""
    found = {}
    for role in Role:
        found[role.value] = Client()
        user = save_user(role.value, "correct horse", role)
        found[role.value].force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return found
