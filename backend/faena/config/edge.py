"""The edge between the network and the application: who asks by which host, from where, with how much, and what is logged."""

import ipaddress
import logging
import re
import secrets
import time
from collections.abc import Awaitable, Callable, MutableMapping
from contextlib import suppress
from typing import Any

import orjson
from django.conf import settings
from django.contrib.auth import logout
from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse, HttpResponseBase

from faena.apps.accounts.asked import address_of_request, request_id

access = logging.getLogger("faena.access")
Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
Application = Callable[[Any, Any, Any], Awaitable[None]]  # as servers and frameworks type it, each in its own way
Handler = Callable[[HttpRequest], HttpResponseBase]

MAX_BODY = 8 * 1024 * 1024
MAX_UPLOAD = 256 * 1024 * 1024
UPLOADS = ("/api/v1/import/", "/api/v1/cases/import/")
_GIVEN_ID = re.compile(r"[A-Za-z0-9_-]{8,64}")
SEEN_EVERY_S = 60  # a session's last use is written so often at most
ACTIVE_S = 90  # a page that asks by itself, with nobody at it for longer than this, does not keep a session alive


def problem(status: int, kind: str, title: str, detail: str) -> HttpResponse:
    body = {"type": f"urn:faena:{kind}", "title": title, "status": status, "detail": detail}
    return HttpResponse(orjson.dumps(body), status=status, content_type="application/problem+json")


class BodyLimit:
    """Ends a request whose body is larger than may be, before anything keeps it: nobody has to sign in to send one."""

    def __init__(self, application: Application) -> None:
        self._application = application

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        limit = MAX_UPLOAD if scope["path"].startswith(UPLOADS) else MAX_BODY
        told = dict(scope["headers"]).get(b"content-length", b"0")
        if not told.isdigit() or int(told[:20]) > limit:
            await _refuse(send, limit)
            return
        seen = 0

        async def counted() -> MutableMapping[str, Any]:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            if seen > limit:
                raise _TooLargeError
            return message

        try:
            await self._application(scope, counted, send)
        except _TooLargeError:
            await _refuse(send, limit)
        except Exception:
            access.error("the answer to %s %s broke off", scope["method"], scope["path"][:300].replace("\n", " "))
            raise  # the server says why, and does not know of what


class _TooLargeError(Exception):
    """More came than was announced."""


async def _refuse(send: Send, limit: int) -> None:
    answer = problem(413, "too-large", "This is too large", f"At most {limit // 1024 // 1024} MB are taken here.")
    headers = [
        (b"content-type", b"application/problem+json"),
        (b"cache-control", b"no-store"),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": answer.content})


def edge(get_response: Handler) -> Handler:
    """First of all middleware: request identifier, client address, host, and the access log."""

    def handle(request: HttpRequest) -> HttpResponseBase:
        begun = time.perf_counter()
        trusted = _from_trusted_proxy(request)
        given = request.headers.get("X-Request-Id", "")
        name = given if trusted and _GIVEN_ID.fullmatch(given) else secrets.token_hex(8)
        request_id.set(name)
        _believe(request, trusted=trusted)
        address_of_request.set(str(request.META.get("REMOTE_ADDR", "")))
        response = _answered(request, get_response)
        response["X-Request-Id"] = name
        if request.path.startswith(("/api/", "/v1/", "/health/")):
            response["Cache-Control"] = "no-store"
        if settings.ENVIRONMENT.access_log:
            _log(request, response, 1000 * (time.perf_counter() - begun))
        return response

    return handle


def _answered(request: HttpRequest, get_response: Handler) -> HttpResponseBase:
    try:
        request.get_host()
    except DisallowedHost:
        return problem(
            400, "bad-host", "This host is not served", "Call Faena by a name that FAENA_ALLOWED_HOSTS lists."
        )
    if "\0" in request.path or "\0" in request.META.get("QUERY_STRING", ""):
        return problem(400, "bad-input", "The request cannot be read", "An address holds no NUL.")
    return get_response(request)


def _from_trusted_proxy(request: HttpRequest) -> bool:
    try:
        address = ipaddress.ip_address(str(request.META.get("REMOTE_ADDR", "")))
    except ValueError:
        return False
    return any(address in ipaddress.ip_network(one, strict=False) for one in settings.ENVIRONMENT.trusted_proxies)


def _believe(request: HttpRequest, *, trusted: bool) -> None:
    """What a proxy says of its client, from proxies that are configured; from all others it goes unheard."""
    forwarded = request.META.pop("HTTP_X_FORWARDED_FOR", "")
    scheme = request.META.pop("HTTP_X_FORWARDED_PROTO", "")
    request.META.pop("HTTP_X_FORWARDED_HOST", None)
    if not trusted:
        return
    # The last address is the one that the nearest proxy saw itself; whatever stands before it was sent along.
    last = forwarded.rpartition(",")[2].strip()
    with suppress(ValueError):
        request.META["REMOTE_ADDR"] = str(ipaddress.ip_address(last))
    if scheme.strip().lower() == "https":
        request.META["wsgi.url_scheme"] = "https"
        if hasattr(request, "scope"):
            request.scope["scheme"] = "https"


def _log(request: HttpRequest, response: HttpResponseBase, took_ms: float) -> None:
    """Without the query: it can hold what somebody looked for."""
    user = getattr(request, "user", None)
    access.info(
        "%s %s %d in %.0f ms", request.method, request.path[:300].replace("\n", " "), response.status_code, took_ms,
        extra={
            "method": request.method, "path": request.path[:300], "status": response.status_code, "ms": round(took_ms, 1),
            "address": request.META.get("REMOTE_ADDR", ""),
            "user": user.get_username() if user is not None and user.is_authenticated else "",
        },
    )  # fmt: skip


def idle_limit(get_response: Handler) -> Handler:
    """Behind the sign-in: ends one that nobody has used for too long. A page left open does not use it."""

    def handle(request: HttpRequest) -> HttpResponseBase:
        if request.path.startswith("/api/") and request.user.is_authenticated:
            now = int(time.time())
            seen = request.session.get("seen", now)
            idle = request.headers.get("X-Idle-Seconds", "0")
            if now - seen > 60 * settings.ENVIRONMENT.idle_minutes:
                logout(request)
            elif ("seen" not in request.session or now - seen > SEEN_EVERY_S) and _active(idle):
                request.session["seen"] = now
        return get_response(request)

    return handle


def _active(idle: str) -> bool:
    return not (idle.isascii() and idle.isdigit() and len(idle) < 10) or int(idle) < ACTIVE_S
