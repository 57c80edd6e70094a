"""What commands are given of servers and moments, as people write them."""

from argparse import ArgumentParser
from datetime import UTC, datetime

from faena.apps.servers.models import Server
from faena.core.errors import BadInput, NotFound
from faena.core.units import EpochMs


def add_window(parser: ArgumentParser) -> None:
    """Options that name a server and a window of its past."""
    parser.add_argument("--server", required=True, help="what the server is called on screen")
    when = "2026-11-28T09:20, in UTC unless it says otherwise; or ms since 1970"
    parser.add_argument("--from", dest="start", required=True, help=when)
    parser.add_argument("--to", dest="end", required=True, help="as --from")


def server_called(name: str) -> Server:
    """A server by its name. Raises NotFound, which names those there are."""
    server = Server.objects.filter(name=name).first()
    if server is None:
        known = ", ".join(Server.objects.order_by("name").values_list("name", flat=True)) or "none"
        raise NotFound(f"no server is called {name!r}; there are: {known}")
    return server


def moment(text: str, name: str) -> EpochMs:
    """A moment as ISO 8601, in UTC unless it says otherwise, or in ms since 1970. Raises BadInput."""
    if text.isascii() and text.isdigit() and len(text) < 16:
        return EpochMs(int(text))
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise BadInput(
            f"{name} {text!r:.40} is no moment; write 2026-11-28T09:20 or milliseconds since 1970", field=name
        ) from None
    return EpochMs(int((at if at.tzinfo else at.replace(tzinfo=UTC)).timestamp() * 1000))
