"""Applications that may send traces of a server: their tokens, and what is kept of their spans."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Field, File, Query, Router, Schema
from ninja.files import UploadedFile

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.collecting.tracefiles import MAX_BYTES, file_source, import_traces
from faena.apps.requests import sources
from faena.apps.servers import selectors as servers

router = Router(tags=["requests"])


class TraceSourceOut(Out):
    """An application that may send traces. Counts are since it was made; `last_used` None: its token was never used."""

    id: int
    name: str
    last_used: int | None
    attributes: list[str]
    personal: bool
    target_ms: float
    retention_days: int
    spans: int
    rejected: int
    rejected_why: str
    rejected_at: int
    duplicates: int


class TraceSourcesOut(Out):
    sources: list[TraceSourceOut]
    waiting: int


class NewSourceBody(Schema):
    name: str


class SourceBody(Schema):
    """A source of traces as somebody wants it.

    `attributes`: names that are kept beyond those that always are; `personal`: also such as may tell of a person.
    """

    attributes: list[str] = Field(default_factory=list)
    personal: bool = False
    target_ms: float = 500.0
    retention_days: int = 14


class SourceTokenOut(Out):
    """The token is told this once."""

    id: int
    token: str


class SourceRemovedOut(Out):
    removed: bool = True


@router.get("/servers/{server_id}/trace-sources", response=TraceSourcesOut, operation_id="trace_sources_list")
def list_sources(request: HttpRequest, server_id: int) -> TraceSourcesOut:
    """Who sends traces of this server. `waiting` spans came in and are not judged yet."""
    server = servers.server(server_id)
    return TraceSourcesOut(
        sources=[TraceSourceOut.model_validate(one) for one in sources.all_of(server.pk)],
        waiting=sources.waiting(server.pk),
    )


@router.post("/servers/{server_id}/trace-sources", response=SourceTokenOut, operation_id="trace_source_make")
def make_source(request: HttpRequest, server_id: int, body: NewSourceBody) -> SourceTokenOut:
    """Let an application send traces. Admins only."""
    source, token = sources.make(servers.server(server_id), body.name.strip(), by=request.user)
    return SourceTokenOut(id=source.pk, token=token)


@router.post(
    "/servers/{server_id}/trace-sources/{source_id}/token", response=SourceTokenOut, operation_id="trace_source_renew"
)
def renew_source(request: HttpRequest, server_id: int, source_id: int) -> SourceTokenOut:
    """Another token; the one before ends at once. Admins only."""
    source = sources.of(server_id, source_id)
    return SourceTokenOut(id=source.pk, token=sources.renew(source, by=request.user))


@router.put(
    "/servers/{server_id}/trace-sources/{source_id}", response=TraceSourceOut, operation_id="trace_source_change"
)
def change_source(request: HttpRequest, server_id: int, source_id: int, body: SourceBody) -> TraceSourceOut:
    """What is kept of its traces from now on. Admins only."""
    sources.change(sources.of(server_id, source_id), sources.SourceForm(**body.dict()), by=request.user)
    return TraceSourceOut.model_validate(sources.told(sources.of(server_id, source_id)))


@router.delete(
    "/servers/{server_id}/trace-sources/{source_id}", response=SourceRemovedOut, operation_id="trace_source_remove"
)
def remove_source(request: HttpRequest, server_id: int, source_id: int) -> SourceRemovedOut:
    """The source, its token and its single requests; sums stay. Admins only."""
    sources.remove(sources.of(server_id, source_id), by=request.user)
    return SourceRemovedOut()


class TraceImportOut(Out):
    """What came of a file; `why` tells of the first span that was rejected, moments are of its requests."""

    server: int
    spans: int
    rejected: int
    why: str
    traces: int
    requests: int
    duplicates: int
    first: int | None
    last: int | None


@router.post("/servers/{server_id}/import/traces", response=TraceImportOut, operation_id="import_traces")
def upload_traces(
    request: HttpRequest,
    server_id: int,
    file: Annotated[UploadedFile, File(description="OTLP as protobuf, JSON or JSON Lines, also gzipped")],
    source: Annotated[str, Query(max_length=80, description="the application it is of; made when there is none")] = "",
) -> TraceImportOut:
    """OpenTelemetry traces from a file, into the requests of a server. Operators and admins."""
    server = servers.server(server_id)
    found = import_traces(
        file_source(server, source, by=request.user), file.read(MAX_BYTES + 1), now_ms(), by=request.user
    )
    return TraceImportOut(
        server=server.pk, spans=found.spans, rejected=found.rejected, why=found.why, traces=found.traces,
        requests=found.requests, duplicates=found.duplicates, first=found.first_ms, last=found.last_ms,
    )  # fmt: skip
