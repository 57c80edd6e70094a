"""What a rule claims: the samples that its cause explains, the root, the chain that leads to it, what was ruled out."""

from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from faena.core.answers.leads.kinds import LeadKind
from faena.core.findings import Reference

Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True, slots=True, kw_only=True)
class Root:
    """Who or what is at fault, as far as it is known; "" and None where it is not, or where there is no such thing.

    `object` is whatever else is named: a lock, a setting, a host, a wait event.
    """

    statement: str = ""
    program: str = ""
    table: str = ""
    index: str = ""
    column: str = ""
    pid: int | None = None
    object: str = ""


class Step(NamedTuple):
    """A link of the chain: a sentence with its figures, and where its evidence is seen, "" nowhere."""

    sentence: str
    evidence: Reference | None = None


class RuledOut(NamedTuple):
    """What was looked at and is not the cause, with the figure that says so."""

    what: str
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """`mask` (N,) marks the samples of the frame that the cause explains, also some that others claim.

    `beyond_s` are session-seconds that it costs and that no sample shows: the work of transactions that failed. Of two
    claims to the same samples the one of higher `certainty`, between 0 and 1, comes first: a mechanism that was seen
    counts more than a load that is merely there. `by_events`: what happened
    is a trouble by itself, however little of the load it is. `about` are statements (their numbers) whose being
    slow it explains, `waits_on` those at its own root, for which another claim may know the cause.
    """

    kind: LeadKind
    title: str
    mask: Flags = field(repr=False)
    root: Root
    chain: tuple[Step, ...]
    ruled_out: tuple[RuledOut, ...] = ()
    next_step: str = ""
    certainty: float = 0.8
    beyond_s: float = 0.0
    by_events: bool = False
    about: frozenset[int] = frozenset()
    waits_on: frozenset[int] = frozenset()

    def led_to_by(self, symptom: "Claim") -> "Claim":
        """This one as the cause behind another, whose samples it explains as well."""
        return replace(
            self,
            mask=self.mask | symptom.mask,
            chain=(*symptom.chain, *self.chain),
            ruled_out=(*symptom.ruled_out, *self.ruled_out),
            certainty=max(self.certainty, symptom.certainty),
        )
