"""Where watched servers may lie, and which files may be named for them: as the configuration says, and nowhere else.

Whoever connects servers must not be able to use Faena for looking around in its network: at its own store on loopback,
at services for machines, at files.
"""

import ipaddress
import socket
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings

from faena.core.errors import BadInput

Address = ipaddress.IPv4Address | ipaddress.IPv6Address
LOOPBACK = ("127.0.0.1", "::1", "localhost")


def is_loopback(host: str) -> bool:
    """Of what was entered; a folder is that of a local socket."""
    return host in LOOPBACK or host.startswith("/") or host.startswith("127.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What may be connected to: addresses of these networks, or any where there is none; loopback only where it says so.
    `settings` names the configuration's words for it."""

    loopback: bool
    networks: Sequence[str]
    settings: str


def to_watch() -> Limits:
    """Where watched servers may lie."""
    allowed = settings.ENVIRONMENT
    return Limits(
        loopback=allowed.watch_loopback, networks=allowed.watch_networks,
        settings="FAENA_WATCH_NETWORKS and FAENA_WATCH_LOOPBACK",
    )  # fmt: skip


def to_tell() -> Limits:
    """What alerts may be sent to: mail servers, addresses of webhooks."""
    allowed = settings.ENVIRONMENT
    return Limits(
        loopback=allowed.tell_loopback, networks=allowed.tell_networks,
        settings="FAENA_TELL_NETWORKS and FAENA_TELL_LOOPBACK",
    )  # fmt: skip


def check_host(host: str, limits: Limits | None = None) -> str:
    """The address to connect to, so that a name cannot mean another one a moment later; "" where there is none to check.

    Raises BadInput, in the same words for all that is not allowed.
    """
    limits = limits or to_watch()
    if not host:
        return ""  # a service of the machine's own file, which only its admin writes
    if host.startswith(("/", "@")):
        if not limits.loopback:
            raise _refused(host, limits)
        return ""
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except (socket.gaierror, UnicodeError) as error:
        raise BadInput(f"the host {host!r:.80} is not known by that name", field="host") from error
    addresses = [ipaddress.ip_address(str(one[4][0]).partition("%")[0]) for one in found]
    if not addresses or not all(_may(one, limits) for one in addresses):
        raise _refused(host, limits)
    return str(addresses[0])


def _may(address: Address, limits: Limits) -> bool:
    mapped = getattr(address, "ipv4_mapped", None)
    address = mapped or address
    if address.is_loopback:
        return limits.loopback
    if address.is_link_local or address.is_multicast or address.is_unspecified or address.is_reserved:
        return False
    networks = [ipaddress.ip_network(one) for one in limits.networks]
    return not networks or any(address.version == one.version and address in one for one in networks)


def _refused(host: str, limits: Limits) -> BadInput:
    return BadInput(
        f"{host!r:.80} lies where Faena may not connect to; {limits.settings} say where it may", field="host"
    )


def check_passfile(path: str) -> None:
    """Raises BadInput unless it lies in one of the configured folders, links followed."""
    if not path:
        return
    folders = [Path(one).resolve() for one in settings.ENVIRONMENT.passfile_folders]
    if not any(folder in Path(path).resolve().parents for folder in folders):
        raise BadInput("a password file lies in one of the folders that FAENA_PASSFILE_FOLDERS names", field="passfile")
