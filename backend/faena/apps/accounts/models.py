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


class Preference(models.Model):
    """Something a user has chosen to see, under a key of ours."""

    pk = models.CompositePrimaryKey("user_id", "key")
    user = models.ForeignKey(User, on_delete=models.CASCADE, db_index=False)
    key = models.CharField(max_length=60)
    value = models.JSONField()
