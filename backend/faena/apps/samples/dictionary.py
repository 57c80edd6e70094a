"""The dictionary of a server, with wait kinds and tables derived, read on from where it last was."""

from dataclasses import dataclass
from threading import Lock

from faena.apps.samples.codebook import to_core
from faena.apps.samples.models import Combination
from faena.apps.servers import holdings
from faena.apps.servers.engines import profile_by_id
from faena.apps.servers.holdings import Held
from faena.apps.statements.selectors import tables_by_statement
from faena.core.sampling.dimensions import Dictionary
from faena.core.waits.kinds import WaitKind

NO_TABLES = "no table"


@dataclass(slots=True)
class _Known:
    """What was read last, and how often texts of statements had been learned by then."""

    dictionary: Dictionary
    texts: int


_known: dict[int, _Known] = {}
_lock = Lock()


def read_dictionary(server_id: int, held: Held | None = None) -> Dictionary:
    """All combinations of the server; codes are dense, so the index is the code.

    The same object as before while nothing new was seen, so that its encodings need not be made again. `held` is what
    the store holds, when the caller has just asked for it.
    """
    held = held or holdings.read(server_id)
    with _lock:
        known = _known.get(server_id)
        if known and known.texts == held.texts and len(known.dictionary) >= held.codes:
            return known.dictionary
        old = known.dictionary if known else Dictionary((), (), ())
        rows = Combination.objects.filter(server_id=server_id, code__gte=len(old)).order_by("code")
        fresh = [to_core(row) for row in rows]
        waits = profile_by_id(server_id).waits
        kinds = [waits.kind_of(one.wait_type, one.wait_event) if one.active else WaitKind.SLEEP for one in fresh]
        combinations = (*old.combinations, *fresh)
        tables = tables_by_statement(server_id)
        names = [tables.get(one.query_id or 0, NO_TABLES) for one in combinations]
        behind = [*old.behind, *(waits.behind_sessions(one.wait_type, one.wait_event) for one in fresh)]
        made = Dictionary(combinations, (*old.kinds, *kinds), names, behind)
        _known[server_id] = _Known(made, held.texts)
        return made


def forget_caches() -> None:
    """For tests that empty the store between them."""
    _known.clear()
