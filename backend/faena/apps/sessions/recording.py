"""Recordings: all waits of one session for a while, at the finer rate of a close watch."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.sessions import read_sessions, sessions_of
from faena.apps.servers.capture import MAX_CLOSE_MINUTES, watch_closely
from faena.apps.servers.models import Server
from faena.apps.sessions.models import Recording
from faena.apps.sessions.selectors import first_of_program
from faena.core.errors import BadInput, NotFound
from faena.core.sampling.dimensions import Dictionary, Dimension
from faena.core.series.window import Window
from faena.core.sessions.tape import WaitSum, stretches, wait_sums
from faena.core.units import EpochMs

MS_PER_MINUTE = 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Note:
    """A recording: of the session (`pid`, `started_s`), or of the next session of a program, which is not known yet."""

    id: int
    program: str
    pid: int | None
    started_s: int | None
    start: int
    end: int
    by: str


def _note(row: Recording) -> Note:
    return Note(
        id=row.pk, program=row.program, pid=row.pid, started_s=row.started_s, start=row.from_ms, end=row.until_ms,
        by=row.asked_by,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Recorded:
    """What a recording holds so far; `tick_ms` is one sighting's worth."""

    recording: Note
    tick_ms: int
    ticks: int
    seen: int
    waits: Sequence[WaitSum]
    dictionary: Dictionary


def record(
    server: Server, subject: tuple[int, int] | str, minutes: int, sample_ms: float | None, now_ms: int, *,
    confirmed: bool, by: AbstractBaseUser | AnonymousUser,
) -> Note:  # fmt: skip
    """Begin one, of a session (pid, start) or of the next session of a program. The whole server is watched closely meanwhile.

    Raises NotAllowed, BadInput.
    """
    user = require(by, Role.OPERATOR, "record a session")
    if not 1 <= minutes <= MAX_CLOSE_MINUTES:
        raise BadInput(f"a recording lasts 1 to {MAX_CLOSE_MINUTES} minutes", field="minutes")
    if isinstance(subject, str) and not subject.strip():
        raise BadInput("name the session, or the program whose next session is meant", field="program")
    left_ms = max(0, server.close_watch_until_ms - now_ms)
    watch_closely(server, max(minutes, -(-left_ms // MS_PER_MINUTE)), sample_ms, now_ms, confirmed=confirmed, by=by)
    until = now_ms + minutes * MS_PER_MINUTE
    of = (
        {"program": subject.strip()}
        if isinstance(subject, str)
        else dict(zip(("pid", "started_s"), subject, strict=True))
    )
    return _note(Recording.objects.create(server=server, from_ms=now_ms, until_ms=until, asked_by=user.username, **of))


def recordings(server_id: int, limit: int = 20) -> list[Note]:
    """Newest first."""
    return [_note(row) for row in Recording.objects.filter(server_id=server_id).order_by("-from_ms")[:limit]]


def recorded(server_id: int, recording_id: int) -> Recorded:
    """What one holds so far. Raises NotFound."""
    found = Recording.objects.filter(server_id=server_id, id=recording_id).first()
    if found is None:
        raise NotFound("there is no such recording of this server")
    window = Window(start=EpochMs(found.from_ms), end=EpochMs(found.until_ms))
    frame, dictionary = read_sessions(server_id, window), read_dictionary(server_id)
    frame = frame.rows(frame.code < len(dictionary))
    if found.program and found.pid is None:
        subject = first_of_program(frame, dictionary, found.program, found.from_ms)
        if subject is not None:  # known from now on, whatever comes later
            found.pid, found.started_s = subject
            found.save(update_fields=["pid", "started_s"])
    own = sessions_of(frame, [(found.pid or 0, found.started_s or 0)])
    ticks = len(frame.tick_ms)
    span = int(frame.tick_ms[-1] - frame.tick_ms[0]) if ticks > 1 else 0
    return Recorded(
        recording=_note(found), tick_ms=round(span / (ticks - 1)) if span else 0,
        ticks=ticks, seen=len(own.pid), waits=wait_sums(stretches(own), dictionary.encoded(Dimension.WAIT).ids.astype("int64")),
        dictionary=dictionary,
    )  # fmt: skip
