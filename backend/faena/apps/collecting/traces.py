"""Traces on their way in: checked, unpacked within limits, kept until they are put to their traces."""

from dataclasses import dataclass
from threading import BoundedSemaphore

from faena.apps.collecting.destinations import Destinations
from faena.apps.requests import arrivals, sources
from faena.apps.requests.models import TraceSource
from faena.collector.kinds import Traced
from faena.core.errors import BadInput, Busy
from faena.core.units import EpochMs
from faena.sources.otlp.checking import TAKEN_JSON, TAKEN_PROTOBUF, check_json, check_protobuf
from faena.sources.otlp.forms import gunzipped, unzstd

MOST_UNPACKED = 32_000_000  # bytes of one payload
AT_ONCE = 4  # payloads unpacked at the same time: so much memory, whoever sends whatever
_room = BoundedSemaphore(AT_ONCE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Received:
    """What came of a payload; `why` tells of the first span that was rejected."""

    taken: int
    rejected: int
    why: str


class UnknownEncoding(BadInput):
    """A payload packed in a way that is not read here."""


def receive(token: str, body: bytes, *, encoding: str, json: bool, now: EpochMs) -> Received:
    """Take a payload from whoever has a token. Raises NotAllowed, BadInput (BadPayload, TooLarge), Busy, StoreAway."""
    source = sources.admit(token)
    arrivals.require_room()
    if not _room.acquire(timeout=1.0):
        raise Busy("several large payloads are being read; send it again", after_s=1)
    try:
        return take(source, unpacked(body, encoding), json=json, now=now)
    finally:
        _room.release()


def unpacked(body: bytes, encoding: str) -> bytes:
    """Raises BadInput."""
    match encoding.strip().lower():
        case "" | "identity":
            return body
        case "gzip":
            return gunzipped(body, MOST_UNPACKED)
        case "zstd":
            return unzstd(body, MOST_UNPACKED)
    raise UnknownEncoding(
        f"a payload is sent as it is, or as gzip or zstd, not as {encoding[:40]}", field="content-encoding"
    )


def take(source: TraceSource, payload: bytes, *, json: bool, now: EpochMs) -> Received:
    """Check a payload and keep what of it can be taken. Raises BadPayload."""
    taken, rejected, why = (check_json if json else check_protobuf)(payload)
    if taken or rejected:
        form = TAKEN_JSON if json else TAKEN_PROTOBUF
        record = Traced(
            server_id=source.server_id, source_id=source.pk, at=now, spans=taken + rejected, payload=form + payload
        )
        Destinations().store(Traced, source.server_id, [record])
    return Received(taken=taken, rejected=rejected, why=why)
