"""`./faena read-traces FILE…|-`: requests out of OpenTelemetry traces, as JSON Lines: one object a request, then a summary."""

import argparse
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import orjson

from faena.core.requests.gathering import Traces
from faena.core.requests.request import Request
from faena.core.requests.summary import Endpoint, endpoints
from faena.sources.otlp.batch import BadPayload, Batch
from faena.sources.otlp.forms import MAX_BYTES, read_file


def main(arguments: Sequence[str]) -> int:
    """0; or 2 with one line on standard error, and nothing printed, for what cannot be read."""
    parser = argparse.ArgumentParser(prog="faena read-traces", description=__doc__)
    parser.add_argument(
        "files", nargs="+", metavar="FILE", help="protobuf, JSON or JSON Lines, also gzipped; - for standard input"
    )
    traces = Traces()
    for name in parser.parse_args(arguments).files:
        try:
            batch = Batch()
            read_file(_content(name), batch)
        except (OSError, BadPayload) as error:
            where = "standard input" if name == "-" else name
            print(f"faena: {where}: {getattr(error, 'strerror', None) or error}", file=sys.stderr)
            return 2
        traces.add(batch.spans, batch.rejected)
    requests = traces.requests()
    write = sys.stdout.buffer.write
    for request in requests:
        write(orjson.dumps(as_object(request, traces.rejected)) + b"\n")
    write(orjson.dumps(summary(traces, requests)) + b"\n")
    return 0


def _content(name: str) -> bytes:
    """A little more than is read at most, so that whoever reads it sees that it is too much."""
    if name == "-":
        return sys.stdin.buffer.read(MAX_BYTES + 1)
    with Path(name).open("rb") as file:
        return file.read(MAX_BYTES + 1)


def as_object(request: Request, rejected: Mapping[bytes, int]) -> dict[str, Any]:
    """A request as it is printed. Times are milliseconds."""
    return {
        "event": "request",
        "trace_id": request.trace.hex(),
        "endpoint": request.endpoint,
        "service": request.top.service,
        "kind": request.kind,
        "at": request.at,
        "duration_ms": _ms(request.duration_ms),
        "layers": {layer.value: _ms(ms) for layer, ms in request.layers.items()},
        "database_share": round(request.database_share, 4),
        "statements": request.statements,
        "repeated": [
            {
                "statement": one.statement, "count": one.count, "time_ms": _ms(one.time_ms),
                "code": one.code, "after": one.after,
            }
            for one in request.repeated
        ],
        "error": request.error,
        "spans": len(request.spans),
        "rejected": rejected.get(request.trace, 0),
    }  # fmt: skip


def summary(traces: Traces, requests: Sequence[Request]) -> dict[str, Any]:
    """What all requests come to, endpoint by endpoint, as it is printed."""
    rows = endpoints(requests)
    return {
        "event": "summary",
        "requests": len(requests),
        "spans": traces.spans,
        "rejected": traces.rejected.total(),
        "duplicates": traces.duplicates,
        "endpoints": [_endpoint(row) for row in rows],
        "findings": [
            {"kind": one.kind.value, "endpoint": row.endpoint, "detail": one.detail, "attribute": one.attribute}
            for row in rows
            for one in row.findings
        ],
    }


def _endpoint(row: Endpoint) -> dict[str, Any]:
    return {
        "endpoint": row.endpoint,
        "service": row.service,
        "requests": len(row.requests),
        "time_ms": _ms(row.time_ms),
        "mean_ms": _ms(row.mean_ms),
        "p95_ms": _ms(row.p95_ms),
        "errors": row.errors,
        "worst_layer": row.worst_layer.value,
        "database_share": round(row.database_share, 4),
    }


def _ms(value: float) -> float:
    """Exact to a nanosecond, as spans are."""
    return round(value, 6)
