"""Shared by all tests."""

import os
from collections.abc import Iterator

import pytest
from hypothesis import HealthCheck, settings

# Deadlines would make a busy machine fail tests; the number of examples bounds the time instead. They are the same ones in
# each run, so that whoever changes something else is not stopped by them; FAENA_EXAMPLES=1000 looks for others.
settings.register_profile("faena", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("same", settings.get_profile("faena"), derandomize=True)
settings.register_profile(
    "others", settings.get_profile("faena"), max_examples=int(os.environ.get("FAENA_EXAMPLES", "60")), print_blob=True
)
settings.load_profile("others" if "FAENA_EXAMPLES" in os.environ else "same")


@pytest.fixture(autouse=True)
def _empty_caches(request: pytest.FixtureRequest) -> Iterator[None]:
    """The store is emptied between tests, so what is cached of it must go too."""
    yield
    if "db" in request.fixturenames or "transactional_db" in request.fixturenames:
        from faena.apps.answers import requests
        from faena.apps.requests import arrivals
        from faena.apps.samples import dictionary, hours, recent, sessions, usual

        for module in (dictionary, hours, recent, sessions, usual, requests, arrivals):
            module.forget_caches()
