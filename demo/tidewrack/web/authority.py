"""A made-up port authority that booking-web must ask: quick, slow, or switched off, as the troubles say."""

import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread

from tidewrack.client import is_on
from tidewrack.web.places import PORT_AUTHORITY_PORT

SLOW_S, QUICK_S = 0.9, 0.004


class _Leave(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        time.sleep(SLOW_S if is_on("slow-authority") else QUICK_S)
        content = b'{"leave": true}'
        self.send_response(503 if is_on("authority-off") else 200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, format: str, *args: object) -> None:
        pass


def start() -> None:
    """Serve until the process ends."""
    server = ThreadingHTTPServer(("127.0.0.1", PORT_AUTHORITY_PORT), _Leave)
    server.daemon_threads = True
    Thread(target=server.serve_forever, daemon=True).start()
