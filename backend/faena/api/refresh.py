"""Several questions of an open view asked again in one call; only answers that changed are sent."""

from collections.abc import Iterable
from copy import copy
from hashlib import blake2b
from typing import Annotated
from urllib.parse import urlsplit

import orjson
from django.http import HttpRequest, HttpResponse, QueryDict
from django.http.response import HttpResponseBase
from django.urls import Resolver404, resolve
from ninja import Field, Router

from faena.api.out import Out
from faena.api.problems import problem

router = Router(tags=["refresh"])

_MOST = 24  # questions in a call; a view has half as many
_LONGEST = 8000  # characters of a path with its query


class AgainIn(Out):
    """A question that is asked again.

    `path` with its query, as it would be asked alone; `known` names the answer that the asker has, if any.
    """

    path: Annotated[str, Field(max_length=_LONGEST)]
    known: str | None = None


class RefreshIn(Out):
    asked: Annotated[list[AgainIn], Field(min_length=1, max_length=_MOST)]


class AgainOut(Out):
    """One answer: its status alone, 304 where it is the `known` one, and else its body as it would be alone."""

    status: int
    known: str | None
    body: object = None


class RefreshOut(Out):
    """In the order of what was asked."""

    answers: list[AgainOut]


@router.post("/refresh", response=RefreshOut, operation_id="refresh")
def refresh(request: HttpRequest, payload: RefreshIn) -> HttpResponse:
    """Ask each path as a GET of the same person. One that fails does not stop the others."""
    parts = [_again(request, one) for one in payload.asked]
    return HttpResponse(b'{"answers":[' + b",".join(parts) + b"]}", content_type="application/json")


def _again(request: HttpRequest, asked: AgainIn) -> bytes:
    answer = _answer(request, asked.path)
    body = answer.content
    name = blake2b(body, digest_size=12).hexdigest()
    if answer.status_code == 200 and name == asked.known:
        return orjson.dumps({"status": 304, "known": name, "body": None})
    known = name if answer.status_code == 200 else None
    return orjson.dumps({"status": answer.status_code, "known": known, "body": orjson.Fragment(body or b"null")})


def _answer(request: HttpRequest, path: str) -> HttpResponse:
    parts = urlsplit(path)
    if parts.scheme or parts.netloc or not parts.path.startswith("/api/v1/"):
        return problem(400, "bad-input", "The request cannot be meant", f"{path[:80]} is no path of this API.")
    try:
        found = resolve(parts.path)
    except Resolver404:
        return problem(404, "not-found", "There is no such thing", f"{parts.path[:80]} is no path of this API.")
    inner = copy(request)
    inner.method = "GET"
    inner.path = inner.path_info = parts.path
    inner.resolver_match = found
    inner.META = {**request.META, "REQUEST_METHOD": "GET", "QUERY_STRING": parts.query}
    inner.GET = QueryDict(parts.query)
    answer: HttpResponseBase = found.func(inner, *found.args, **found.kwargs)
    if not isinstance(answer, HttpResponse) or not _is_json(answer):
        return problem(
            400, "bad-input", "The request cannot be meant", f"{path[:80]} answers with a file; ask it alone."
        )
    return answer


def _is_json(answer: HttpResponse) -> bool:
    return any(kind in answer.get("Content-Type", "") for kind in _JSON)


_JSON: Iterable[str] = ("application/json", "application/problem+json")
