"""The roles there are."""

from django.db.models import TextChoices


class Role(TextChoices):
    """Each role may do what the ones before it may."""

    VIEWER = "viewer", "viewer: sees everything but parameters"
    OPERATOR = "operator", "operator: may also act on watched servers"
    ADMIN = "admin", "admin: may also connect servers and manage people"
