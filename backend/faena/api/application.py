"""The API as one object; the committed contract is dumped from it."""

from ninja import NinjaAPI
from ninja.security import django_auth

from faena import __version__
from faena.api import (
    blocking,
    capture,
    collectors,
    deadlocks,
    disk,
    executions,
    hosts,
    indexes,
    load,
    marks,
    overview,
    people,
    plans,
    problems,
    search,
    servers,
    session,
    sessions,
    split,
    statement_page,
    statement_parts,
    statements,
)
from faena.api.figures import FastJson

api = NinjaAPI(
    title="Faena",
    version=__version__,
    description="Windows, trails and figures as on screen. Errors are problem+json (RFC 9457).",
    auth=django_auth,
    renderer=FastJson(),
    docs_url=None,
    openapi_url="/openapi.json",
)
problems.install(api)
api.add_router("/session", session.router)
api.add_router("/servers", servers.router)
api.add_router("", load.router)
api.add_router("", search.router)
api.add_router("", disk.router)
api.add_router("", statements.router)
api.add_router("", statement_page.router)
api.add_router("", statement_parts.router)
api.add_router("", split.router)
api.add_router("", overview.router)
api.add_router("", hosts.router)
api.add_router("", capture.router)
api.add_router("", plans.router)
api.add_router("", executions.router)
api.add_router("", indexes.router)
api.add_router("", sessions.router)
api.add_router("", blocking.router)
api.add_router("", deadlocks.router)
api.add_router("", marks.router)
api.add_router("", people.router)
api.add_router("", collectors.router)
