"""What can be asked of a PostgreSQL server on somebody's behalf."""

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from faena.core.engines.inquiry import CheckStep, Ended, Ending
from faena.core.plans.schema import SchemaFacts
from faena.sources.postgres.check import check_connection
from faena.sources.postgres.ending import end
from faena.sources.postgres.explain import estimate, measure
from faena.sources.postgres.schema import read_schema
from faena.sources.postgres.source import Target


@dataclass(frozen=True, slots=True)
class PostgresInquiry:
    """Implements `core.engines.inquiry.Inquiry` for one database of a server."""

    target: Target

    def check(self) -> Sequence[CheckStep]:
        return asyncio.run(check_connection(self.target))

    def explain(self, statement: str, values: Sequence[str | None] | None, *, run: bool, foreign: bool) -> str:
        return (measure if run else estimate)(self.target, statement, values, foreign=foreign)

    def end(self, pid: int, started_s: int, what: Ending, at_least_ms: int) -> Ended:
        return end(self.target, pid, started_s, what, at_least_ms)

    def schema(self, names: Sequence[str] | None = None) -> SchemaFacts:
        return read_schema(self.target, names)
