"""The API under /api/v1, and the application's one page for every other path."""

from pathlib import Path

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from faena.api.application import api


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


urlpatterns = [path("api/v1/", api.urls), re_path(r"^(?!api/|static/|assets/).*$", page)]
