"""Clients connect anew for each piece of work, or there are more of them than the server takes."""

from collections.abc import Iterator

import numpy as np

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import sessions
from faena.core.findings import Reference
from faena.core.logged import EventKind
from faena.core.sampling.dimensions import Dimension

YOUNG_S = 1.5  # age of a session that was made for what it does
LEAST_A_SECOND = 3.0  # sessions begun and seen at work; those between two samples are not even counted
LEAST_REFUSED = 3


def connection_storm(seen: Observed) -> Iterator[Claim]:
    """By sessions that were begun within the window and are seen at work, and by connections that were refused."""
    frame = seen.frame
    begun = seen.active & (frame.started_s * 1000 >= seen.window.start) & (frame.started_s > 0)
    begun &= seen.where(Dimension.BACKEND, "client backend")
    sessions_begun = len(np.unique((frame.pid[begun].astype(np.int64) << 32) | (frame.started_s[begun] & 0xFFFFFFFF)))
    age_s = frame.tick_ms[frame.tick] / 1000 - frame.started_s
    young = begun & (age_s <= YOUNG_S)
    rate = sessions_begun / seen.seconds if seen.seconds else 0.0
    refused = [event for event in seen.events or () if event.kind is EventKind.CONNECTION_REFUSED]
    often = rate >= LEAST_A_SECOND and float(young.sum()) >= 0.5 * float(begun.sum())
    if not often and len(refused) < LEAST_REFUSED:
        return
    programs = seen.ranked(Dimension.PROGRAM, young if often else seen.active)
    clients = seen.ranked(Dimension.CLIENT, young if often else seen.active)
    program = programs[0][0] if programs else ""
    of_program = begun & seen.where(Dimension.PROGRAM, program) if often else np.zeros_like(begun)
    parts = []
    if often:
        parts.append(
            f"{sessions_begun} sessions began within {seen.seconds:.0f} s and were seen at work, {rate:.1f} a second at least"
        )
    if refused:
        parts.append(f"the log tells of {len(refused)} refused connections")
    limit = f" The server takes {seen.max_connections}." if seen.max_connections else ""
    yield Claim(
        kind=LeadKind.CONNECTION_STORM,
        title=f"{program or 'Clients'} connects anew all the time" if often else "More clients connect than the server takes",
        mask=of_program,
        root=Root(program=program, object=clients[0][0] if clients else ""),
        chain=(
            Step(f"{'; '.join(parts).capitalize()}.{limit}", Reference("sessions")),
            Step(f"Most of them are of {program or 'unknown programs'}: each new session costs the server a process, its memory and its caches.", Reference("sessions")),
        ),
        ruled_out=(RuledOut("slow statements", f"{sessions(seen.load)} were active on average"),),
        next_step="Let the program keep its connections: a pool in it, or one in front of the server.",
        certainty=0.8,
        beyond_s=0.1 * sessions_begun + 0.5 * len(refused),
    )  # fmt: skip
