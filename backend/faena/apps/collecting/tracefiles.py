"""Traces from files: the same forms and rules as `./faena read-traces`, into a server's requests."""

from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.requests import sources
from faena.apps.requests.judging import Judge, put_to_traces
from faena.apps.requests.models import TraceSource
from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.sources.otlp.batch import Batch
from faena.sources.otlp.forms import MAX_BYTES, read_file

KEPT_DAYS = 400  # single requests of files, which are mostly of the past


@dataclass(frozen=True, slots=True, kw_only=True)
class TraceImport:
    """What came of a file. `requests` begin in it; `duplicates` are spans that were known. Moments are of its requests."""

    spans: int
    rejected: int
    why: str
    traces: int
    requests: int
    duplicates: int
    first_ms: int | None
    last_ms: int | None


def file_source(server: Server, name: str = "", *, by: AbstractBaseUser | AnonymousUser | None = None) -> TraceSource:
    """The source that files of a server count to, made when there is none. Raises NotAllowed, BadInput."""
    if by is not None:
        require(by, Role.OPERATOR, "import traces")
    name = name or f"files of {server.name}"[:80]
    known = TraceSource.objects.filter(name=name).select_related("server").first()
    if known is None:
        known, _ = sources.make(server, name)  # its token is thrown away: nobody can send with it
        known.retention_days = KEPT_DAYS
        known.save(update_fields=["retention_days"])
    if known.server_id != server.pk:
        raise BadInput(f"{name} is a source of {known.server.name}; choose another name", field="source")
    return known


def import_traces(
    source: TraceSource, content: bytes, now_ms: int, *, by: AbstractBaseUser | AnonymousUser | None = None
) -> TraceImport:
    """Take all spans of a file that can be read, and judge its traces. Raises NotAllowed, BadInput (BadPayload)."""
    if by is not None:
        require(by, Role.OPERATOR, "import traces")
    batch = Batch()
    read_file(content, batch)
    before = TraceSource.objects.get(pk=source.pk).duplicates
    traces = put_to_traces(source, batch, now_ms)
    done = Judge().settle_all_of(source, traces, now_ms)
    return TraceImport(
        spans=len(batch.spans),
        rejected=batch.rejected.total(),
        why=batch.why,
        traces=len(traces),
        requests=done.requests,
        duplicates=TraceSource.objects.get(pk=source.pk).duplicates - before,
        first_ms=done.first_ms,
        last_ms=done.last_ms,
    )


__all__ = ["MAX_BYTES", "TraceImport", "file_source", "import_traces"]
