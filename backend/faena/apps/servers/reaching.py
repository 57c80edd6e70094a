"""How a saved server is reached: its address looked up anew, its password unsealed at that moment."""

from dataclasses import replace

from faena.apps.servers.models import Server
from faena.apps.servers.reach import check_host, check_passfile
from faena.apps.servers.sealing import unseal
from faena.sources.postgres import Target


def target_of(server: Server, database: str = "") -> Target:
    """A saved server, or another database of it. Raises BadInput."""
    return looked_up(as_saved(server, database))


def looked_up(target: Target) -> Target:
    """With the address of its host as it is now. Raises BadInput for one that the configuration does not allow."""
    check_passfile(target.passfile)
    return replace(target, address=check_host(target.host))


def as_saved(server: Server, database: str = "") -> Target:
    """As it was saved, for what looks the address up at each connecting."""
    return Target(
        host=server.host,
        port=server.port,
        database=database or server.database,
        user=server.username,
        password=unseal(server.password_sealed),
        sslmode=server.sslmode,
        passfile=server.passfile,
        service=server.service,
        log=server.log,
    )
