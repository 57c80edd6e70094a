"""What people do with cases: make them, keep evidence, order it, say something, conclude."""

from collections.abc import Callable, Sequence

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction
from django.db.models import Max

from faena.apps.accounts import audit
from faena.apps.accounts.models import User
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.cases import selectors
from faena.apps.cases.models import Case, CaseComment, CaseLink, KeptEvidence
from faena.apps.servers.models import Server
from faena.core.cases.casefile import (
    LONGEST_TEXT,
    LONGEST_TITLE,
    MOST_COMMENTS,
    MOST_EVIDENCE,
    MOST_LINKS,
    CaseFile,
    CaseState,
    Evidence,
    Link,
)  # fmt: skip
from faena.core.errors import BadInput, NotFound
from faena.core.sql.texts import storable

By = AbstractBaseUser | AnonymousUser


@transaction.atomic
def make(title: str, now_ms: int, *, by: By) -> Case:
    """An empty case. Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "make a case")
    case = Case.objects.create(
        title=_title(title), made_ms=now_ms, made_by=user.username, changed_ms=now_ms, people=[user.username]
    )
    audit.record(by, "case.made", subject=case.title)
    return case


@transaction.atomic
def keep(case_id: int, pieces: Sequence[Evidence], links: Sequence[Link], now_ms: int, *, by: By) -> list[KeptEvidence]:
    """Evidence at the end of a case, and what that makes it a case about. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "keep evidence")
    case = _locked(case_id)
    return add(case, pieces, links, now_ms, by=user)


def add(case: Case, pieces: Sequence[Evidence], links: Sequence[Link], now_ms: int, *, by: User) -> list[KeptEvidence]:
    """The same for a case that is locked already, by somebody who may."""
    if case.evidence.count() + len(pieces) > MOST_EVIDENCE:
        raise BadInput(f"a case holds at most {MOST_EVIDENCE} pieces of evidence; begin another", field="evidence")
    last = case.evidence.aggregate(last=Max("place"))["last"] or 0
    kept = [_row(case, one, last + n) for n, one in enumerate(pieces, 1)]
    KeptEvidence.objects.bulk_create(kept)
    _link(case, links)
    _touch(case, now_ms, by)
    return kept


def _row(case: Case, one: Evidence, place: int) -> KeptEvidence:
    figures = (
        {"columns": list(one.figures.columns), "rows": [list(row) for row in one.figures.rows]} if one.figures else None
    )
    return KeptEvidence(
        case=case, place=place, kind=one.kind.value, title=storable(one.title), server=one.server,
        sentence=storable(one.sentence), link=one.link, lines=[storable(line) for line in one.lines], svg=one.svg,
        figures=figures, note=storable(one.note), at_ms=one.at, by=one.by,
    )  # fmt: skip


def _link(case: Case, links: Sequence[Link]) -> None:
    known = {one.name: one for one in Server.objects.filter(name__in={one.server for one in links})}
    if case.links.count() + len(links) > MOST_LINKS:
        raise BadInput(f"a case is about at most {MOST_LINKS} things", field="links")
    CaseLink.objects.bulk_create(
        (
            CaseLink(
                case=case, about=one.about.value, server=known.get(one.server), server_name=one.server, key=one.key,
                title=storable(one.title)[:LONGEST_TITLE],
            )
            for one in links
        ),
        ignore_conflicts=True,
    )  # fmt: skip


@transaction.atomic
def change(
    case_id: int, now_ms: int, *, title: str | None = None, state: str | None = None, conclusion: str | None = None,
    people: Sequence[str] | None = None, seen_ms: int | None = None, by: By,
) -> Case:  # fmt: skip
    """What is given. `seen_ms`: when it was changed last, as far as the writer knows; raises BadInput when somebody else
    has written since, so that nobody's conclusion is lost. Raises NotAllowed, NotFound as well."""
    user = require(by, Role.OPERATOR, "change a case")
    case = _locked(case_id)
    if conclusion is not None and seen_ms is not None and case.changed_ms != seen_ms and case.conclusion != conclusion:
        raise BadInput(
            "somebody has changed this case since you opened it; copy what you wrote and look again", field="conclusion"
        )
    if title is not None:
        case.title = _title(title)
    if state is not None:
        if state not in list(CaseState):
            raise BadInput(f"a case is {' or '.join(CaseState)}", field="state")
        case.state = state
    if conclusion is not None:
        case.conclusion = _text(conclusion, "conclusion")
    if people is not None:
        case.people = _people(people)
    _touch(case, now_ms, user)
    if state is not None:
        audit.record(by, f"case.{state}", subject=case.title)
    return case


@transaction.atomic
def annotate(case_id: int, evidence_id: int, note: str, now_ms: int, *, by: By) -> None:
    """What is said of a piece of evidence. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "annotate evidence")
    _on_one(case_id, evidence_id, now_ms, user, lambda one: one.update(note=_text(note, "note")))


@transaction.atomic
def remove(case_id: int, evidence_id: int, now_ms: int, *, by: By) -> None:
    """Take a piece of evidence out. Raises NotAllowed, NotFound."""
    user = require(by, Role.OPERATOR, "remove evidence")
    _on_one(case_id, evidence_id, now_ms, user, lambda one: one.delete())
    audit.record(by, "case.evidence_removed", subject=selectors.case(case_id).title, detail=str(evidence_id))


@transaction.atomic
def order(case_id: int, places: Sequence[int], now_ms: int, *, by: By) -> None:
    """Evidence in this order; what is not named keeps its own behind it. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "order evidence")
    case = _locked(case_id)
    there = list(case.evidence.order_by("place", "pk").values_list("pk", flat=True))
    if len(set(places)) != len(places) or not set(places) <= set(there):
        raise BadInput("the order names evidence twice, or some that is not in this case", field="order")
    wanted = {pk: n for n, pk in enumerate([*places, *(pk for pk in there if pk not in places)], 1)}
    rows = list(case.evidence.only("pk", "place"))
    for one in rows:
        one.place = wanted[one.pk]
    KeptEvidence.objects.bulk_update(rows, ["place"])
    _touch(case, now_ms, user)


@transaction.atomic
def comment(case_id: int, text: str, now_ms: int, *, by: By) -> CaseComment:
    """Say something. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "comment a case")
    case = _locked(case_id)
    if not text.strip():
        raise BadInput("a comment says something", field="text")
    if case.comments.count() >= MOST_COMMENTS:
        raise BadInput(f"a case holds at most {MOST_COMMENTS} comments", field="text")
    made = CaseComment.objects.create(case=case, at_ms=now_ms, by=user.username, text=_text(text, "text"))
    _touch(case, now_ms, user)
    return made


@transaction.atomic
def delete(case_id: int, *, by: By) -> None:
    """The whole case. Raises NotAllowed, NotFound."""
    require(by, Role.ADMIN, "delete a case")
    case = _locked(case_id)
    audit.record(by, "case.deleted", subject=case.title)
    case.delete()


@transaction.atomic
def take_in(file: CaseFile, now_ms: int, *, by: By) -> Case:
    """A case from a file, as it was elsewhere. Raises NotAllowed."""
    user = require(by, Role.OPERATOR, "import a case")
    case = Case.objects.create(
        title=storable(file.title), state=file.state.value, conclusion=storable(file.conclusion), people=list(file.people),
        made_ms=file.made, made_by=file.by, changed_ms=now_ms, address=file.address,
    )  # fmt: skip
    KeptEvidence.objects.bulk_create(_row(case, one, n) for n, one in enumerate(file.evidence, 1))
    CaseComment.objects.bulk_create(
        CaseComment(case=case, at_ms=one.at, by=one.by, text=storable(one.text)) for one in file.comments
    )
    _link(case, file.links)
    audit.record(user, "case.imported", subject=case.title, detail=file.address)
    return case


def _locked(case_id: int) -> Case:
    found = Case.objects.select_for_update().filter(pk=case_id).first()
    return found if found is not None else selectors.case(case_id)


def _on_one(case_id: int, evidence_id: int, now_ms: int, by: User, act: Callable[..., object]) -> None:
    case = _locked(case_id)
    row = case.evidence.filter(pk=evidence_id)
    if not row.exists():
        raise NotFound(f"case {case_id} has no evidence {evidence_id}, or no longer")
    act(row)
    _touch(case, now_ms, by)


def _touch(case: Case, now_ms: int, by: User) -> None:
    case.changed_ms = max(now_ms, case.changed_ms + 1)  # never the same twice, since writers compare it
    if by.username not in case.people:
        case.people = [*case.people, by.username]
    case.save()


def _title(told: str) -> str:
    title = storable(" ".join(told.split()))
    if not 1 <= len(title) <= LONGEST_TITLE:
        raise BadInput(f"a title has 1 to {LONGEST_TITLE} characters", field="title")
    return title


def _text(told: str, field: str) -> str:
    if len(told) > LONGEST_TEXT:
        raise BadInput(f"at most {LONGEST_TEXT} characters are kept here", field=field)
    return storable(told)


def _people(told: Sequence[str]) -> list[str]:
    found = list(dict.fromkeys(storable(one.strip()) for one in told if one.strip()))
    if len(found) > 100 or any(len(one) > 150 for one in found):
        raise BadInput("a case names at most 100 people, each with at most 150 characters", field="people")
    return found
