"""booking-web: looks at sailings, holds deck slots, asks the port authority for leave to sail."""

import json
from typing import Any

import psycopg
import redis
import requests
from django.http import HttpRequest, JsonResponse
from django.urls import path

from tidewrack.client import is_on
from tidewrack.web.places import BOOKING_WEB_PORT, CACHE_PORT, PORT_AUTHORITY_PORT
from tidewrack.web.serving import Database, serve

SERVICE, USER, VERSION = "booking-web", "booking_web", "7.2"
PLAN_KEPT_S = 20
AUTHORITY = f"http://127.0.0.1:{PORT_AUTHORITY_PORT}"
database = Database(SERVICE, USER, size=8)
cache = redis.Redis(host="127.0.0.1", port=CACHE_PORT)


def sailing(request: HttpRequest, sailing_id: int) -> JsonResponse:
    """One sailing with its vessel, and which of its deck slots are free, from the cache where it has them."""
    with database.connection() as db:
        row = db.execute(
            "SELECT s.id, s.departs_at, v.name FROM sailing s JOIN vessel v ON v.id = s.vessel_id WHERE s.id = %s",
            [sailing_id],
        ).fetchone()
        return JsonResponse({"sailing": str(row), "free": _deck_plan(db, sailing_id)})


def _deck_plan(db: psycopg.Connection[Any], sailing_id: int) -> int:
    asks = not is_on("cache-unasked")
    if asks and (kept := cache.get(f"plan:{sailing_id}")):
        return int(json.loads(kept))
    query = "SELECT count(*) FROM deck_slot WHERE sailing_id = %s AND booking_id IS NULL"
    ((free,),) = db.execute(query, [sailing_id]).fetchall()
    if asks:
        cache.set(f"plan:{sailing_id}", json.dumps(free), ex=PLAN_KEPT_S)
    return int(free)


def bookings(request: HttpRequest, customer_id: int) -> JsonResponse:
    """What a customer booked lately."""
    query = "SELECT id, reference, state, amount FROM booking WHERE customer_id = %s ORDER BY booked_at DESC LIMIT 10"
    with database.connection() as db:
        return JsonResponse({"bookings": len(db.execute(query, [customer_id]).fetchall())})


def hold_slot(request: HttpRequest, sailing_id: int, slot: int) -> JsonResponse:
    """Holds a deck slot for ten minutes, once the port authority lets the sailing go."""
    leave = requests.get(f"{AUTHORITY}/leave/{sailing_id}", timeout=10)
    if leave.status_code != 200:
        return JsonResponse({"held": False, "why": "the port authority does not answer"}, status=503)
    with database.connection() as db, db.transaction():
        db.execute(
            "UPDATE deck_slot SET held_until = now() + interval '10 minutes' WHERE sailing_id = %s AND slot_no = %s",
            [sailing_id, slot],
        )
    return JsonResponse({"held": True})


ROUTES = [
    path("sailings/<int:sailing_id>", sailing),
    path("customers/<int:customer_id>/bookings", bookings),
    path("sailings/<int:sailing_id>/slots/<int:slot>/hold", hold_slot),
]


def start() -> None:
    """Serve until the process ends."""
    serve(SERVICE, VERSION, ROUTES, BOOKING_WEB_PORT)
