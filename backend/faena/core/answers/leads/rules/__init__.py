"""Rules, each in a file of its own: what it looks at, what it claims. A new one is put into this tuple."""

from collections.abc import Callable, Iterator
from typing import TypeAlias

from faena.core.answers.leads.claim import Claim
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules.advisory_lock import advisory_lock
from faena.core.answers.leads.rules.blocking_maintenance import blocking_maintenance
from faena.core.answers.leads.rules.commit_rate import commit_rate
from faena.core.answers.leads.rules.conflict_retries import conflict_retries
from faena.core.answers.leads.rules.connection_storm import connection_storm
from faena.core.answers.leads.rules.costly_plan import costly_plan
from faena.core.answers.leads.rules.cpu import cpu_saturation
from faena.core.answers.leads.rules.deadlocks import deadlock_pattern
from faena.core.answers.leads.rules.dearer_calls import dearer_calls
from faena.core.answers.leads.rules.disk import disk_saturation
from faena.core.answers.leads.rules.held_back_vacuum import held_back_vacuum
from faena.core.answers.leads.rules.hot_row import hot_row
from faena.core.answers.leads.rules.idle_transaction import idle_transaction
from faena.core.answers.leads.rules.internal_contention import internal_contention
from faena.core.answers.leads.rules.lock_chain import lock_chain
from faena.core.answers.leads.rules.more_calls import more_calls
from faena.core.answers.leads.rules.neighbour import neighbour
from faena.core.answers.leads.rules.one_host import host_version
from faena.core.answers.leads.rules.repeated_statement import repeated_statement
from faena.core.answers.leads.rules.replica_conflict import replica_conflict
from faena.core.answers.leads.rules.requests import cache_missing, external_layer, repeated_in_requests
from faena.core.answers.leads.rules.scanned_table import scanned_table
from faena.core.answers.leads.rules.slow_client import slow_client
from faena.core.answers.leads.rules.spill import spill

Rule: TypeAlias = Callable[[Observed], Iterator[Claim]]  # says nothing where evidence is missing, and never raises

RULES: tuple[Rule, ...] = (
    idle_transaction, lock_chain, advisory_lock, hot_row, blocking_maintenance, deadlock_pattern, conflict_retries,
    held_back_vacuum, repeated_statement, host_version, dearer_calls, external_layer, cache_missing, repeated_in_requests, costly_plan, scanned_table, more_calls, replica_conflict, neighbour, cpu_saturation, spill, disk_saturation, commit_rate, slow_client, internal_contention, connection_storm,
)  # fmt: skip
