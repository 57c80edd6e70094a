"""The API under /api/v1, where traces are sent to, and the application's one page for every other path."""

from pathlib import Path

from django.conf import settings
from django.db import DatabaseError
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from faena.api import oidc
from faena.api.application import api
from faena.api.metrics import metrics
from faena.api.receiver import traces
from faena.apps.collecting import schema
from faena.core.errors import StoreAway


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponseBase:
    """The built page; the router inside it reads the path."""
    index = Path(settings.FRONTEND_DIST) / "index.html"
    if not index.exists():
        return HttpResponse(
            "The front end has not been built. Run ./faena build.", status=503, content_type="text/plain"
        )
    response = FileResponse(index.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def live(request: HttpRequest) -> HttpResponse:
    """The process answers."""
    return HttpResponse("live\n", content_type="text/plain")


def ready(request: HttpRequest) -> HttpResponse:
    """It can serve: the store answers and has the tables of this version."""
    try:
        schema.require_known()
    except (StoreAway, DatabaseError) as error:
        words = str(error) if isinstance(error, StoreAway) else "the store does not answer"
        return HttpResponse(f"not ready: {words}\n", status=503, content_type="text/plain")
    return HttpResponse("ready\n", content_type="text/plain")


handler400 = "faena.api.problems.bad_request"
handler403 = "faena.api.problems.forbidden"
handler404 = "faena.api.problems.not_found"
handler500 = "faena.api.problems.broken"
urlpatterns = [
    path("health/live", live),
    path("health/ready", ready),
    path("api/v1/", api.urls),
    path("v1/traces", traces),
    path("metrics", metrics),
    path("oidc/begin", oidc.begin),
    path("oidc/callback", oidc.callback),
    re_path(r"^(?!api/|v1/|oidc/|static/|assets/|health/|metrics$).*$", page),
]
