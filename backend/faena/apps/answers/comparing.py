"""Comparisons as people ask for them: of two windows, or of something that is followed."""

from dataclasses import replace

from faena.apps.answers.following import DEADLINE_MS, question_of
from faena.apps.answers.proof import compare_windows, server_changes
from faena.apps.servers import holdings
from faena.apps.servers import selectors as servers
from faena.apps.statements import selectors as statements
from faena.apps.verdicts import actions
from faena.apps.verdicts.models import Followed
from faena.core.answers.proof.comparing import Comparison
from faena.core.answers.proof.sides import Question
from faena.core.errors import BadInput, NotFound
from faena.core.numbers import whole_number
from faena.core.series.window import Window
from faena.core.units import EpochMs, QueryId

SETTLED_MS = 120_000  # a window that ended so long before the newest sample gets no more


def two_windows(
    server_id: int, before: Window, after: Window, now_ms: int, *, table: str = "", query_id: str = ""
) -> tuple[Comparison, str]:
    """The comparison, and in words by what it is judged. Raises NotFound, BadWindow, BadInput."""
    server = servers.server(server_id)
    growing = after.end > holdings.read(server_id).newest_ms - SETTLED_MS
    question = Question(growing=growing, server_changed=server_changes(server_id, before, after))
    if query_id:
        if whole_number(query_id) is None:
            raise BadInput(f"{query_id!r:.40} is no number of a statement", field="query_id")
        question = _by(question, [QueryId(int(query_id))], "calls of this statement")
    elif table:
        question = _by(question, statements.naming(server_id, table), f"statements on {table}")
    return compare_windows(server, before, after, question, now_ms), question.about


def _by(question: Question, chosen: list[QueryId], about: str) -> Question:
    return replace(question, statements=chosen, about=about)


def followed(server_id: int, followed_id: int, now_ms: int) -> tuple[Comparison, Window, Window, str]:
    """The comparison by all that came since, and both windows. Raises NotFound."""
    server = servers.server(server_id)
    row = Followed.objects.filter(server_id=server_id, pk=followed_id).first()
    if row is None:
        raise NotFound(f"nothing is followed under number {followed_id} on this server")
    before = Window(start=EpochMs(row.before_start_ms), end=EpochMs(row.before_end_ms))
    newest = max(holdings.read(server_id).newest_ms, row.at_ms + 1000)
    end = row.after_end_ms if row.settled else min(newest, row.at_ms + DEADLINE_MS)
    after = Window(start=EpochMs(row.at_ms), end=EpochMs(max(end, row.at_ms + 1000)))
    question = question_of(row, growing=not row.settled)
    own = row.subject_id if row.subject == actions.CHANGE else None
    asked = replace(question, server_changed=server_changes(server_id, before, after, own))
    return compare_windows(server, before, after, asked, now_ms), before, after, row.about
