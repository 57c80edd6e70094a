"""Names that sums and kept requests refer to by number: endpoints, origins, statements, callees. Kept in memory once read."""

import hashlib
from collections.abc import Callable, Collection, Iterable, Mapping
from typing import Any, TypeVar

from django.db import models

from faena.apps.requests.models import Callee, Endpoint, Origin, RequestStatement
from faena.core.privacy import Normalised
from faena.core.requests import sums
from faena.core.requests.texts import normalised

Key = TypeVar("Key")


def statement_key(text: str) -> int:
    """A hash by which a statement of a trace and the same of a server are found to be one."""
    digest = hashlib.blake2b(normalised(text).encode("utf-8", "surrogatepass"), digest_size=8).digest()
    return int.from_bytes(digest, "big", signed=True)


class Dictionaries:
    """The names of one server. Safe beside other writers, since rows are added and never changed."""

    def __init__(self, server_id: int) -> None:
        self._server = server_id
        self._endpoints: dict[tuple[str, str, str], int] = {}
        self._targets: dict[int, float | None] = {}
        self._origins: dict[tuple[int, str, str], int] = {}
        self._statements: dict[int, int] = {}
        self._callees: dict[tuple[str, str], int] = {}

    def origins(self, wanted: Iterable[sums.Origin]) -> dict[sums.Origin, int]:
        """Numbers of origins, new ones added."""
        every = set(wanted)
        ends = self._numbers(
            self._endpoints, {(o.service, o.kind, o.endpoint) for o in every}, Endpoint, {"server_id": self._server},
            ("service", "kind", "name"),
        )  # fmt: skip
        end_of = {o: ends[o.service, o.kind, o.endpoint] for o in every}
        parts = self._numbers(
            self._origins,
            {(end_of[o], o.version, o.host) for o in every},
            Origin,
            {},
            ("endpoint_id", "version", "host"),
        )
        return {o: parts[end_of[o], o.version, o.host] for o in every}

    def endpoint_of(self, origin: sums.Origin) -> int:
        """The number of an origin's endpoint; `origins` must have been asked for it."""
        return self._endpoints[origin.service, origin.kind, origin.endpoint]

    def statements(self, texts: Mapping[str, Normalised]) -> dict[str, int]:
        """Numbers by the compared form; `texts` has of each the text as it may be seen."""
        keys = {form: statement_key(form) for form in texts}
        shown = {keys[form]: text for form, text in texts.items()}
        missing = [key for key in shown if key not in self._statements]
        if missing:
            rows = [RequestStatement(server_id=self._server, key=key, text=shown[key]) for key in missing]
            RequestStatement.objects.bulk_create(rows, ignore_conflicts=True)
            known = RequestStatement.objects.filter(server_id=self._server, key__in=missing)
            self._statements.update(known.values_list("key", "id"))
        return {form: self._statements[key] for form, key in keys.items()}

    def callees(self, wanted: Collection[tuple[str, str]]) -> dict[tuple[str, str], int]:
        """Numbers by layer and name, new ones added."""
        return self._numbers(self._callees, set(wanted), Callee, {"server_id": self._server}, ("layer", "name"))

    @staticmethod
    def _numbers(
        known: dict[Key, int],
        wanted: set[Key],
        model: type[models.Model],
        fixed: Mapping[str, Any],
        fields: tuple[str, ...],
    ) -> dict[Key, int]:
        missing = [key for key in wanted if key not in known]
        if missing:
            make: Callable[..., models.Model] = model
            rows = [make(**fixed, **dict(zip(fields, key, strict=True))) for key in missing]  # type: ignore[call-overload]
            manager = model._default_manager
            manager.bulk_create(rows, ignore_conflicts=True)
            first = {key[0] for key in missing}  # type: ignore[index]
            found = manager.filter(**fixed, **{f"{fields[0]}__in": first}).values_list(*fields, "id")
            known.update({row[:-1]: row[-1] for row in found})
        return {key: known[key] for key in wanted}
