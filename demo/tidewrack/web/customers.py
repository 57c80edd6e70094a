"""Who uses the services: customers who look, book and go, and officers who want manifests. Not traced: they are outside."""

import random
import threading
import time
from collections.abc import Callable
from http.client import HTTPConnection, HTTPException

from tidewrack.client import POPULAR_SAILING, is_on
from tidewrack.web.places import BOOKING_WEB_PORT, MANIFEST_EXPORT_PORT

NEAR_SAILINGS = (17281, 17680)
PATIENCE_S = 120.0
Visit = Callable[[HTTPConnection, random.Random], None]


def get(service: HTTPConnection, path: str) -> None:
    service.request("GET", path)
    service.getresponse().read()


def customer(service: HTTPConnection, chance: random.Random) -> None:
    """Looks at a sailing and at earlier bookings, and mostly holds a deck slot."""
    time.sleep(min(chance.expovariate(1 / 0.5), 5.0))
    sailing = POPULAR_SAILING if chance.random() < 0.35 else chance.randint(*NEAR_SAILINGS)
    get(service, f"/sailings/{sailing}")
    get(service, f"/customers/{chance.randint(1, 119999)}/bookings")
    if chance.random() < 0.6:
        get(service, f"/sailings/{sailing}/slots/{chance.randint(1, 70)}/hold")


def officer(service: HTTPConnection, chance: random.Random) -> None:
    """Wants a manifest now and then; in the hour before sailing, one after another."""
    time.sleep(0.02 if is_on("one-by-one") else min(chance.expovariate(1 / 3.0), 10.0))
    get(service, f"/manifests/{chance.randint(*NEAR_SAILINGS)}")


def visit(port: int, number: int, act: Visit) -> None:
    """One visitor for ever, over one connection, which is made again when it breaks."""
    chance = random.Random(f"{act.__name__}:{number}")
    while True:
        service = HTTPConnection("127.0.0.1", port, timeout=PATIENCE_S)
        try:
            while True:
                act(service, chance)
        except (OSError, HTTPException):
            time.sleep(0.5 + chance.random())
        finally:
            service.close()


def come(port: int, many: int, act: Visit) -> None:
    """So many visitors, each in a thread."""
    for number in range(many):
        threading.Thread(target=visit, args=(port, number, act), daemon=True).start()


def start() -> None:
    """All of them."""
    come(BOOKING_WEB_PORT, 8, customer)
    come(MANIFEST_EXPORT_PORT, 2, officer)
