"""The way to a provider of OpenID Connect and back: two addresses of the browser, no questions of the API."""

from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.http import require_GET

from faena.apps.accounts import oidc
from faena.core.errors import NotAllowed, NotFound


@require_GET
def begin(request: HttpRequest) -> HttpResponse:
    """To the provider; `back` is where people were."""
    try:
        return oidc.begin(request, request.GET.get("back", "/")[:2000])
    except (NotAllowed, NotFound) as error:
        return _told(str(error))


@require_GET
def callback(request: HttpRequest) -> HttpResponse:
    """The way back from the provider: signs in, or says why not."""
    try:
        return HttpResponseRedirect(oidc.finish(request))
    except (NotAllowed, NotFound) as error:
        return _told(str(error))


def _told(why: str) -> HttpResponse:
    """On the page where one signs in."""
    return HttpResponseRedirect(f"/sign-in?{urlencode({'refused': why[:400]})}")
