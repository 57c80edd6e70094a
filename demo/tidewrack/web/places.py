"""Where the services listen, all on loopback; the launcher gives each installation ports of its own."""

import os

FIRST_PORT = int(os.environ.get("TIDEWRACK_WEB_PORT", "25711"))
BOOKING_WEB_PORT, MANIFEST_EXPORT_PORT, PORT_AUTHORITY_PORT, CACHE_PORT = range(FIRST_PORT, FIRST_PORT + 4)
TRACES_URL = os.environ.get("TIDEWRACK_TRACES_URL", "")
TRACE_TOKEN = os.environ.get("TIDEWRACK_TRACE_TOKEN", "")
