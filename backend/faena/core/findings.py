"""The one shape for whatever is found, by rules of any kind of evidence: what it is, how bad, of what, and what to do next."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from faena.core.labels import Labelled


class Severity(Labelled):
    """How soon somebody should look."""

    NOW = "now", "look at it now"
    SOON = "soon", "look at it soon"
    NOTE = "note", "worth knowing"
    FINE = "fine", "nothing found"


class Confidence(Labelled):
    """How far what is known carries: it was told or measured, the evidence speaks for it, or it may as well be another."""

    CERTAIN = "certain", "Cause, from the log"
    LIKELY = "likely", "Most likely cause"
    PERHAPS = "perhaps", "Possible cause (the log does not say)"


@dataclass(frozen=True, slots=True)
class Named:
    """An object that a finding is about: its type (`table`, `index`, `step`, `statement`, `pid` …) and its name there."""

    type: str
    name: str


@dataclass(frozen=True, slots=True)
class Reference:
    """Where the evidence of a finding is seen: a view and its search parameters, of which the screen makes a link."""

    view: str
    search: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """`kind` is the word in the API and the glossary, `sentence` says it with its figures.

    `at_stake_ms` is the time that would be spared at most, None where that is not known, and `share` what part of all time
    looked at it is; `at_stake_bytes` the room that would be freed; `weight` the sessions that have it worse, roughly, by
    which the worst come first. `next_step` is the best thing to do, often text to copy, `further_steps` others.
    `rules_out` are causes that the finding excludes, in words.
    """

    kind: StrEnum
    severity: Severity
    sentence: str
    next_step: str = ""
    further_steps: tuple[str, ...] = ()
    confidence: Confidence = Confidence.LIKELY
    objects: tuple[Named, ...] = ()
    at_stake_ms: float | None = None
    share: float | None = None
    at_stake_bytes: int = 0
    weight: float = 0.0
    evidence: tuple[Reference, ...] = ()
    rules_out: tuple[str, ...] = ()

    @property
    def steps(self) -> tuple[str, ...]:
        """All there is to do, the best first."""
        return (self.next_step, *self.further_steps) if self.next_step else self.further_steps

    def named(self, type_: str) -> str:
        """The name of its first object of a type; "" where it is about none."""
        return next((one.name for one in self.objects if one.type == type_), "")

    @property
    def step(self) -> int | None:
        """The step of the plan it is about, as an index in pre-order; None for a plan as a whole and for other evidence."""
        name = self.named("step")
        return int(name) if name else None
