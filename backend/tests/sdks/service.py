"""A small web service with the SDK and its instrumentation, as applications have it: one request, sent, and that is all.

python service.py ENDPOINT TOKEN POSTGRES REDIS_PORT
"""

import sys
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import django
import psycopg
import redis
import requests
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.test import Client
from django.urls import path
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.django import DjangoInstrumentor
from opentelemetry.instrumentation.psycopg import PsycopgInstrumentor
from opentelemetry.instrumentation.redis import RedisInstrumentor
from opentelemetry.instrumentation.requests import RequestsInstrumentor
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor
from opentelemetry.trace import set_tracer_provider

endpoint, token, dsn, redis_port = sys.argv[1:]


class Authority(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        self.send_response(200)
        self.end_headers()

    def log_message(self, *_: Any) -> None:
        return


authority = ThreadingHTTPServer(("127.0.0.1", 0), Authority)
threading.Thread(target=authority.serve_forever, daemon=True).start()


def berth(request: HttpRequest, number: int) -> HttpResponse:
    redis.Redis(port=int(redis_port)).get(f"berth:{number}")
    with psycopg.connect(dsn) as connection:
        for _ in range(6):
            connection.execute("SELECT %s::int + 1", [number])
    requests.get(f"http://127.0.0.1:{authority.server_port}/permits?mail=ada@quay.example", timeout=5)
    return HttpResponse("ok")


urlpatterns = [path("berths/<int:number>", berth)]
settings.configure(ROOT_URLCONF=__name__, ALLOWED_HOSTS=["testserver"], SECRET_KEY="for one request")
django.setup()
provider = TracerProvider(resource=Resource.create({"service.name": "berth-web", "service.version": "2"}))
exporter = OTLPSpanExporter(endpoint=endpoint, headers={"Authorization": f"Bearer {token}"})
provider.add_span_processor(BatchSpanProcessor(exporter))
set_tracer_provider(provider)
DjangoInstrumentor().instrument()
PsycopgInstrumentor().instrument(enable_commenter=True)
RequestsInstrumentor().instrument()
RedisInstrumentor().instrument()
assert Client().get("/berths/7").status_code == 200
assert provider.force_flush(10_000)
provider.shutdown()
