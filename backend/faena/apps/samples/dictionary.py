"""The dictionary of a server, with wait kinds and tables derived, read on from where it last was."""

from dataclasses import dataclass, field
from threading import Lock

from faena.apps.samples.actions import to_core
from faena.apps.samples.models import Combination
from faena.apps.statements.selectors import tables_by_statement
from faena.core.sampling.dimensions import Combination as CoreCombination
from faena.core.sampling.dimensions import Dictionary
from faena.core.waits.catalogue import kind_of
from faena.core.waits.kinds import WaitKind

NO_TABLES = "no table"


@dataclass(slots=True)
class _Known:
    combinations: list[CoreCombination] = field(default_factory=list)
    kinds: list[str] = field(default_factory=list)


_known: dict[int, _Known] = {}
_lock = Lock()


def read_dictionary(server_id: int) -> Dictionary:
    """All combinations of the server; codes are dense, so the index is the code."""
    with _lock:
        known = _known.setdefault(server_id, _Known())
        have = len(known.combinations)
        for row in Combination.objects.filter(server_id=server_id, code__gte=have).order_by("code"):
            one = to_core(row)
            known.combinations.append(one)
            known.kinds.append(kind_of(one.wait_type, one.wait_event) if one.active else WaitKind.SLEEP)
        combinations, kinds = list(known.combinations), list(known.kinds)
    tables = tables_by_statement(server_id)
    names = [tables.get(one.query_id, NO_TABLES) if one.query_id is not None else NO_TABLES for one in combinations]
    return Dictionary(combinations, kinds, names)


def forget_caches() -> None:
    """For tests that empty the store between them."""
    _known.clear()
