"""Which plans a statement used over time, and when it went over from one to another."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from faena.core.units import EpochMs

LASTING = 3  # executions in a row: a statement whose plan depends on its values goes to and fro, and switches nothing


@dataclass(frozen=True, slots=True)
class Run:
    """`count` executions in a row that used one plan, the first and the last of which ended then."""

    shape: int
    first: EpochMs
    last: EpochMs
    count: int


@dataclass(frozen=True, slots=True)
class Switch:
    """From `at` on the statement used another plan."""

    at: EpochMs
    before: int
    after: int


def runs_of(used: Iterable[tuple[EpochMs, int]]) -> list[Run]:
    """From (ended, shape) of executions in order of time."""
    runs = list[Run]()
    for at, shape in used:
        last = runs[-1] if runs else None
        if last is not None and last.shape == shape:
            runs[-1] = Run(shape, last.first, at, last.count + 1)
        else:
            runs.append(Run(shape, at, at, 1))
    return runs


def switches(runs: Sequence[Run]) -> list[Switch]:
    """Between runs that lasted. One that is still going on counts at once if its plan is new."""
    found, current = list[Switch](), None
    seen = set[int]()
    for i, run in enumerate(runs):
        new_at_last = i == len(runs) - 1 and run.shape not in seen
        seen.add(run.shape)
        if run.count < LASTING and not new_at_last:
            continue
        if current is not None and run.shape != current.shape:
            found.append(Switch(run.first, current.shape, run.shape))
        current = run
    return found
