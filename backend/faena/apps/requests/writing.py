"""Writing sums and kept requests."""

from collections.abc import Iterable, Mapping, Sequence

from django.db import connection

from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.models import KeptRequest, TraceSource
from faena.apps.requests.rows import lock_sums, rungs_bytes, stored_rungs
from faena.core.privacy import Normalised
from faena.core.requests.choosing import Why
from faena.core.requests.layers import STATEMENT
from faena.core.requests.request import Request
from faena.core.requests.sums import LAYERS, Origin, Sums, Vector, changed, origin_of
from faena.core.sql.texts import normalise

LENGTHS_MS = (60_000, 600_000, 3_600_000)  # sums of each, so that a window is put together of few rows
MOST_NAMED = 200  # statements and callees of a kept request; one that has more is told by its trace
_Place = tuple[int, ...]  # server, length and start of the sum in ms, then what else it is a sum of


def add_sums(server_id: int, sums: Sums, dictionaries: Dictionaries) -> None:
    """Add to what is stored, by minute, ten minutes and hour, inside the caller's transaction.

    The lock of the server's sums is held to its end: a caller with several servers goes by their numbers.
    """
    requests = dict(changed(sums.requests))
    statements, calls = dict(changed(sums.statements)), dict(changed(sums.calls))
    if not (requests or statements or calls):
        return
    origins = dictionaries.origins({o for _, o in requests} | {o for _, o, _ in statements} | {o for _, o, _ in calls})
    texts = dictionaries.statements({form: normalise(sums.shown[form]) for _, _, form in statements})
    callees = dictionaries.callees({key[2] for key in calls})
    lock_sums(server_id)
    rungs = _by_length(server_id, {(at, origins[o]): sums.rungs[at, o] for at, o in requests})
    known = stored_rungs(server_id, [(length, at, origin) for _, length, at, origin in rungs])
    packed = {place: rungs_bytes(vector + known.get(place[1:], 0.0)) for place, vector in rungs.items()}
    _add(
        "requestsum",
        ("origin_id",),
        _by_length(server_id, {(at, origins[o]): v for (at, o), v in requests.items()}),
        packed,
    )
    _add(
        "statementsum", ("origin_id", "statement_id"),
        _by_length(server_id, {(at, origins[o], texts[text]): v for (at, o, text), v in statements.items()}),
    )  # fmt: skip
    _add(
        "callsum", ("origin_id", "callee_id"),
        _by_length(server_id, {(at, origins[o], callees[to]): v for (at, o, to), v in calls.items()}),
    )  # fmt: skip


def _by_length(server_id: int, vectors: Mapping[tuple[int, ...], Vector]) -> dict[_Place, Vector]:
    """Vectors by minute as such of each length."""
    found: dict[_Place, Vector] = {}
    for (at, *key), vector in vectors.items():
        for length in LENGTHS_MS:
            place = (server_id, length, at // length * length, *key)
            known = found.get(place)
            found[place] = vector if known is None else known + vector
    return found


def _add(
    table: str, keys: Sequence[str], figures: Mapping[_Place, Vector], rungs: Mapping[_Place, bytes] | None = None
) -> None:
    if not figures:
        return
    names = ("server_id", "length_ms", "at_ms", *keys)
    columns = ("figures", *(("rungs",) if rungs else ()))
    added = ", ".join(
        f"s.figures[{i + 1}] + excluded.figures[{i + 1}]" for i in range(len(next(iter(figures.values()))))
    )
    updates = f"figures = ARRAY[{added}]" + (", rungs = excluded.rungs" if rungs else "")
    marks = ", ".join(["%s"] * (len(names) + len(columns)))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO requests_{table} AS s ({', '.join((*names, *columns))}) VALUES ({marks}) "
            f"ON CONFLICT ({', '.join(names)}) DO UPDATE SET {updates}",
            [
                (*place, vector.tolist(), *((rungs[place],) if rungs else ()))
                for place, vector in sorted(figures.items())
            ],
        )


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
