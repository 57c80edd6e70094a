"""The clock by which a server's days, hours and weekends are counted."""

from dataclasses import dataclass
from functools import lru_cache

from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.core.series.calendar import IN_UTC, Calendar
from faena.sources.logs.entries import zone_named


@dataclass(frozen=True, slots=True)
class Clock:
    """A calendar and the name of its time zone. `why` says whose it is."""

    name: str
    calendar: Calendar
    why: str


@lru_cache(maxsize=500)
def calendar_named(name: str) -> Calendar | None:
    """None where no such time zone is known."""
    zone = zone_named(name)
    return None if zone is None else Calendar(zone)


def clock_of(server: Server) -> Clock:
    """The time zone chosen for the server, else that of its log, else UTC."""
    told = (server.facts.get("settings") or {}).get("log_timezone", "")
    for name, why in ((server.time_zone, "chosen for this server"), (told, "the server's log_timezone")):
        if name and (calendar := calendar_named(name)):
            return Clock(name, calendar, why)
    return Clock("UTC", IN_UTC, f"the server's {told} is not known here" if told else "the server tells none")


def known_zone(name: str) -> str:
    """The name of a time zone as it was given, empty for the server's own. Raises BadInput."""
    if name and calendar_named(name) is None:
        raise BadInput(f"{name!r} is no time zone; give a name such as Europe/Lisbon, or nothing", field="time_zone")
    return name
