"""Making people known."""

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from faena.apps.accounts.models import Role, User
from faena.core.errors import BadInput


def save_user(username: str, password: str, role: Role) -> User:
    """Make the user or change password and role. Raises BadInput for a weak password."""
    try:
        validate_password(password)
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), field="password") from error
    user, _ = User.objects.get_or_create(username=username)
    user.role = role
    user.is_active = True
    user.set_password(password)
    user.save()
    return user
