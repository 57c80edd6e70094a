"""How Django knows this app."""

from django.apps import AppConfig


class SessionsConfig(AppConfig):
    """Under another label than its folder's name, which Django's own app of sign-in sessions has."""

    name = "faena.apps.sessions"
    label = "watched_sessions"
