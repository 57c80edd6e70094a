"""Plans as pages: read, judged, compared, and asked for, with the statement and the executions that they are of."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.people import groups_seen
from faena.apps.accounts.policy import permit
from faena.apps.plans import actions, selectors
from faena.apps.plans.models import BroughtPlan
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import plans_of
from faena.apps.servers.models import Server
from faena.apps.statements import executions
from faena.apps.statements import selectors as statements
from faena.core.errors import NotFound
from faena.core.numbers import whole_number
from faena.core.plans.compare import Comparison, Executed, compare, executed_words
from faena.core.plans.ledger import Ledger
from faena.core.plans.model import Plan
from faena.core.plans.shape import shape
from faena.core.privacy import Permit

Reader = AbstractBaseUser | AnonymousUser


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanKey:
    """A plan under its link."""

    key: str
    title: str
    brought_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanPage:
    """A plan as its reader may see it. `executed` None for one that no execution is known to have used."""

    key: str
    title: str
    server_id: int | None
    query_id: int | None
    written: str
    statement: str
    plan: Plan
    ledger: Ledger
    executed: Executed | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparedPlans:
    """`executed` says what the change did to real executions, "" where that is not known of both."""

    before: PlanPage
    after: PlanPage
    comparison: Comparison
    executed: str


def recent(by: Reader) -> list[PlanKey]:
    """The newest plans that the reader brought."""
    return [_key(one) for one in selectors.recent(by.pk or 0)]


def bring(text: str, title: str, *, by: Reader) -> PlanPage:
    """Keep a plan under a link. Raises BadPlan."""
    return _page(actions.bring(text, title, by=by), by)


def page(key: str, *, by: Reader) -> PlanPage:
    """Raises NotFound, also for one of a server that the reader does not see."""
    return _page(selectors.brought(key, groups_seen(by)), by)


def compared(key: str, other: str, *, by: Reader) -> ComparedPlans:
    """Two plans, matched step by step. Raises NotFound."""
    before, after = page(key, by=by), page(other, by=by)
    costs = before.plan.root.cost_total, after.plan.root.cost_total
    return ComparedPlans(
        before=before,
        after=after,
        comparison=compare(before.plan, after.plan),
        executed=executed_words(before.executed, after.executed, costs),
    )


def open_captured(server_id: int, plan_id: int, *, by: Reader) -> PlanKey:
    """Put a plan that the server used under a link. Raises NotFound."""
    server, found = servers.server(server_id), selectors.captured(server_id, plan_id)
    return _key(actions.open_captured(found, f"{server.name}: {found.gist}"[:200], by=by))


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What to ask about: a statement by number, its `text` if that is to be another, the values of an `execution`.

    `execution` is named as "ended pid place". `run` measures by running once, which takes a grant and `confirmed`.
    """

    query_id: int | None = None
    text: str = ""
    execution: str = ""
    run: bool = False
    confirmed: bool = False


def ask(server_id: int, wish: Wish, now_ms: int, *, by: Reader) -> PlanKey:
    """Ask the watched server for a plan. Raises NotFound, NotAllowed, BadInput, SourceError."""
    server, query_id = servers.server(server_id), wish.query_id
    statement, database = wish.text, ""
    values: Sequence[str | None] | None = None
    if wish.execution:
        statement, database, values = _as_run(server, wish.execution, permit(by))
    if query_id is not None:
        found = statements.texts(server_id, [query_id]).get(query_id)
        statement = statement or (found.text if found else "")
        database = database or statements.database_of(server_id, query_id)
    question = actions.Question(
        statement=statement, database=database, values=values, run=wish.run, confirmed=wish.confirmed
    )
    return _key(actions.ask(server, query_id, question, now_ms, by=by))


def _as_run(server: Server, key: str, allowed: Permit | None) -> tuple[str, str, Sequence[str | None] | None]:
    """Statement, database and values of a captured execution; values None where it had no parameters.

    Raises NotFound, also for who may not see what it was run with.
    """
    numbers = [i for one in key.split()[:4] if (i := whole_number(one)) is not None]
    run = executions.one(server.pk, *numbers) if len(numbers) == 3 else None
    if run is None or run.statement is None or allowed is None:
        raise NotFound("this execution is not known, or was captured without its parameters")
    values = plans_of(server).values(run.parameters.open(allowed)) if run.parameters else None
    return run.statement.open(allowed), run.database, values


def _key(kept: BroughtPlan) -> PlanKey:
    return PlanKey(key=kept.key, title=kept.title, brought_at=kept.brought_at)


def _page(kept: BroughtPlan, by: Reader) -> PlanPage:
    written, reader = selectors.as_shown(kept, by), plans_of(kept.server)
    plan = reader.read(written)
    return PlanPage(
        key=kept.key,
        title=kept.title,
        server_id=kept.server_id,
        query_id=kept.query_id,
        written=written,
        statement=plan.statement or _text_of(kept),
        plan=plan,
        ledger=reader.ledger(plan),
        executed=_executed(kept, plan),
    )


def _executed(kept: BroughtPlan, plan: Plan) -> Executed | None:
    """Executions that are known to have used the plan; None for one brought from elsewhere."""
    if kept.server_id is None or kept.query_id is None:
        return None
    found = executions.means_by_shape(kept.server_id, kept.query_id).get(shape(plan))
    return None if found is None else Executed(executions=found[0], mean_ms=found[1])


def _text_of(kept: BroughtPlan) -> str:
    if kept.server_id is None or kept.query_id is None:
        return ""
    found = statements.texts(kept.server_id, [kept.query_id]).get(kept.query_id)
    return found.text if found else ""
