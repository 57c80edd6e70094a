"""Clients connect anew for each piece of work, or there are more of them than the server takes."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import capital, sessions
from faena.core.findings import Reference
from faena.core.logged import EventKind, LogEvent
from faena.core.sampling.dimensions import Dimension

LEAST_A_SECOND = 5.0  # sessions that begin
LEAST_REFUSED = 3
TOO_MANY = "53300"  # the SQLSTATE too_many_connections
TOO_MANY_WORDS = ("too many clients", "too many connections", "connection slots")  # of logs without SQLSTATEs


def no_room(event: LogEvent) -> bool:
    """Whether a client was refused since there were too many: not for its password, nor since the server starts or stops."""
    if event.sqlstate:
        return event.sqlstate == TOO_MANY
    return any(words in event.message for words in TOO_MANY_WORDS)


def connection_storm(seen: Observed) -> Iterator[Claim]:
    """By how many sessions the server began, and by connections that were refused."""
    begun = seen.sessions_begun or 0.0
    rate = begun / seen.seconds if seen.seconds else 0.0
    refused = [event for event in seen.events or () if event.kind is EventKind.CONNECTION_REFUSED and no_room(event)]
    often = rate >= LEAST_A_SECOND
    if not often and len(refused) < LEAST_REFUSED:
        return
    fresh = sorted(seen.newcomers.items(), key=lambda one: -one[1])
    (program, client), many = fresh[0] if fresh else (("", ""), 0)
    whole = sum(n for _, n in fresh)
    parts = []
    if often:
        parts.append(f"the server began {begun:.0f} sessions in {seen.seconds:.0f} s, {rate:.0f} a second")
    if refused:
        parts.append(f"the log tells of {len(refused)} refused connections")
    limit = f" The server takes {seen.max_connections}." if seen.max_connections and refused else ""
    told = "; ".join(parts)
    who = (
        f"{many / whole:.0%} of the fresh ones that were seen are of {program} on {client}"
        if whole
        else "Who they are was not seen"
    )
    yield Claim(
        kind=LeadKind.CONNECTION_STORM,
        title=f"{program or 'Clients'} connects anew all the time" if often else "More clients connect than the server takes",
        mask=seen.where(Dimension.PROGRAM, program) & seen.active,
        root=Root(program=program, object=client),
        chain=(
            Step(f"{capital(told)}.{limit}", Reference("sessions")),
            Step(f"{who}: each new session costs the server a process, its memory and its caches.", Reference("sessions")),
        ),
        ruled_out=(RuledOut("slow statements", f"{sessions(seen.load)} were active on average"),),
        next_step="Let the program keep its connections: a pool in it, or one in front of the server.",
        certainty=0.8,
        by_events=True,
        beyond_s=0.05 * begun + 0.5 * len(refused),
    )  # fmt: skip
