"""Every error of the API, as RFC 9457 problem+json. The only place where exceptions become status codes."""

import logging
import sys
from typing import Any

import orjson
import psycopg
from django.conf import settings
from django.db import DataError, InterfaceError, OperationalError, connection
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from psycopg_pool import PoolTimeout

from faena.api.out import Out
from faena.core.errors import BadInput, Busy, NotAllowed, NotFound, SourceAway, SourceError, StoreAway

log = logging.getLogger(__name__)


class Problem(Out):
    """An error of the API. `type` is stable and may be matched on; `detail` is for people: what, where, what to do."""

    type: str
    title: str
    status: int
    detail: str
    field: str | None = None
    remedy: str | None = None
    collector: dict[str, Any] | None = None


def problem(status: int, kind: str, title: str, detail: str, **more: Any) -> HttpResponse:
    body = {"type": f"urn:faena:{kind}", "title": title, "status": status, "detail": detail, **more}
    return HttpResponse(orjson.dumps(body), status=status, content_type="application/problem+json")


def collector_status() -> dict[str, Any] | None:
    """What the collector last wrote about itself; needs no store. None when it never ran here."""
    try:
        found = orjson.loads((settings.ENVIRONMENT.state_dir / "collector" / "collector.json").read_bytes())
    except (OSError, orjson.JSONDecodeError):
        return None
    return found if isinstance(found, dict) else None


def install(api: NinjaAPI) -> None:
    """Register a handler for each branch of the error tree, and for what the frameworks raise."""

    @api.exception_handler(ValidationError)
    def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0]
        place = [str(part) for part in first.get("loc", ()) if part not in ("query", "body", "path", "payload")]
        words = "; ".join(f"{'.'.join(str(p) for p in e.get('loc', ())[1:])}: {e.get('msg')}" for e in error.errors)
        return problem(400, "bad-input", "The request cannot be read", words, field=place[-1] if place else None)

    @api.exception_handler(BadInput)
    def _bad(request: HttpRequest, error: BadInput) -> HttpResponse:
        return problem(400, "bad-input", "The request cannot be meant", str(error), field=error.field)

    @api.exception_handler(NotFound)
    def _missing(request: HttpRequest, error: NotFound) -> HttpResponse:
        return problem(404, "not-found", "There is no such thing", str(error))

    @api.exception_handler(NotAllowed)
    def _forbidden(request: HttpRequest, error: NotAllowed) -> HttpResponse:
        return problem(403, "not-allowed", "Your role does not permit this", str(error))

    @api.exception_handler(AuthenticationError)
    def _unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "not-signed-in", "You are not signed in", "Sign in and try again.")

    @api.exception_handler(SourceError)
    def _source(request: HttpRequest, error: SourceError) -> HttpResponse:
        status = 504 if isinstance(error, SourceAway) else 422
        return problem(status, "watched-server", "The watched server", str(error), remedy=error.remedy or None)

    @api.exception_handler(HttpError)
    def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, "http", "The request was refused", str(error))

    @api.exception_handler(Busy)
    def _busy(request: HttpRequest, error: Busy) -> HttpResponse:
        answer = problem(429, "busy", "Others are being served", str(error))
        answer["Retry-After"] = str(error.after_s)
        return answer

    for bad in (DataError, OverflowError, UnicodeError):  # a number or a text that no column holds
        api.add_exception_handler(bad, _unfit)
    api.add_exception_handler(ValueError, _unfit_text)
    api.add_exception_handler(Exception, _broken)
    for kind in (StoreAway, OperationalError, InterfaceError):
        api.add_exception_handler(kind, _store_trouble)


def _unfit(request: HttpRequest, error: Exception | type[Exception]) -> HttpResponse:
    return problem(
        400,
        "bad-input",
        "The request cannot be meant",
        "A number or a text in it is of a size or kind that nothing here has.",
    )


def _unfit_text(request: HttpRequest, error: Exception | type[Exception]) -> HttpResponse:
    """Refuse a ValueError of the database's driver as bad input; any other ValueError is a fault of ours."""
    if "NUL" in str(error) or "null character" in str(error).lower():
        return _unfit(request, error)
    return _broken(request, error)


def _broken(request: HttpRequest, error: Exception | type[Exception]) -> HttpResponse:
    log.error("a request failed", exc_info=error if isinstance(error, BaseException) else None)
    return broken(request)


def broken(request: HttpRequest) -> HttpResponse:
    """Also what Django itself answers when something broke outside of the API: in what asks who it is, for one."""
    error = sys.exc_info()[1]
    if isinstance(error, StoreAway | OperationalError | InterfaceError):
        return _store_trouble(request, error)
    detail = "Nothing was changed. Try again; if it stays, tell the people who look after Faena the X-Request-Id of this answer."
    return problem(500, "broken", "Something broke here", detail)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return problem(
        400, "bad-input", "The request cannot be read", "Its address, host or form is not one that is served here."
    )


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return problem(403, "not-allowed", "This is not permitted", "Load the page again and sign in.")


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    return problem(
        403, "not-allowed", "The token of the page is missing or old", "Load the page again and try once more."
    )


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return problem(404, "not-found", "There is no such thing", "Nothing is served at this address.")


def locked_out(request: HttpRequest, *details: Any) -> HttpResponse:
    """The answer that the limiter of sign-in attempts puts in place of ours."""
    detail = "Too many failed attempts for this name from here; wait a quarter of an hour and try again."
    return problem(429, "too-many-attempts", "Signing in is locked for a while", detail)


def _store_trouble(request: HttpRequest, error: Exception | type[Exception]) -> HttpResponse:
    """ "Away" only when it is: a store that answers, and has too much to do, is another thing."""
    cause = getattr(error, "__cause__", None)
    state = getattr(cause, "sqlstate", None) or ""
    if state == "57014":
        log.warning("the store did not finish a question in time")
        detail = "Faena's own database did not finish this in time. Choose a shorter window, or narrow it."
        return problem(503, "too-long", "This takes too long", detail)
    busy = state[:2] in ("40", "55") or (isinstance(cause, PoolTimeout) and _store_answers())
    if busy:
        log.warning("the store is busy (%s)", state or "no connection free")
        answer = problem(503, "store-busy", "The store is busy", "It answers, and others are served first. Try again.")
        answer["Retry-After"] = "2"
        return answer
    return _store_away(error)


def _store_answers() -> bool:
    """Beside the pool, whose connections may all be in use."""
    told = connection.settings_dict
    try:
        psycopg.connect(
            host=told["HOST"], port=told["PORT"], dbname=told["NAME"], user=told["USER"], password=told["PASSWORD"],
            connect_timeout=2, application_name="faena store",
        ).close()  # fmt: skip
    except psycopg.Error:
        return False
    return True


def _store_away(error: Exception | type[Exception]) -> HttpResponse:
    log.warning("the store is away (%s)", type(error).__name__)
    detail = (
        "Faena's own database does not answer. Nothing is lost: the collector keeps its readings on disk meanwhile."
    )
    return problem(503, "store-away", "The store is away", detail, collector=collector_status())
