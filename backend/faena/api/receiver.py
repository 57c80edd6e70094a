"""OTLP over HTTP: where applications send their traces. Statuses and bodies are those of its specification."""

import orjson
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt
from google.protobuf.json_format import MessageToJson
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceResponse
from psycopg_pool import PoolTimeout

from faena.api.parameters import now_ms
from faena.apps.collecting.traces import UnknownEncoding, receive
from faena.core.errors import BadInput, Busy, NotAllowed, StoreAway
from faena.sources.otlp.forms import TooLarge
from faena.sources.otlp.wire import in_field

_PROTOBUF, _JSON = "application/x-protobuf", "application/json"
_AWAY_S = 5


@csrf_exempt
def traces(request: HttpRequest) -> HttpResponse:
    """POST /v1/traces with the header `Authorization: Bearer TOKEN`."""
    form = request.content_type or ""
    json = form == _JSON
    if request.method != "POST":
        return _refused(405, "traces are sent by POST", json=json, Allow="POST")
    if form not in (_PROTOBUF, _JSON):
        return _refused(415, f"traces are sent as {_PROTOBUF} or {_JSON}, not as {form[:60] or 'nothing'}", json=json)
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    try:
        found = receive(
            token.strip() if scheme.lower() == "bearer" else "", request.read(),
            encoding=request.headers.get("Content-Encoding", ""), json=json, now=now_ms(),
        )  # fmt: skip
    except NotAllowed as error:
        return _refused(401, str(error), json=json)
    except TooLarge as error:
        return _refused(413, str(error), json=json)
    except UnknownEncoding as error:
        return _refused(415, str(error), json=json)
    except BadInput as error:
        return _refused(400, str(error), json=json)
    except Busy as error:
        return _refused(429, str(error), json=json, **{"Retry-After": str(error.after_s)})
    except (StoreAway, OperationalError, InterfaceError, PoolTimeout):
        return _refused(503, "Faena's store does not answer; send it again", json=json, **{"Retry-After": str(_AWAY_S)})
    answer = ExportTraceServiceResponse()
    if found.rejected:
        answer.partial_success.rejected_spans = found.rejected
        answer.partial_success.error_message = f"{found.rejected} spans were rejected; of the first, {found.why}"
    if json:
        return HttpResponse(MessageToJson(answer, indent=None), content_type=_JSON)
    return HttpResponse(answer.SerializeToString(), content_type=_PROTOBUF)


def _refused(status: int, why: str, *, json: bool, **headers: str) -> HttpResponse:
    """An answer that refuses: its body is a google.rpc.Status, whose field 2 is the message."""
    content = orjson.dumps({"message": why}) if json else in_field(2, why.encode())
    response = HttpResponse(content, status=status, content_type=_JSON if json else _PROTOBUF)
    for name, value in headers.items():
        response[name] = value
    return response
