"""The profile of PostgreSQL: its parts put together."""

from collections.abc import Sequence

from faena.core.engines.postgres.deadlocks import REPORTS
from faena.core.engines.postgres.indexes.fromplan import facts_of
from faena.core.engines.postgres.indexes.health import HealthKind, examine_schema
from faena.core.engines.postgres.indexes.proposals import propose
from faena.core.engines.postgres.locks.modes import holds, wants
from faena.core.engines.postgres.logneeds import log_needs
from faena.core.engines.postgres.plans.freshness import sentences
from faena.core.engines.postgres.plans.guard import parameter_values
from faena.core.engines.postgres.plans.ledger import ledger
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.engines.postgres.waits.catalogue import behind_sessions, explain, kind_of
from faena.core.engines.profile import Capability, EngineProfile, Indexes, LockWords, Plans, Waits
from faena.core.findings import Finding
from faena.core.plans.model import Plan
from faena.core.plans.schema import SchemaFacts
from faena.core.units import EpochMs

SCANS = frozenset(("Seq Scan", "Parallel Seq Scan"))
HINTS = {
    "transactionid": "Row locks: another transaction changed or locked the same row, at any isolation level.",
    "tuple": "Several sessions wait for the same row; this one is in the queue for it.",
    "relation": "The whole table, and with it every row in any range.",
    "SerializableXactHash": "Sessions at SERIALIZABLE keep watch over what they read, also over ranges.",
    "PredicateLockManager": "Range locks of SERIALIZABLE transactions: what they read is remembered, up to whole tables.",
    "SerializablePredicateList": "Range locks of SERIALIZABLE transactions are being taken or let go.",
    "SafeSnapshot": "A READ ONLY DEFERRABLE transaction waits until its snapshot can hold at SERIALIZABLE.",
    "spectoken": "INSERT … ON CONFLICT waits for another that inserts the same key.",
    "virtualxid": "It waits for older transactions to end, as CREATE INDEX CONCURRENTLY does.",
}


def _estimates(
    findings: Sequence[Finding], plan: Plan, schema: SchemaFacts, known_at: EpochMs | None
) -> Sequence[tuple[int, str, str]]:
    return list(sentences(findings, plan, schema, known_at))


PLANS = Plans(read=read_plan, bare=bare_plan, ledger=ledger, values=parameter_values, scans=SCANS, suspicions=Suspicion)
POSTGRES = EngineProfile(
    name="postgresql",
    title="a PostgreSQL server",
    capabilities=frozenset(Capability) - {Capability.FILES},
    waits=Waits(explain=explain, kind_of=kind_of, behind_sessions=behind_sessions, hints=HINTS),
    locks=LockWords(wants=wants, holds=holds),
    plans=PLANS,
    indexes=Indexes(propose=propose, from_plan=facts_of, health=examine_schema, kinds=HealthKind, estimates=_estimates),
    deadlocks=REPORTS,
    log_needs=log_needs,
)
