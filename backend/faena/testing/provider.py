"""A small provider of OpenID Connect on loopback, which vouches at once for whoever its claims name."""

import hashlib
import json
import secrets
import threading
import time
from base64 import urlsafe_b64encode
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey

CLIENT, SECRET = "faena", "a secret between the two"


def new_key() -> RSAKey:
    """A key to sign with."""
    return RSAKey.generate_key(2048, {"use": "sig", "alg": "RS256"}, auto_kid=True)


@dataclass
class Provider:
    """`claims` are of whoever signs in next; `wrong` replaces claims of the token, `key` signs it."""

    issuer: str = ""
    claims: Mapping[str, Any] = field(
        default_factory=lambda: {"sub": "u-1", "preferred_username": "ada", "groups": ["dba"]}
    )
    wrong: Mapping[str, Any] = field(default_factory=dict)
    key: RSAKey = field(default_factory=new_key)
    told: RSAKey = field(init=False)  # the key that everybody may check signatures with
    codes: dict[str, dict[str, str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.told = self.key

    def token(self, asked: Mapping[str, str]) -> str:
        now = int(time.time())
        claims = {"iss": self.issuer, "aud": CLIENT, "iat": now, "exp": now + 300, "nonce": asked["nonce"]}
        return jwt.encode({"alg": "RS256", "kid": self.told.kid}, {**claims, **self.claims, **self.wrong}, self.key)


@contextmanager
def provider() -> Iterator[Provider]:
    """One that answers as long as the block runs."""
    made = Provider()
    server = ThreadingHTTPServer(("127.0.0.1", 0), type("Handler", (_Handler,), {"provider": made}))
    made.issuer = f"http://127.0.0.1:{server.server_address[1]}"
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield made
    finally:
        server.shutdown()
        server.server_close()
        thread.join(5)


class _Handler(BaseHTTPRequestHandler):
    provider: Provider

    def do_GET(self) -> None:
        parts = urlsplit(self.path)
        issuer = self.provider.issuer
        match parts.path:
            case "/.well-known/openid-configuration":
                self._answer({
                    "issuer": issuer, "authorization_endpoint": f"{issuer}/authorize", "token_endpoint": f"{issuer}/token",
                    "jwks_uri": f"{issuer}/keys", "id_token_signing_alg_values_supported": ["RS256"],
                })  # fmt: skip
            case "/keys":
                self._answer({"keys": [self.provider.told.as_dict(private=False)]})
            case "/authorize":
                asked = {name: values[0] for name, values in parse_qs(parts.query).items()}
                code = secrets.token_urlsafe(16)
                self.provider.codes[code] = asked
                self.send_response(302)
                self.send_header(
                    "Location", f"{asked['redirect_uri']}?{urlencode({'code': code, 'state': asked['state']})}"
                )
                self.end_headers()
            case _:
                self._answer({"error": "not_found"}, 404)

    def do_POST(self) -> None:
        sent = parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
        asked = self.provider.codes.pop(sent.get("code", [""])[0], None)  # a code is good once
        verifier = sent.get("code_verifier", [""])[0]
        challenge = urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).decode().rstrip("=")
        if asked is None or asked.get("code_challenge") != challenge:
            self._answer({"error": "invalid_grant"}, 400)
            return
        self._answer({"access_token": "a", "token_type": "Bearer", "id_token": self.provider.token(asked)})

    def _answer(self, told: Mapping[str, Any], status: int = 200) -> None:
        body = json.dumps(told).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        """Nothing: a test says what it saw."""
