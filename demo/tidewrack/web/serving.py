"""What both services have in common: Django without its own database, spans of everything, one thread per request."""

import socket
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from socketserver import ThreadingMixIn
from typing import Any
from wsgiref.simple_server import WSGIRequestHandler, WSGIServer, make_server

import django
import psycopg
from django.conf import settings
from django.core.wsgi import get_wsgi_application
from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.django import DjangoInstrumentor
from opentelemetry.instrumentation.psycopg import PsycopgInstrumentor
from opentelemetry.instrumentation.redis import RedisInstrumentor
from opentelemetry.instrumentation.requests import RequestsInstrumentor
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor
from psycopg_pool import ConnectionPool

from tidewrack.client import FERRY_PORT
from tidewrack.web.places import TRACE_TOKEN, TRACES_URL

SEND_EVERY_MS = 2000
PATIENCE_S = 120.0


def trace_everything(service: str, version: str) -> None:
    """Spans of requests, statements, the cache and calls to others; each statement carries the trace in a comment."""
    resource = Resource.create({"service.name": service, "service.version": version, "host.name": socket.gethostname()})
    provider = TracerProvider(resource=resource)
    if TRACES_URL:
        exporter = OTLPSpanExporter(endpoint=TRACES_URL, headers={"authorization": f"Bearer {TRACE_TOKEN}"}, timeout=5)
        provider.add_span_processor(BatchSpanProcessor(exporter, schedule_delay_millis=SEND_EVERY_MS))
    trace.set_tracer_provider(provider)
    DjangoInstrumentor().instrument()
    PsycopgInstrumentor().instrument(enable_commenter=True, commenter_options={"opentelemetry_values": True})
    RequestsInstrumentor().instrument()
    RedisInstrumentor().instrument()


class Database:
    """A pool of connections; waiting for a free one is a span of its own, as pools that are traced tell it."""

    def __init__(self, program: str, user: str, size: int) -> None:
        settings_of = {
            "host": "127.0.0.1", "port": FERRY_PORT, "dbname": "ferry", "user": user, "password": "tidewrack",
            "application_name": program,
        }  # fmt: skip
        self._pool = ConnectionPool(
            kwargs={**settings_of, "autocommit": True}, min_size=size, max_size=size, timeout=PATIENCE_S, open=False
        )
        self._tracer = trace.get_tracer("tidewrack.pool")

    @contextmanager
    def connection(self) -> Iterator[psycopg.Connection[Any]]:
        """One connection of the pool for the length of the block."""
        self._pool.open()
        with self._tracer.start_as_current_span("acquire connection"):
            found = self._pool.getconn()
        try:
            yield found
        finally:
            self._pool.putconn(found)


class _Server(ThreadingMixIn, WSGIServer):
    daemon_threads = True
    request_queue_size = 64


class _Silent(WSGIRequestHandler):
    def log_message(self, format: str, *args: Any) -> None:
        pass


def serve(service: str, version: str, routes: Sequence[Any], port: int) -> None:
    """Listen on loopback until the process ends, in threads of its own."""
    settings.configure(
        SECRET_KEY="nothing is signed here", ROOT_URLCONF=type("routes", (), {"urlpatterns": list(routes)}),
        ALLOWED_HOSTS=["127.0.0.1"], MIDDLEWARE=[], USE_TZ=True, LOGGING_CONFIG=None,
    )  # fmt: skip
    trace_everything(service, version)
    django.setup(set_prefix=False)
    server = make_server("127.0.0.1", port, get_wsgi_application(), server_class=_Server, handler_class=_Silent)
    threading.Thread(target=server.serve_forever, daemon=True).start()
