"""What must not be readable in the store: sealed with keys derived from the installation's secret, which is not in it."""

import base64
import os
from functools import lru_cache

from cryptography.exceptions import InvalidTag
from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings

from faena.config.environment import secret
from faena.core.errors import BadInput


def _key(info: bytes, of: str | None = None) -> bytes:
    """From the secret as its file has it now, so that a collector takes up a new one without being restarted."""
    return _derived(info, of or secret(settings.ENVIRONMENT.secret_file))


@lru_cache(maxsize=8)
def _derived(info: bytes, told: str) -> bytes:
    return HKDF(algorithm=SHA256(), length=32, salt=None, info=info).derive(told.encode())


def _fernet(of: str | None = None) -> Fernet:
    return Fernet(base64.urlsafe_b64encode(_key(b"faena server credentials", of)))


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


_NONCE = 12  # bytes; by chance, for far fewer than 2^32 payloads of one secret


def seal_payload(content: bytes, fresh: str | None = None) -> bytes:
    """For what waits in the store with literals still in it; `fresh` is a secret that is not in use yet."""
    nonce = os.urandom(_NONCE)
    return nonce + AESGCM(_key(b"faena payloads", fresh)).encrypt(nonce, content, None)


def unseal_payload(sealed: bytes | memoryview) -> bytes:
    """Raises BadInput when it was sealed with another secret, or is damaged."""
    whole = bytes(sealed)
    try:
        return AESGCM(_key(b"faena payloads")).decrypt(whole[:_NONCE], whole[_NONCE:], None)
    except (InvalidTag, ValueError) as error:
        raise BadInput(
            "a payload that waits cannot be read with this installation's secret", field="payload"
        ) from error
