"""An index that a plan would gain from, or why none is proposed; costs in the planner's units."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class IndexProposal:
    """`step` in pre-order. `why` explains each column in its place. Costs are the planner's units, estimated.

    `writes` are changes of rows that would have written to it, since its table is counted; `writes_at_most` with those
    that were made in place, which they are no more where they change one of its columns; None where no server was asked.

    `included` are carried along so that the table itself need not be read. `overlaps` names indexes that the new one would
    make dispensable, or that begin alike.
    """

    step: int
    table: str
    columns: Sequence[str]
    predicate: str
    ddl: str
    why: Sequence[tuple[str, str]]
    share: float
    rows: float
    cost_before: float
    cost_after: float
    size_bytes: int
    writes: int | None
    writes_at_most: int | None
    overlaps: Sequence[str]
    sentence: str
    included: Sequence[str] = ()

    @property
    def gain(self) -> float:
        return self.cost_before - self.cost_after


@dataclass(frozen=True, slots=True, kw_only=True)
class Refusal:
    """A step that was looked at, and why no index is proposed for it."""

    step: int
    table: str
    sentence: str
