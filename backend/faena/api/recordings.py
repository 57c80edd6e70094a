"""Recordings: all waits of one session for a while, at the finer rate."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.session_parts import WaitSumOut, wait_sum
from faena.apps.answers.capture import sample_ms
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.apps.sessions import recording

router = Router(tags=["sessions"])


class RecordBody(Schema):
    """A session by `pid` and `started_s`, or the next session of `program`."""

    minutes: int
    pid: int | None = None
    started_s: int | None = None
    program: Annotated[str, Field(max_length=200)] = ""
    confirmed: bool = False


class RecordingOut(Out):
    id: int
    program: str
    pid: int | None
    started_s: int | None
    start: int
    end: int
    by: str


class RecordedOut(Out):
    """One session over a recording.

    `tick_ms` is what one sighting stands for; `ticks` were taken and the session was seen in `seen` of them.
    """

    recording: RecordingOut
    now: int
    tick_ms: int
    ticks: int
    seen: int
    waits: list[WaitSumOut]


@router.post("/servers/{server_id}/recordings", response={201: RecordingOut}, operation_id="recordings_begin")
def begin_recording(request: HttpRequest, server_id: int, body: RecordBody) -> Status[RecordingOut]:
    """Record all waits of a session at the finer rate, for some minutes. Operators and admins."""
    server, now = servers.server(server_id), now_ms()
    named = body.pid is not None and body.started_s is not None
    subject = (body.pid or 0, body.started_s or 0) if named else body.program
    made = recording.record(
        server, subject, body.minutes, sample_ms(server_id, now), now, confirmed=body.confirmed, by=request.user
    )
    return Status(201, RecordingOut.model_validate(made))


@router.get("/servers/{server_id}/recordings", response=list[RecordingOut], operation_id="recordings_list")
def list_recordings(request: HttpRequest, server_id: int) -> list[RecordingOut]:
    """The newest recordings of this server."""
    servers.server(server_id)
    return [RecordingOut.model_validate(one) for one in recording.recordings(server_id)]


@router.get("/servers/{server_id}/recordings/{recording_id}", response=RecordedOut, operation_id="recordings_get")
def get_recording(request: HttpRequest, server_id: int, recording_id: int) -> RecordedOut:
    """What a recording holds so far: waits by event."""
    waits = profile_of(servers.server(server_id)).waits
    found = recording.recorded(server_id, recording_id)
    return RecordedOut(
        recording=RecordingOut.model_validate(found.recording), now=now_ms(), tick_ms=found.tick_ms, ticks=found.ticks, seen=found.seen,
        waits=[wait_sum(one, found.dictionary, waits) for one in found.waits],
    )  # fmt: skip
