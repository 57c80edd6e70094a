"""Made-up servers: their description, and what plays them."""

import tomllib
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from django.conf import settings

from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.core.ports import Source
from faena.core.units import EpochMs
from faena.sources.simulated import Engine, Estate, Incident, SimulatedSource, read_estate, read_incidents


@lru_cache(maxsize=1)
def description() -> tuple[Estate, list[Incident]]:
    """The estate and its incidents, from the folder that the settings name. Raises BadInput."""
    folder = settings.ENVIRONMENT.estate_dir
    found = []
    for name in ("estate.toml", "incidents.toml"):
        try:
            found.append(tomllib.loads((folder / name).read_text()))
        except (OSError, tomllib.TOMLDecodeError) as error:
            raise BadInput(f"{folder / name} cannot be read: {error}", field="estate") from error
    return read_estate(found[0]), read_incidents(found[1])


def engine_of(simulation: Mapping[str, Any]) -> Engine:
    """The engine of a simulated server. Raises BadInput when the estate does not know it any more."""
    estate, incidents = description()
    if simulation["server"] not in estate.servers:
        raise BadInput(f"the estate has no server {simulation['server']}", field="simulation")
    return Engine(estate, incidents, simulation["server"], EpochMs(simulation["anchor"]), simulation["seed"])


def source_of(server: Server) -> Source:
    """A made-up server plays on where its past ends. Raises BadInput for one that cannot be played."""
    try:
        return SimulatedSource(engine_of(server.simulation or {}))
    except (BadInput, KeyError) as error:
        raise BadInput(f"this made-up server cannot be played: {error}", field="simulation") from error
