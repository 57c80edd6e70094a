"""The engines there are: for each its profile, how its servers are sampled, and how they are asked.

A further engine is one entry more; nothing else knows engines by name (see CONTRIBUTING).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

from faena.apps.servers import reaching, simulation
from faena.apps.servers.models import Server
from faena.core.engines.inquiry import Inquiry
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.engines.profile import CANNOT, Capability, EngineProfile, Indexes, Plans
from faena.core.errors import BadInput
from faena.core.ports import Source
from faena.sources.postgres import PostgresSource
from faena.sources.postgres.inquiry import PostgresInquiry


@dataclass(frozen=True, slots=True, kw_only=True)
class Engine:
    """`source` makes what the collector samples, None where nothing is sampled; `inquiry` what is asked, of a database.

    Both raise BadInput for a server that cannot be reached as it is saved.
    """

    profile: EngineProfile
    source: Callable[[Server], Source] | None = None
    inquiry: Callable[[Server, str], Inquiry] | None = None


def _made_up(name: str, title: str, *capabilities: Capability) -> EngineProfile:
    """Speaks as PostgreSQL does, and cannot be asked for anything."""
    return replace(POSTGRES, name=name, title=title, capabilities=frozenset(capabilities), log_needs=None)


SIMULATED = _made_up("simulated", "a made-up server", Capability.SAMPLE)
IMPORTED = _made_up("imported", "a server known from files", Capability.FILES)

_engines: dict[str, Engine] = {}


def register(engine: Engine) -> None:
    """Make an engine known, in the place of one of the same name."""
    _engines[engine.profile.name] = engine


register(
    Engine(
        profile=POSTGRES,
        source=lambda server: PostgresSource(reaching.as_saved(server), reaching.looked_up),
        inquiry=lambda server, database: PostgresInquiry(reaching.target_of(server, database)),
    )
)
register(Engine(profile=SIMULATED, source=simulation.source_of))
register(Engine(profile=IMPORTED))


def profiles() -> list[EngineProfile]:
    """Profiles of all registered engines."""
    return [engine.profile for engine in _engines.values()]


def engine_of(server: Server) -> Engine:
    """The engine of a server. Raises BadInput where this version does not know it."""
    if server.engine not in _engines:
        raise BadInput(
            f"{server.name} is of the engine {server.engine!r}, which this version does not know", field="server"
        )
    return _engines[server.engine]


def profile_of(server: Server) -> EngineProfile:
    """What may be known of a server's engine."""
    return engine_of(server).profile


def can(server: Server, capability: Capability) -> bool:
    """Whether something can be asked of a server."""
    return profile_of(server).can(capability)


def require(server: Server, capability: Capability) -> None:
    """Raises BadInput, in words, where a server cannot be asked for something."""
    if not can(server, capability):
        raise _cannot(server, capability)


def _cannot(server: Server, capability: Capability) -> BadInput:
    return BadInput(f"{server.name} is {profile_of(server).title}: {CANNOT[capability]}", field="server")


def inquiry_of(server: Server, capability: Capability, database: str = "") -> Inquiry:
    """How to ask a server for something, in its own database or another. Raises BadInput where it has no such thing."""
    require(server, capability)
    make = engine_of(server).inquiry
    if make is None:
        raise _cannot(server, capability)
    return make(server, database)


def profile_by_id(server_id: int) -> EngineProfile:
    """What may be known of the engine of a server, by the server's number; of a server just removed, of PostgreSQL."""
    name = Server.objects.filter(id=server_id).values_list("engine", flat=True).first()
    return profile_named(name or "")


def profile_named(engine: str) -> EngineProfile:
    """What may be known of an engine; of one that is not known here, of PostgreSQL."""
    return _engines[engine].profile if engine in _engines else POSTGRES


def plans_of(server: Server | None) -> Plans:
    """How plans of a server are read; without a server, those that people bring, which are taken for PostgreSQL's."""
    plans = POSTGRES.plans if server is None else profile_of(server).plans
    if plans is None:
        raise BadInput("plans of this server's engine cannot be read", field="server")
    return plans


def indexes_of(server: Server | None) -> Indexes:
    """The rules about indexes of a server's engine; without a server, PostgreSQL's."""
    indexes = POSTGRES.indexes if server is None else profile_of(server).indexes
    if indexes is None:
        raise BadInput("indexes of this server's engine are not known", field="server")
    return indexes
