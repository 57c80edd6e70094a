"""manifest-export: the list of who sails, in one statement, or as a loop that somebody once wrote."""

from typing import Any

import psycopg
from django.http import HttpRequest, JsonResponse
from django.urls import path

from tidewrack.client import is_on
from tidewrack.web.places import MANIFEST_EXPORT_PORT
from tidewrack.web.serving import Database, serve

SERVICE, USER, VERSION = "manifest-export", "manifest_export", "3.1"
database = Database(SERVICE, USER, size=3)


def manifest(request: HttpRequest, sailing_id: int) -> JsonResponse:
    """Passengers of a sailing; with the trouble one-by-one a query for its bookings, then one more for each of them."""
    with database.connection() as db:
        passengers = _one_by_one(db, sailing_id) if is_on("one-by-one") else _at_once(db, sailing_id)
        db.execute("INSERT INTO manifest (sailing_id, passengers) VALUES (%s, %s)", [sailing_id, passengers])
        return JsonResponse({"passengers": passengers})


def _at_once(db: psycopg.Connection[Any], sailing_id: int) -> int:
    query = "SELECT p.name, p.kind, b.reference FROM booking b JOIN passenger p ON p.booking_id = b.id WHERE b.sailing_id = %s"
    return len(db.execute(query, [sailing_id]).fetchall())


def _one_by_one(db: psycopg.Connection[Any], sailing_id: int) -> int:
    found = 0
    for (booking,) in db.execute("SELECT id FROM booking WHERE sailing_id = %s", [sailing_id]).fetchall():
        found += len(db.execute("SELECT name, kind FROM passenger WHERE booking_id = %s", [booking]).fetchall())
    return found


ROUTES = [path("manifests/<int:sailing_id>", manifest)]


def start() -> None:
    """Serve until the process ends."""
    serve(SERVICE, VERSION, ROUTES, MANIFEST_EXPORT_PORT)
