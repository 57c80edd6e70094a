"""Looks a wait event up: its kind, meaning, usual causes, what to look at next and what it rules out."""

from dataclasses import replace

from faena.core.engines.postgres.waits.advice import ADVICE, Advice
from faena.core.engines.postgres.waits.events import BY_TYPE, TYPE_ADVICE
from faena.core.waits.kinds import WaitKind
from faena.core.waits.meaning import WaitMeaning

FIRST_VERSION, LAST_VERSION = 12, 17
RENAMED = 13  # the version that gave nearly all events their names of today

RUNNING = Advice(
    WaitKind.RUNNING,
    (
        "The statement does work: it scans, joins, sorts, computes.",
        "More sessions run than there are cores, so they share them and each gets slower.",
    ),
    (
        "Compare running with the number of cores: above it, cores are what is missing.",
        "Open the top statement: many calls, or few that do too much? A scan for want of an index looks like this.",
    ),
    ("locks", "disk latency (unless the system reads from its own cache)", "the client"),
)


def _meaning(wait_type: str, event: str, text: str, advice: Advice, *, known: bool) -> WaitMeaning:
    return WaitMeaning(
        wait_type=wait_type,
        event=event,
        kind=advice.kind,
        meaning=text,
        causes=advice.causes,
        look_next=advice.look_next,
        rules_out=advice.rules_out,
        known=known,
        first_version=FIRST_VERSION,
        last_version=LAST_VERSION,
    )


def _read(wait_type: str, block: str) -> list[WaitMeaning]:
    entries = []
    for line in block.strip().splitlines():
        told, versions, advice, meaning = (part.strip() for part in line.split("|"))
        names = tuple(name.strip() for name in told.split(","))
        for name, (first, last) in zip(names, _spans(len(names), versions), strict=True):
            base = _meaning(wait_type, name, meaning, ADVICE[advice], known=True)
            others = tuple(other for other in names if other != name)
            entries.append(replace(base, first_version=first, last_version=last, also_called=others))
    return entries


def _spans(names: int, versions: str) -> list[tuple[int, int]]:
    """First and last version of each name of an event."""
    spans = [tuple(map(int, one.split("-"))) for one in versions.split(",")] if versions else []
    if len(spans) > 1:
        return [(first, last) for first, last in spans]
    first, last = spans[0] if spans else (FIRST_VERSION, LAST_VERSION)
    if names == 1:
        return [(first, last)]
    return [(max(first, RENAMED), last), *[(first, RENAMED - 1)] * (names - 1)]


CATALOGUE: dict[tuple[str, str], WaitMeaning] = {
    (entry.wait_type, entry.event): entry for wait_type, block in BY_TYPE.items() for entry in _read(wait_type, block)
}


def explain(wait_type: str, event: str) -> WaitMeaning:
    """The entry for a wait as the server reports it; no wait means running. Never fails: an unknown one says so."""
    if not wait_type:
        text = (
            "The server reports no wait, so the session is working: on a core, or ready and queueing for one. "
            "Time in system calls that the server does not report counts here too."
        )
        return _meaning("", "", text, RUNNING, known=True)
    if found := CATALOGUE.get((wait_type, event)):
        return found
    advice, text = TYPE_ADVICE.get(wait_type, ("engine", f"Waits for something of the type {wait_type!r}."))
    text += f" Faena does not know the event {event!r}; this is what is true of every wait of its type."
    return _meaning(wait_type, event, text, ADVICE[advice], known=False)


SAFE_SNAPSHOT = "SafeSnapshot"  # a wait for serializable transactions to end, told as communication between processes


def behind_sessions(wait_type: str, event: str) -> bool:
    """Whether a wait ends when certain other sessions let go: for locks, and for a snapshot that can be trusted."""
    return wait_type == "Lock" or event == SAFE_SNAPSHOT


def kind_of(wait_type: str, event: str) -> WaitKind:
    """Kind of a wait, without building an explanation for unknown ones. Hot path: once per dictionary entry."""
    if not wait_type:
        return WaitKind.RUNNING
    found = CATALOGUE.get((wait_type, event))
    return found.kind if found else explain(wait_type, event).kind
