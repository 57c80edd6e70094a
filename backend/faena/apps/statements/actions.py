"""Writing what was learned and counted."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
import numpy.typing as npt
from django.db import transaction

from faena.apps.bulk import copy_rows
from faena.apps.servers import holdings
from faena.apps.statements import hours
from faena.apps.statements.models import CountSpan, Text, Work
from faena.core.readings import COUNTER_FIELDS, CounterKey, StatementText
from faena.core.sql.names import tables_of
from faena.core.statements.counters import CounterDelta
from faena.core.statements.tools import is_tool
from faena.core.units import EpochMs

WorkSpan = tuple[EpochMs, EpochMs, Mapping[CounterKey, npt.NDArray[np.float64]]]  # (since, until] and what was done


@transaction.atomic
def learn_texts(server_id: int, texts: Iterable[StatementText]) -> None:
    """Keep the texts; one learned before is replaced, since a later text can only be more complete."""
    rows = []
    for one in texts:
        tables = tables_of(one.text)
        rows.append(
            Text(
                server_id=server_id,
                query_id=one.query_id,
                text=one.text,
                tables=", ".join(tables),
                tool=is_tool(one.text, tables),
            )
        )
    unique = ["server", "query_id"]
    Text.objects.bulk_create(
        rows, update_conflicts=True, unique_fields=unique, update_fields=["text", "tables", "tool"]
    )
    holdings.learned(server_id)


@transaction.atomic
def store_work(server_id: int, delta: CounterDelta) -> None:
    """Store one difference of the counters; the same one twice changes nothing."""
    span = CountSpan(
        server_id=server_id, until_ms=delta.until, since_ms=delta.since, breaks=",".join(sorted(delta.breaks))
    )
    CountSpan.objects.bulk_create([span], ignore_conflicts=True)
    hours.came_late(server_id, delta.until)
    rows = (
        Work(
            server_id=server_id,
            until_ms=delta.until,
            since_ms=delta.since,
            query_id=key.query_id,
            database=key.database,
            user=key.user,
            toplevel=key.toplevel,
            **dict(zip(COUNTER_FIELDS, map(float, values), strict=True)),
        )
        for key, values in zip(delta.keys, delta.values, strict=True)
    )
    Work.objects.bulk_create(rows, ignore_conflicts=True, batch_size=1000)


@transaction.atomic
def copy_work(server_id: int, spans: Sequence[WorkSpan]) -> None:
    """As `store_work`, for many spans that are known to be new."""
    copy_rows(CountSpan, ("server", "since_ms", "until_ms", "breaks"), ((server_id, s, u, "") for s, u, _ in spans))
    fields = ("server", "since_ms", "until_ms", "query_id", "database", "user", "toplevel", *COUNTER_FIELDS)
    rows = (
        (server_id, since, until, key.query_id, key.database, key.user, key.toplevel, *values.tolist())
        for since, until, work in spans
        for key, values in work.items()
    )
    copy_rows(Work, fields, rows)


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention of counter differences."""
    hours.forget_before(server_id, before_ms)
    for model in (Work, CountSpan):
        model.objects.filter(server_id=server_id, until_ms__lt=before_ms)._raw_delete(using="default")
