"""More sessions want to run than there are cores: for one statement that never ends, or for too much work."""

from collections.abc import Iterator

import numpy as np

from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import figure, quoted, sessions, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.joining import unjoined
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

OVER_SHARE = 0.5  # of the ticks have more sessions running than there are cores
LONG_PART, LONG_LEAST_MS = 0.4, 4000  # an execution is long that lasts this part of the window, and so long at least
SAME_MS = 400
UNUSUAL_MS, LEAST_UNUSUAL, LEAST_WINDOW_S = 300_000, 0.8, 600  # of an execution; sessions; of a window that can tell
RUNAWAY_SHARE = 0.5  # of what runs is of such executions
MAIN_SHARE = 0.3  # of what runs, for a statement to be named


def cpu_saturation(seen: Observed) -> Iterator[Claim]:
    """Says nothing where the number of cores is not known."""
    cores = seen.cores
    if not cores or not seen.ticks:
        return
    over = float((seen.running_at > cores).mean())
    running = seen.of_kind(WaitKind.RUNNING)
    long_ms = max(LONG_LEAST_MS, LONG_PART * seen.seconds * 1000)
    if over < OVER_SHARE or float(seen.running_at.mean()) <= cores:
        yield from _unusual(seen, cores, running, long_ms)
        return
    old = running & _lasting(seen, long_ms)
    if seen.mean(old) >= RUNAWAY_SHARE * seen.mean(running):
        text = seen.text(next((q for q, _ in seen.statements(old)), None))
        yield _runaway(seen, cores, running, old, unjoined(text))
    else:
        yield _too_much(seen, cores, running, over)


def _unusual(seen: Observed, cores: int, running: Flags, long_ms: float) -> Iterator[Claim]:
    """Executions that do not end, on a server that has cores to spare: only where more run than is usual, or where the
    statement joins tables without a condition. A report that takes long by itself harms nobody."""
    if seen.seconds < LEAST_WINDOW_S:
        return
    old = running & _lasting(seen, max(long_ms, UNUSUAL_MS))
    if seen.mean(old) < RUNAWAY_SHARE * seen.mean(running) or seen.mean(old) < LEAST_UNUSUAL:
        return
    usual, text = seen.usual, seen.text(next((q for q, _ in seen.statements(old)), None))
    apart = unjoined(text)
    if apart is not None or (usual is not None and float(seen.running_at.mean()) > usual.running_high):
        yield _runaway(seen, cores, running, old, apart)


def _lasting(seen: Observed, long_ms: float) -> Flags:
    """Samples of executions that lasted so long: in all of them, not only in the later ones."""
    frame = seen.frame
    begun = frame.tick_ms[frame.tick] - frame.statement_ms
    order = np.lexsort((begun, frame.pid))
    pid, since, age = frame.pid[order], begun[order], frame.statement_ms[order]
    # Samples of one execution lead to about the same beginning; a gap begins another.
    another = (
        np.r_[True, (np.diff(pid) != 0) | (np.diff(since) > SAME_MS)] if len(order) else np.zeros(0, dtype=np.bool_)
    )
    which = np.cumsum(another) - 1
    longest = np.zeros(int(another.sum()), dtype=np.int64)
    np.maximum.at(longest, which, age)
    found = np.zeros(len(order), dtype=np.bool_)
    found[order] = longest[which] >= long_ms if len(order) else False
    return found


def _runaway(seen: Observed, cores: int, running: Flags, old: Flags, apart: tuple[str, str] | None = None) -> Claim:
    query_id, _ = [*seen.statements(old), (None, 0)][0]
    text = seen.text(query_id)
    programs = seen.ranked(Dimension.PROGRAM, old)
    pids = np.unique(seen.frame.pid[old])
    longest = int(seen.frame.statement_ms[old].max())
    no_tie = (
        [
            Step(
                f"No condition of it ties {apart[0]} and {apart[1]} together: each row of one meets each row of the other."
            )
        ]
        if apart
        else []
    )
    return Claim(
        kind=LeadKind.RUNAWAY_STATEMENT,
        title=f"{programs[0][0]} keeps the cores busy with {quoted(text)}",
        mask=running,
        root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""), pid=int(pids[0])),
        chain=(
            Step(f"{sessions(seen.mean(running))} ran on average, on {cores} cores.", Reference("load")),
            Step(
                f"{figure(seen.mean(old))} of them were executions that do not end: {len(pids)} of {quoted(text)}, the longest for {took(longest)}.",
                Reference("sessions"),
            ),
            *no_tie,
        ),
        ruled_out=(RuledOut("many short calls", f"{seen.mean(old) / seen.mean(running):.0%} of what ran were these executions"),),
        next_step=f"SELECT pg_cancel_backend({int(pids[0])});  -- then look at its plan before it runs again",
        certainty=0.9,
    )  # fmt: skip


def _rate(calls_s: float) -> str:
    return count(calls_s) if calls_s >= 10 else figure(calls_s)


def _too_much(seen: Observed, cores: int, running: Flags, over: float) -> Claim:
    statements = seen.statements(running)
    whole = int(running.sum())
    query_id = statements[0][0] if statements and statements[0][1] >= MAIN_SHARE * whole else None
    text, work = seen.text(query_id), seen.work.get(query_id) if query_id is not None else None
    programs = seen.ranked(Dimension.PROGRAM, running)
    rate = (
        f", {_rate(work.calls / seen.work_s)} calls a second of {took(work.mean_ms or 0)}"
        if work and seen.work_s
        else ""
    )
    main = (
        f"{statements[0][1] / whole:.0%} of it was {quoted(text)} of {programs[0][0]}{rate}."
        if query_id is not None
        else f"No statement makes up a third of it; {programs[0][0]} ran most, {programs[0][1] / whole:.0%}."
    )
    return Claim(
        kind=LeadKind.CPU_SATURATION,
        title=f"{sessions(float(seen.running_at.mean()))} want to run on {cores} cores",
        mask=running,
        root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""), object=f"{cores} cores"),
        chain=(
            Step(
                f"{sessions(float(seen.running_at.mean()))} ran or wanted to on average, more than the {cores} cores in {over:.0%} of the window.",
                Reference("load"),
            ),
            Step(main, Reference("statements")),
        ),
        ruled_out=(not_locks(seen),),
        next_step="Call it less often, or make each call cheaper; more cores help only until there are as many sessions again."
        if text
        else "Look at the statements that ran most; a smaller pool of connections keeps the server from being overrun.",
        certainty=0.75,
    )  # fmt: skip
