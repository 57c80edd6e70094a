"""The tables a statement touches: their sizes, how fresh their statistics are, and their indexes."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import may
from faena.apps.accounts.roles import Role
from faena.apps.hosts import selectors as hosts
from faena.apps.plans import selectors as plans
from faena.apps.servers import engines
from faena.apps.servers.asking import asking
from faena.apps.servers.models import Server
from faena.apps.statements import selectors as statements
from faena.core.engines.profile import Capability
from faena.core.errors import NotFound
from faena.core.plans.model import BadPlan, walk
from faena.core.plans.schema import IndexFacts, TableFacts


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementTables:
    """`surveyed`: known from surveys alone, which tell sizes but neither columns nor rows.

    `used`: indexes in the newest plan the statement is known to have used. `missing`: names that no table has, or that
    no survey knew.
    """

    tables: Sequence[TableFacts]
    used: frozenset[str]
    missing: Sequence[str]
    surveyed: bool


def of_statement(server: Server, query_id: int, *, by: AbstractBaseUser | AnonymousUser) -> StatementTables:
    """A real server is asked now, for an operator; a viewer sees what surveys know.

    Raises NotFound for a statement whose text is not known, Busy, SourceError.
    """
    text = statements.texts(server.id, [query_id]).get(query_id)
    if text is None:
        raise NotFound(f"the text of statement {query_id} is not known (yet), so neither are its tables")
    names = [name for name in text.tables.split(", ") if name]
    surveyed = not engines.can(server, Capability.SCHEMA) or not may(by, Role.OPERATOR)
    tables: Sequence[TableFacts] = ()
    if surveyed:
        tables = _as_surveyed(server.id, names)
    elif names:
        asked = engines.inquiry_of(server, Capability.SCHEMA, statements.database_of(server.id, query_id))
        with asking(server, by, "look at the tables of a server"):
            tables = asked.schema(names).tables
    known = {table.name for table in tables} | {table.partition_of for table in tables}
    return StatementTables(
        tables=sorted(tables, key=lambda table: -table.size_bytes),
        used=_indexes_used(server, query_id),
        missing=[name for name in names if name not in known],
        surveyed=surveyed,
    )


def _as_surveyed(server_id: int, names: Sequence[str]) -> list[TableFacts]:
    sizes = hosts.sizes(server_id, names)
    return [
        TableFacts(
            schema="public",
            name=name,
            rows=0.0,
            pages=0.0,
            size_bytes=parts.get("", 0),
            indexes=[IndexFacts(name=index, columns=(), size_bytes=size) for index, size in parts.items() if index],
        )
        for name, parts in sizes.items()
    ]


def _indexes_used(server: Server, query_id: int) -> frozenset[str]:
    newest = next((one for one in plans.of_statement(server.pk, query_id) if not one.asked), None)
    if newest is None:
        return frozenset()
    try:
        plan = engines.plans_of(server).read(newest.written)
    except BadPlan:  # cut off by the server's own limit on log lines
        return frozenset()
    return frozenset(step.index for _, step in walk(plan.root) if step.index)
