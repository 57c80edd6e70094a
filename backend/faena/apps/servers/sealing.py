"""Credentials at rest: sealed with a key that is derived from the installation's secret, which is not in the store."""

import base64

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings

from faena.config.environment import secret
from faena.core.errors import BadInput


def _fernet(of: str | None = None) -> Fernet:
    """With the secret as its file has it now, so that a collector takes up a new one without being restarted."""
    told = of or secret(settings.ENVIRONMENT.secret_file)
    key = HKDF(algorithm=SHA256(), length=32, salt=None, info=b"faena server credentials").derive(told.encode())
    return Fernet(base64.urlsafe_b64encode(key))


def seal(password: str) -> bytes:
    return _fernet().encrypt(password.encode()) if password else b""


def seal_with(fresh: str, password: str) -> bytes:
    """With a secret that is not in use yet."""
    return _fernet(fresh).encrypt(password.encode()) if password else b""


def unseal(sealed: bytes | memoryview) -> str:
    """Raises BadInput when the installation's secret is not the one it was sealed with."""
    if not sealed:
        return ""
    try:
        return _fernet().decrypt(bytes(sealed)).decode()
    except InvalidToken as error:
        raise BadInput(
            "the stored password cannot be read with this installation's secret; enter it again", field="password"
        ) from error
