"""The API as one object; the committed contract is dumped from it."""

from ninja import NinjaAPI

from faena import __version__
from faena.api import (
    alerts,
    blocking,
    capture,
    cases,
    changes,
    collectors,
    compare,
    conditions,
    deadlocks,
    disk,
    ending,
    executions,
    followers,
    hosts,
    indexes,
    layouts,
    lead_history,
    leads,
    load,
    marks,
    overview,
    people,
    plans,
    problems,
    recordings,
    refresh,
    request_notes,
    request_page,
    request_spread,
    requests,
    search,
    servers,
    session,
    sessions,
    sources,
    split,
    statement_page,
    statement_parts,
    statements,
    tokens,
    troubles,
    words,
)
from faena.api.bearer import TokenAuth
from faena.api.figures import FastJson
from faena.api.standing import Signed

api = NinjaAPI(
    title="Faena",
    version=__version__,
    description="Windows, trails and figures as on screen. Errors are problem+json (RFC 9457).",
    auth=[TokenAuth(), Signed()],
    renderer=FastJson(),
    docs_url=None,
    openapi_url="/openapi.json",
)
problems.install(api)
api.add_router("/session", session.router)
api.add_router("/servers", servers.router)
for part in (
    load, search, disk, followers, statements, statement_page, statement_parts, split, overview, hosts, capture, plans, executions,
    indexes, sessions, ending, recordings, blocking, deadlocks, marks, people, collectors, layouts, words, refresh,
    requests, request_notes, request_page, lead_history, leads, changes, compare, request_spread, sources, alerts,
    conditions, cases, tokens,
    troubles,
):  # fmt: skip
    api.add_router("", part.router)
