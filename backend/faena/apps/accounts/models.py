"""A user with one of three roles."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """Each role may do what the ones before it may."""

    VIEWER = "viewer", "viewer: sees everything but parameters"
    OPERATOR = "operator", "operator: may also act on watched servers"
    ADMIN = "admin", "admin: may also connect servers and manage people"


class User(AbstractUser):
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
