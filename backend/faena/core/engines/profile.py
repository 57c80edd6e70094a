"""What the rest of Faena may know of an engine: what its waits and locks mean, how it writes plans, what can be asked."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from faena.core.deadlocks.report import ReportGrammar
from faena.core.engines.inquiry import LogNeed
from faena.core.findings import Finding
from faena.core.labels import Labelled
from faena.core.logged import CaptureRules
from faena.core.plans.ledger import Ledger
from faena.core.plans.model import Plan
from faena.core.plans.proposal import IndexProposal, Refusal
from faena.core.plans.schema import SchemaFacts
from faena.core.privacy import Normalised
from faena.core.units import EpochMs
from faena.core.waits.kinds import WaitKind
from faena.core.waits.meaning import WaitMeaning


class Capability(StrEnum):
    """What can be done with a server. Values are part of the API; screens and rules ask for them, not for the engine."""

    SAMPLE = "sample"  # the collector samples it
    REACH = "reach"  # how it is reached can be tried and changed
    EXPLAIN = "explain"  # it tells plans when asked
    END = "end"  # statements and sessions can be ended
    SCHEMA = "schema"  # it tells its tables, indexes and statistics
    LOG_NEEDS = "log_needs"  # it is known which settings its log needs
    FILES = "files"  # it takes samples from files


CANNOT: Mapping[Capability, str] = {
    Capability.SAMPLE: "it is not sampled: its samples come from files",
    Capability.REACH: "it has no connection that could be tried or changed",
    Capability.EXPLAIN: "it cannot be asked for a plan",
    Capability.END: "nothing can be ended on it",
    Capability.SCHEMA: "it cannot be asked for its tables and indexes",
    Capability.LOG_NEEDS: "it is not known what its log needs",
    Capability.FILES: "it is sampled live: import into a server of another name",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """What wait events mean. All take the type and the event, "" and "" for running, and never fail.

    `behind_sessions` tells whether a wait ends when certain other sessions let go, as waits for locks do.
    `hints` say of some events what they give away about locks of ranges and about isolation.
    """

    explain: Callable[[str, str], WaitMeaning]
    kind_of: Callable[[str, str], WaitKind]
    behind_sessions: Callable[[str, str], bool]
    hints: Mapping[str, str] = field(default_factory=dict)

    def label(self, value: str) -> tuple[str, str]:
        """Short words and the meaning of a wait as "type:event", or of one that waits for nothing ("running")."""
        wait_type, colon, event = value.partition(":")
        if not colon:
            return "running, no wait", self.explain("", "").meaning
        return f"{wait_type}: {event}", self.explain(wait_type, event).meaning


@dataclass(frozen=True, slots=True, kw_only=True)
class LockWords:
    """What a lock's type and mode mean: the ends of "wants to …" and of "… in the way"."""

    wants: Callable[[str, str], str]
    holds: Callable[[str, str], str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Plans:
    """How an engine writes plans. `read` takes any of its forms and raises BadPlan.

    `bare` writes a plan anew without values; `values` are those of a statement's parameters as a log tells them. `scans`: kinds of
    steps that read through a whole table.
    """

    read: Callable[[str], Plan]
    bare: Callable[[Plan], Normalised]
    ledger: Callable[[Plan], Ledger]
    values: Callable[[str], Sequence[str | None] | None]
    scans: frozenset[str] = frozenset()
    suspicions: type[Labelled] | None = None  # kinds of findings that its rules can come to


@dataclass(frozen=True, slots=True, kw_only=True)
class Indexes:
    """Rules about indexes. `from_plan` is what a plan alone tells of a schema.

    `estimates` are, of findings about a plan, those about wrong estimates: step, what its table's counters say, what to do.
    """

    propose: Callable[[Plan, SchemaFacts], tuple[list[IndexProposal], list[Refusal]]]
    from_plan: Callable[[Plan], SchemaFacts]
    health: Callable[[SchemaFacts], list[Finding]]
    kinds: type[Labelled]  # of findings about indexes and statistics
    estimates: Callable[[Sequence[Finding], Plan, SchemaFacts, EpochMs | None], Sequence[tuple[int, str, str]]]


@dataclass(frozen=True, slots=True, kw_only=True)
class EngineProfile:
    """One engine. A part is None where it has no such thing, or Faena cannot read it."""

    name: str  # as it is stored with a server
    title: str  # with its article, for the middle of a sentence
    capabilities: frozenset[Capability]
    waits: Waits
    locks: LockWords
    plans: Plans | None = None
    indexes: Indexes | None = None
    deadlocks: ReportGrammar | None = None
    log_needs: Callable[[Mapping[str, str], int, CaptureRules, float | None], list[LogNeed]] | None = None

    def can(self, capability: Capability) -> bool:
        """Whether its servers can be asked for something."""
        return capability in self.capabilities
