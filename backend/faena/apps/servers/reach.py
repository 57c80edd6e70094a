"""Where watched servers may lie, and which files may be named for them: as the configuration says, and nowhere else.

Whoever connects servers must not be able to use Faena for looking around in its network: at its own store on loopback,
at services for machines, at files.
"""

import ipaddress
import socket
from pathlib import Path

from django.conf import settings

from faena.core.errors import BadInput

Address = ipaddress.IPv4Address | ipaddress.IPv6Address
LOOPBACK = ("127.0.0.1", "::1", "localhost")


def is_loopback(host: str) -> bool:
    """Of what was entered; a folder is that of a local socket."""
    return host in LOOPBACK or host.startswith("/") or host.startswith("127.")


def check_host(host: str) -> str:
    """The address to connect to, so that a name cannot mean another one a moment later; "" where there is none to check.

    Raises BadInput, in the same words for all that is not allowed.
    """
    allowed = settings.ENVIRONMENT
    if not host:
        return ""  # a service of the machine's own file, which only its admin writes
    if host.startswith(("/", "@")):
        if not allowed.watch_loopback:
            raise _refused(host)
        return ""
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except (socket.gaierror, UnicodeError) as error:
        raise BadInput(f"the host {host!r:.80} is not known by that name", field="host") from error
    addresses = [ipaddress.ip_address(str(one[4][0]).partition("%")[0]) for one in found]
    if not addresses or not all(_may(one) for one in addresses):
        raise _refused(host)
    return str(addresses[0])


def _may(address: Address) -> bool:
    allowed = settings.ENVIRONMENT
    mapped = getattr(address, "ipv4_mapped", None)
    address = mapped or address
    if address.is_loopback:
        return bool(allowed.watch_loopback)
    if address.is_link_local or address.is_multicast or address.is_unspecified or address.is_reserved:
        return False
    networks = [ipaddress.ip_network(one) for one in allowed.watch_networks]
    return not networks or any(address.version == one.version and address in one for one in networks)


def _refused(host: str) -> BadInput:
    return BadInput(
        f"{host!r:.80} lies where Faena may not connect to; FAENA_WATCH_NETWORKS and FAENA_WATCH_LOOPBACK say where it may",
        field="host",
    )


def check_passfile(path: str) -> None:
    """Raises BadInput unless it lies in one of the configured folders, links followed."""
    if not path:
        return
    folders = [Path(one).resolve() for one in settings.ENVIRONMENT.passfile_folders]
    if not any(folder in Path(path).resolve().parents for folder in folders):
        raise BadInput("a password file lies in one of the folders that FAENA_PASSFILE_FOLDERS names", field="passfile")
