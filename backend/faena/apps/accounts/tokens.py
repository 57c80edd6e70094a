"""Tokens of programs that tell Faena something: made by chance, told once, kept as a digest."""

import hashlib
import re
import secrets

from faena.core.errors import BadInput

_NAME = re.compile(r"[\w .-]{1,80}")


def fresh() -> tuple[str, str]:
    """A token and the digest of it that is kept."""
    token = secrets.token_urlsafe(32)
    return token, digest_of(token)


def digest_of(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def check_name(name: str) -> None:
    """Refuse a name that no holder of a token may have. Raises BadInput."""
    if not _NAME.fullmatch(name):
        raise BadInput("a name has 1 to 80 letters, digits, blanks or . - _", field="name")
