"""How a program of Tidewrack Ferries connects: with its own name, user and host, all on the loopback network."""

import os
import time
from dataclasses import dataclass
from pathlib import Path

from pg8000.native import Connection

FERRY_PORT = int(os.environ.get("FERRY_PORT", "24711"))
SWITCHES = Path(os.environ.get("FERRY_SWITCHES", ".faena/demo/troubles"))
POPULAR_SAILING = 17300


@dataclass(frozen=True, slots=True, kw_only=True)
class Host:
    """Where a program runs: its source addresses, all inside 127.0.0.0/8, where every address is this machine."""

    program: str
    user: str
    subnet: int
    addresses: int = 1

    def connect(self, number: int = 0) -> Connection:
        """Connection `number` of the program; the number picks the host it comes from."""
        return Connection(
            user=self.user,
            password="tidewrack",
            host="127.0.0.1",
            port=FERRY_PORT,
            database="ferry",
            application_name=self.program,
            source_address=(f"127.0.{self.subnet}.{11 + number % self.addresses}", 0),
            timeout=None,
        )


def is_on(trouble: str) -> bool:
    """Whether a trouble is switched on. A file per trouble, so that any process can ask and any command can switch."""
    return (SWITCHES / trouble).exists()


def wait_while(trouble: str, *, on: bool, seconds: float | None = None) -> bool:
    """Sleep while the trouble is on (or off). True when it changed, False when the time was up first."""
    end = None if seconds is None else time.monotonic() + seconds
    while is_on(trouble) == on:
        if end is not None and time.monotonic() >= end:
            return False
        time.sleep(0.1)
    return True
