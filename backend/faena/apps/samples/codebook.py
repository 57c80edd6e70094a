"""Codes of combinations: read, and given out to new ones by whoever writes samples or names their endpoint."""

from collections.abc import Iterable

from django.db import transaction

from faena.apps.samples.models import Combination
from faena.apps.servers import holdings
from faena.core.sampling import dimensions
from faena.core.units import QueryId


class Codebook:
    """Codes of one server's combinations, kept by a process that writes: the collector, or whoever judges traces."""

    def __init__(self, server_id: int) -> None:
        self._server_id = server_id
        self._codes: dict[dimensions.Combination, int] = {}
        for row in Combination.objects.filter(server_id=server_id).order_by("code"):
            self._codes[to_core(row)] = row.code

    def codes(self, wanted: Iterable[dimensions.Combination]) -> dict[dimensions.Combination, int]:
        """Codes of all wanted, new ones added. Call inside the transaction that writes the samples."""
        fresh = [one for one in dict.fromkeys(wanted) if one not in self._codes]
        if fresh and self._behind():
            fresh = [one for one in fresh if one not in self._codes]
        if fresh:
            first = len(self._codes)
            added = {one: first + i for i, one in enumerate(fresh)}
            Combination.objects.bulk_create(
                Combination(server_id=self._server_id, code=code, **_columns(one)) for one, code in added.items()
            )
            # Known only once the transaction holds; else a rolled-back code would be used by later samples.
            transaction.on_commit(lambda: self._codes.update(added))
            return {**self._codes, **added}
        return self._codes

    def _behind(self) -> bool:
        """Locks the server's dictionary against others who add to it, and learns what they have added."""
        holdings.lock(self._server_id)
        known = Combination.objects.filter(server_id=self._server_id, code__gte=len(self._codes)).order_by("code")
        added = {to_core(row): row.code for row in known}
        self._codes.update(added)
        return bool(added)


def to_core(row: Combination) -> dimensions.Combination:
    return dimensions.Combination(
        active=row.active, wait_type=row.wait_type, wait_event=row.wait_event, query_id=None if row.query_id is None else QueryId(row.query_id),
        database=row.database, user=row.user, program=row.program, client=row.client, backend=row.backend,
        held_by=row.held_by, endpoint=row.endpoint,
    )  # fmt: skip


def _columns(one: dimensions.Combination) -> dict[str, object]:
    return {name: getattr(one, name) for name in dimensions.Combination.__dataclass_fields__}
