"""Writing sums and kept requests."""

from collections.abc import Iterable, Mapping, Sequence

from django.db import connection

from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.models import KeptRequest, TraceSource
from faena.core.privacy import Normalised
from faena.core.requests.choosing import Why
from faena.core.requests.layers import STATEMENT
from faena.core.requests.request import Request
from faena.core.requests.sums import LAYERS, Origin, Sums, Vector, changed, origin_of
from faena.core.sql.texts import normalise

LENGTHS_MS = (60_000, 600_000, 3_600_000)  # sums of each, so that a window is put together of few rows
MOST_NAMED = 200  # statements and callees of a kept request; one that has more is told by its trace
# Two vectors added place by place; the longer one keeps its tail.
_ADDED = (
    "(SELECT array_agg(coalesce(a, 0) + coalesce(b, 0) ORDER BY i) "
    "FROM unnest(s.{0}, excluded.{0}) WITH ORDINALITY AS u(a, b, i))"
)


def add_sums(server_id: int, sums: Sums, dictionaries: Dictionaries) -> None:
    """Add to what is stored, by minute and by hour, inside the caller's transaction."""
    requests = dict(changed(sums.requests))
    statements, calls = dict(changed(sums.statements)), dict(changed(sums.calls))
    origins = dictionaries.origins({o for _, o in requests} | {o for _, o, _ in statements} | {o for _, o, _ in calls})
    texts = dictionaries.statements({form: normalise(sums.shown[form]) for _, _, form in statements})
    callees = dictionaries.callees({key[2] for key in calls})
    _add(
        "requestsum", server_id, ("origin_id",),
        {(at, origins[o]): [v.tolist(), _trimmed(sums.rungs[at, o])] for (at, o), v in requests.items()}, "rungs",
    )  # fmt: skip
    _add(
        "statementsum", server_id, ("origin_id", "statement_id"),
        {(at, origins[o], texts[text]): [v.tolist()] for (at, o, text), v in statements.items()},
    )  # fmt: skip
    _add(
        "callsum", server_id, ("origin_id", "callee_id"),
        {(at, origins[o], callees[to]): [v.tolist()] for (at, o, to), v in calls.items()},
    )  # fmt: skip


def _trimmed(rungs: Vector) -> list[float]:
    """Without the empty classes of the longest durations."""
    filled = rungs.nonzero()[0]
    return rungs[: int(filled[-1]) + 1].tolist() if len(filled) else []


def _add(
    table: str, server_id: int, keys: Sequence[str], vectors: Mapping[tuple[int, ...], list[list[float]]], *more: str
) -> None:
    columns = ("figures", *more)
    names = ("server_id", "length_ms", "at_ms", *keys)
    rows: dict[tuple[int, ...], list[list[float]]] = {}
    for length in LENGTHS_MS:
        for (at, *key), values in vectors.items():
            place = (server_id, length, at // length * length, *key)
            known = rows.get(place)
            rows[place] = values if known is None else [_sum(a, b) for a, b in zip(known, values, strict=True)]
    updates = ", ".join(f"{name} = {_ADDED.format(name)}" for name in columns)
    marks = ", ".join(["%s"] * (len(names) + len(columns)))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO requests_{table} AS s ({', '.join((*names, *columns))}) VALUES ({marks}) "
            f"ON CONFLICT ({', '.join(names)}) DO UPDATE SET {updates}",
            [(*place, *values) for place, values in sorted(rows.items())],
        )


def _sum(one: list[float], other: list[float]) -> list[float]:
    longer, shorter = (one, other) if len(one) >= len(other) else (other, one)
    return [a + (shorter[i] if i < len(shorter) else 0.0) for i, a in enumerate(longer)]


def keep_requests(source: TraceSource, kept: Iterable[tuple[Request, float, Why]], dictionaries: Dictionaries) -> None:
    """Single requests, each with the number of requests it stands for."""
    chosen = list(kept)
    origins: dict[Origin, int] = dictionaries.origins({origin_of(one) for one, _, _ in chosen})
    forms: dict[str, Normalised] = {}
    for request, _, _ in chosen:
        for run in request.ran:
            if run.text not in forms:
                forms[run.text] = normalise(request.spans[run.at].text(*STATEMENT))
    texts = dictionaries.statements(forms)
    callees = dictionaries.callees({(call.layer.value, call.to) for request, _, _ in chosen for call in request.calls})
    KeptRequest.objects.bulk_create(
        KeptRequest(
            server_id=source.server_id, at_ms=request.at, source=source, trace=request.trace, top=request.top.id,
            origin_id=origins[origin_of(request)], duration_ms=request.duration_ms,
            layers=[request.layers[layer] for layer in LAYERS], error=request.error, statements=request.statements,
            spans=len(request.spans), weight=weight, why=why.value, attributes=_attributes(request),
            ran=sorted({texts[run.text] for run in request.ran})[:MOST_NAMED],
            called=sorted({callees[call.layer.value, call.to] for call in request.calls})[:MOST_NAMED],
            repeated=[
                {"statement": texts[one.statement], "count": one.count, "ms": round(one.time_ms, 3), "code": one.code,
                 "after": texts[one.after] if one.after else None}
                for one in request.repeated
            ],
        )
        for request, weight, why in chosen
    )  # fmt: skip


def _attributes(request: Request) -> dict[str, object]:
    """Of the topmost span and of what made it; a statement is told elsewhere."""
    both = {**request.top.resource, **request.top.attributes}
    return {key: value for key, value in sorted(both.items()) if key not in STATEMENT}
