"""The open layout of session samples: rows of any engine, from CSV or JSON Lines, into readings.

Only `time`, `session` and `state` are required; docs/session-samples.schema.json describes all columns. A row that
cannot be read is told with its line and the reason, and the rest goes on.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from zlib import crc32

from faena.core.numbers import INT4, whole_number
from faena.core.privacy import Normalised
from faena.core.readings import UNKNOWN_AGE, SampleReading, SessionSample
from faena.core.requests.context import context_of
from faena.core.sql.texts import conceal, fingerprint
from faena.core.units import EpochMs, Millis, Pid, QueryId

NOBODY = "none"  # state of a row that only says: sampled, and nobody was active
MAX_TOLD = 200  # faults kept with their reason; beyond it they are counted
EARLIEST_MS, LATEST_MS = 946_684_800_000, 4_102_444_800_000  # 2000 to 2100: whatever lies outside is a wrong unit
MAX_TEXT = 100_000
MAX_NAME = 500
NAMES = ("wait_type", "wait_event", "database", "user", "program", "client", "backend")
COLUMNS = (
    "time", "session", "state", *NAMES, "statement_id", "statement", "blocked_by", "statement_ms", "transaction_ms",
    "session_started",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """`line` counts from 1, the heading of a CSV file included."""

    line: int
    reason: str


@dataclass(slots=True, kw_only=True)
class Faults:
    """The first MAX_TOLD faults with their reason, and how many there were in all."""

    told: list[Fault] = field(default_factory=list)
    count: int = 0

    def add(self, line: int, reason: str) -> None:
        self.count += 1
        if len(self.told) < MAX_TOLD:
            self.told.append(Fault(line=line, reason=reason))


@dataclass(frozen=True, slots=True, kw_only=True)
class NeutralRow:
    """One row as read. `session` None: the tick was taken and nobody was active."""

    at: EpochMs
    session: SessionSample | None
    text: Normalised | None  # of its statement, literals replaced


class BadRow(ValueError):
    """A row that cannot be meant; the message says which column and why."""


def read_rows(rows: Iterable[tuple[int, Mapping[str, object] | str]], faults: Faults) -> Iterator[NeutralRow]:
    """From (line, row); a text in place of a row is the reason why that line could not be split into columns."""
    for line, raw in rows:
        if isinstance(raw, str):
            faults.add(line, raw)
            continue
        try:
            yield read_row(raw)
        except BadRow as bad:
            faults.add(line, str(bad))


def read_row(raw: Mapping[str, object]) -> NeutralRow:
    """Raises BadRow."""
    at = read_time(raw.get("time"), "time")
    state = _text(raw, "state")
    if not state:
        raise BadRow("state is missing; write active, idle in transaction, or none")
    if state == NOBODY:
        return NeutralRow(at=at, session=None, text=None)
    session = raw.get("session")
    if session is None or session == "":
        raise BadRow("session is missing; write a number or a name that identifies the session")
    text = _text(raw, "statement", most=MAX_TEXT)
    shown = conceal(text) if text else None
    identifier = _statement_id(raw.get("statement_id"))
    blocked_by = raw.get("blocked_by")
    return NeutralRow(
        at=at,
        text=shown,
        session=SessionSample(
            pid=_pid(session),
            started_s=read_time(raw["session_started"], "session_started") // 1000 if raw.get("session_started") else 0,
            state="idle in transaction" if state == "idle_in_transaction" else state,
            query_id=identifier if identifier is not None else (fingerprint(shown) if shown else None),
            blocked_by=() if blocked_by in (None, "") else (_pid(blocked_by),),
            statement_ms=_age(raw, "statement_ms"),
            context=context_of(text) if text else "",
            transaction_ms=_age(raw, "transaction_ms"),
            **{name: _text(raw, name) for name in NAMES if name != "backend"},  # type: ignore[arg-type]  # all are texts
            backend=_text(raw, "backend") or "client backend",
        ),
    )


def read_time(value: object, column: str) -> EpochMs:
    """ISO 8601 with an offset, or seconds or milliseconds since 1970. Raises BadRow."""
    if value is None or value == "":
        raise BadRow(f"{column} is missing")
    try:
        number = float(value) if not isinstance(value, bool) else None  # type: ignore[arg-type]
    except (TypeError, ValueError):
        number = None
    if number is None:
        try:
            moment = datetime.fromisoformat(str(value))
        except ValueError:
            raise BadRow(
                f"{column} {str(value)!r:.40} is no time; write 2026-11-23T09:20:00Z, or seconds since 1970"
            ) from None
        if moment.utcoffset() is None:
            raise BadRow(f"{column} {str(value)!r:.40} has no offset; add Z or +01:00")
        ms = round(moment.timestamp() * 1000)
    else:
        ms = round(number if abs(number) >= 1e11 else number * 1000) if abs(number) < 1e15 else -1
    if not EARLIEST_MS <= ms < LATEST_MS:
        raise BadRow(f"{column} {str(value)!r:.40} lies outside 2000 to 2100")
    return EpochMs(ms)


def _text(raw: Mapping[str, object], column: str, most: int = MAX_NAME) -> str:
    value = raw.get(column)
    if value is None:
        return ""
    text = str(value).replace("\0", "").strip()
    if len(text) > most:
        raise BadRow(f"{column} has {len(text)} characters; at most {most} are kept")
    return text


def _pid(value: object) -> Pid:
    """A number as it is, a name as a number of its own."""
    text = str(value).strip()
    number = whole_number(text, INT4)
    if number is not None and number >= 0:
        return Pid(number)
    return Pid(crc32(text.encode("utf-8", "surrogatepass")) >> 1)


def _statement_id(value: object) -> QueryId | None:
    if value is None or value == "":
        return None
    text = str(value).strip()
    try:
        number = int(text)
    except ValueError:
        return fingerprint(text)  # engines that identify statements by a word
    if not -(2**63) <= number < 2**63:
        return fingerprint(text)
    return QueryId(number)


def _age(raw: Mapping[str, object], column: str) -> int:
    value = raw.get(column)
    if value is None or value == "":
        return UNKNOWN_AGE
    try:
        number = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        raise BadRow(f"{column} {str(value)!r:.40} is no number of milliseconds") from None
    if not 0 <= number < 1e12:
        raise BadRow(f"{column} {str(value)!r:.40} must be zero or more, and less than thirty years")
    return int(number)


def by_tick(rows: Iterable[NeutralRow], faults: Faults) -> Iterator[tuple[SampleReading, dict[QueryId, Normalised]]]:
    """Readings in the order of the rows, which must ascend in time; a session twice at one tick is taken once."""
    at: EpochMs | None = None
    sessions: dict[Pid, SessionSample] = {}
    texts: dict[QueryId, Normalised] = {}

    def reading() -> tuple[SampleReading, dict[QueryId, Normalised]]:
        assert at is not None
        return SampleReading(due=at, took=Millis(0.0), sessions=tuple(sessions.values())), texts

    for row in rows:
        if at is not None and row.at < at:
            faults.count += 1
            if len(faults.told) < MAX_TOLD:
                faults.told.append(
                    Fault(line=0, reason=f"time goes back from {at} to {row.at} ms; sort the file by time")
                )
            continue
        if row.at != at:
            if at is not None:
                yield reading()
            at, sessions, texts = row.at, {}, {}
        if row.session is not None:
            sessions.setdefault(row.session.pid, row.session)
            if row.text and row.session.query_id is not None:
                texts[row.session.query_id] = row.text
    if at is not None:
        yield reading()
