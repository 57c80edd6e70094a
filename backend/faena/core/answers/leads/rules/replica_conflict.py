"""On a replica, replay waits for a reader, or ends readers that stand in its way."""

from collections.abc import Iterator

import numpy as np

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import capital, quoted, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of

CONFLICT = "RecoveryConflict"
LEAST_LAG_MS = 30_000
LEAST_CONFLICTS_A_MINUTE = 0.5


def replica_conflict(seen: Observed) -> Iterator[Claim]:
    """The one that has read for longest is who replay waits for."""
    vitals = seen.vitals
    waits = [name for name in seen.dictionary.encoded(Dimension.WAIT).names if CONFLICT in name]
    mask = seen.where(Dimension.WAIT, *waits) & seen.active
    conflicts = vitals.conflicts if vitals else 0.0
    lag = (vitals.lag_ms or 0.0) if vitals else 0.0
    stuck = seen.mean(mask) >= 0.2
    if not stuck and not (conflicts / (seen.seconds / 60) >= LEAST_CONFLICTS_A_MINUTE and lag >= LEAST_LAG_MS):
        return
    readers = seen.active & seen.where(Dimension.BACKEND, "client backend")
    if not readers.any():
        return
    oldest = int(np.argmax(np.where(readers, seen.frame.statement_ms, -1)))
    who = seen.who(oldest)
    text, age = seen.text(who.query_id), int(seen.frame.statement_ms[oldest])
    told = [f"replay waited in {seen.share(mask) * seen.load:.2g} sessions on average"] if stuck else []
    told += [f"{conflicts:.0f} readers were ended in {took(seen.seconds * 1000)}"] if conflicts else []
    told += [f"the replica lagged by {took(lag)}"] if lag else []
    yield Claim(
        kind=LeadKind.REPLICA_CONFLICT,
        title=f"{who.program} holds back the replay of the WAL",
        mask=mask | (seen.where(Dimension.PROGRAM, who.program) & seen.active if who.program else mask),
        root=Root(statement=text, program=who.program, table=next(iter(tables_of(text)), ""), pid=int(seen.frame.pid[oldest])),
        chain=(
            Step(capital(f"{'; '.join(told)}."), Reference("machine")),
            Step(f"Pid {int(seen.frame.pid[oldest])} of {who.program} had read for {took(age)} in {quoted(text)}: rows that it may still see cannot be removed.", Reference("sessions")),
        ),
        ruled_out=(RuledOut("the load of the replica", f"{seen.load:.2g} sessions were active on average"),),
        next_step=f"SELECT pg_cancel_backend({int(seen.frame.pid[oldest])});  -- then run it in parts, or on a replica of its own (max_standby_streaming_delay, hot_standby_feedback)",
        certainty=0.92,
        by_events=True,
        beyond_s=seen.seconds * 0.5,
    )  # fmt: skip
