"""Reads the configuration: environment variables first, then a file, then defaults for a machine of one's own.

The file is TOML with the same names in lower case and without the prefix: FAENA_STORE_PORT is `store_port`.
"""

import os
import secrets
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from ipaddress import ip_network
from pathlib import Path
from typing import NamedTuple

CHECKOUT = Path(__file__).resolve().parents[3]


class BadConfiguration(Exception):
    """Names the setting at fault and what it should look like."""


ROLES = ("viewer", "operator", "admin")


class Grant(NamedTuple):
    """A role, on all servers or on those of one group."""

    role: str
    group: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenId:
    """A provider of OpenID Connect. `roles` gives the roles of each value of a claim; "*" of anybody who signs in there."""

    issuer: str
    client: str
    secret: str = field(repr=False)
    name: str  # as the sign-in page calls it
    claim: str
    scopes: str
    roles: Mapping[str, Sequence[Grant]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Environment:
    """Where everything is. Paths are absolute."""

    state_dir: Path
    store_host: str
    store_port: int
    store_database: str
    store_user: str
    store_password: str = field(repr=False)
    secret_file: Path
    estate_dir: Path
    listen_host: str
    listen_port: int
    allowed_hosts: tuple[str, ...]
    https: bool
    trusted_proxies: tuple[str, ...]  # addresses and networks whose X-Forwarded-For and -Proto are believed
    watch_loopback: bool
    watch_networks: tuple[str, ...]  # that watched servers may lie in; empty: anywhere but here and link-local
    tell_loopback: bool
    tell_networks: tuple[str, ...]  # that mail servers and webhooks may lie in
    address: str  # of this application, as people reach it: links in mails begin with it
    metrics_token: str = field(repr=False)  # whoever bears it may read /metrics
    metrics_networks: tuple[str, ...]  # from which it may be read without one
    passfile_folders: tuple[str, ...]
    explain_foreign_tables: bool
    json_logs: bool
    access_log: bool
    idle_minutes: int
    api_per_minute: int  # questions by one token
    oidc: OpenId | None
    demo: bool
    debug: bool


def read_environment() -> Environment:
    """Raises BadConfiguration."""
    file = _file_values()

    def value(name: str, default: str) -> str:
        return os.environ.get(f"FAENA_{name}", file.get(name.lower(), default))

    state_dir = Path(value("STATE_DIR", str(CHECKOUT / ".faena"))).resolve()
    return Environment(
        state_dir=state_dir,
        store_host=value("STORE_HOST", "127.0.0.1"),
        store_port=_port(value("STORE_PORT", "24710"), "FAENA_STORE_PORT"),
        store_database=value("STORE_DATABASE", "faena"),
        store_user=value("STORE_USER", "faena"),
        store_password=value("STORE_PASSWORD", ""),
        secret_file=Path(value("SECRET_FILE", str(state_dir / "secret.key"))),
        estate_dir=Path(value("ESTATE_DIR", str(CHECKOUT / "demo"))),
        listen_host=value("LISTEN_HOST", "127.0.0.1"),
        listen_port=_port(value("LISTEN_PORT", "8710"), "FAENA_LISTEN_PORT"),
        allowed_hosts=_list(value("ALLOWED_HOSTS", "127.0.0.1,localhost")),
        https=value("HTTPS", "0") == "1",
        trusted_proxies=_list(value("TRUSTED_PROXIES", "")),
        watch_loopback=value("WATCH_LOOPBACK", "0") == "1",
        watch_networks=_networks(value("WATCH_NETWORKS", ""), "FAENA_WATCH_NETWORKS"),
        tell_loopback=value("TELL_LOOPBACK", "0") == "1",
        tell_networks=_networks(value("TELL_NETWORKS", ""), "FAENA_TELL_NETWORKS"),
        metrics_token=value("METRICS_TOKEN", ""),
        metrics_networks=_networks(value("METRICS_NETWORKS", ""), "FAENA_METRICS_NETWORKS"),
        address=_address(value("ADDRESS", ""), value("LISTEN_HOST", "127.0.0.1"), value("LISTEN_PORT", "8710")),
        passfile_folders=_list(value("PASSFILE_FOLDERS", str(state_dir / "passfiles"))),
        explain_foreign_tables=value("EXPLAIN_FOREIGN_TABLES", "0") == "1",
        json_logs=value("JSON_LOGS", "0") == "1",
        access_log=value("ACCESS_LOG", "1") == "1",
        idle_minutes=_whole(value("IDLE_MINUTES", "480"), "FAENA_IDLE_MINUTES", "minutes", least=5),
        api_per_minute=_whole(value("API_PER_MINUTE", "600"), "FAENA_API_PER_MINUTE", "questions", least=1),
        oidc=_oidc(value),
        demo=value("DEMO", "0") == "1",
        debug=value("DEBUG", "0") == "1",
    )


def _file_values() -> dict[str, str]:
    path = os.environ.get("FAENA_CONFIG")
    if not path:
        return {}
    try:
        with open(path, "rb") as file:
            return {name: str(entry) for name, entry in tomllib.load(file).items()}
    except OSError as error:
        raise BadConfiguration(f"FAENA_CONFIG names {path!r}, which cannot be read: {error.strerror}") from error
    except tomllib.TOMLDecodeError as error:
        raise BadConfiguration(f"{path} is not valid TOML: {error}") from error


def _address(told: str, host: str, port: str) -> str:
    if told and not told.startswith(("https://", "http://")):
        raise BadConfiguration(
            "FAENA_ADDRESS is the address people reach this application at: https://faena.example.org"
        )
    return (told or f"http://{host}:{port}").rstrip("/")


def _list(text: str) -> tuple[str, ...]:
    return tuple(one.strip() for one in text.split(",") if one.strip())


def _networks(text: str, name: str) -> tuple[str, ...]:
    for one in _list(text):
        try:
            ip_network(one)
        except ValueError as error:
            raise BadConfiguration(f"{name} lists networks like 10.0.0.0/8, and {one!r} is none: {error}") from error
    return _list(text)


def _whole(text: str, name: str, what: str, *, least: int) -> int:
    if not text.isascii() or not text.isdigit() or not least <= int(text) <= 100_000:
        raise BadConfiguration(f"{name} must be {what} between {least} and 100000, not {text!r}")
    return int(text)


def _oidc(value: Callable[[str, str], str]) -> OpenId | None:
    """None where no provider is named."""
    issuer = value("OIDC_ISSUER", "").rstrip("/")
    if not issuer:
        return None
    if not issuer.startswith(("https://", "http://127.0.0.1", "http://localhost")):
        raise BadConfiguration("FAENA_OIDC_ISSUER is the https address of a provider: https://login.example.org")
    client, secret_told = value("OIDC_CLIENT_ID", ""), value("OIDC_CLIENT_SECRET", "")
    if not client or not secret_told:
        raise BadConfiguration("FAENA_OIDC_CLIENT_ID and FAENA_OIDC_CLIENT_SECRET belong to FAENA_OIDC_ISSUER")
    roles = dict[str, list[Grant]]()
    for one in _list(value("OIDC_ROLES", "")):
        told, _, granted = one.rpartition("=")
        role, at, group = granted.partition("@")
        if not told or role not in ROLES or bool(at) != bool(group) or (group and role == "admin"):
            raise BadConfiguration(
                f"FAENA_OIDC_ROLES lists values of a claim with a role, as dba=admin or north=operator@north-group, and {one!r} is none"
            )
        roles.setdefault(told, []).append(Grant(role, group))
    if not roles:
        raise BadConfiguration("FAENA_OIDC_ROLES says who may do what, as dba=admin,oncall=operator,*=viewer")
    return OpenId(
        issuer=issuer, client=client, secret=secret_told, name=value("OIDC_NAME", "single sign-on"),
        claim=value("OIDC_ROLE_CLAIM", "groups"), scopes=value("OIDC_SCOPES", "openid profile email"), roles=roles,
    )  # fmt: skip


def _port(text: str, name: str) -> int:
    if not text.isascii() or not text.isdigit() or not 0 < int(text) < 65536:
        raise BadConfiguration(f"{name} must be a port between 1 and 65535, not {text!r}")
    return int(text)


def secret(path: Path) -> str:
    """The installation's secret: signs sessions, and seals credentials of watched servers. Made at first use.

    It lives in a file and never in the store, so that a copy of the store alone gives no password away.
    """
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as file:
            file.write(secrets.token_urlsafe(48))
    return path.read_text().strip()
