"""Reading cases."""

from collections.abc import Collection
from dataclasses import dataclass

from django.db.models import Count, Exists, OuterRef, QuerySet

from faena.apps.cases.models import Case, CaseComment, CaseLink, KeptEvidence
from faena.apps.servers.sight import Groups, seen
from faena.core.cases.casefile import (
    About,
    CaseFile,
    CaseState,
    Comment,
    Evidence,
    EvidenceKind,
    Figures,
    Link,
)  # fmt: skip
from faena.core.errors import NotFound
from faena.core.units import EpochMs

MOST = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """A case with what is counted of it."""

    case: Case
    links: list[CaseLink]
    evidence: int
    comments: int


def case(case_id: int, groups: Groups = None) -> Case:
    """Raises NotFound, also for one that shows something of other groups."""
    found = of_groups(groups).filter(pk=case_id).first()
    if found is None:
        raise NotFound(f"there is no case {case_id}, or no longer")
    return found


def of_groups(groups: Groups) -> QuerySet[Case]:
    """Cases that show something of these groups and nothing else: what is kept of several servers at once counts as else."""
    rows = Case.objects.all()
    if groups is None:
        return rows
    mine, this = seen(groups).values("name"), OuterRef("pk")
    others = Exists(KeptEvidence.objects.filter(case=this).exclude(server__in=mine))
    about_others = Exists(CaseLink.objects.filter(case=this).exclude(server_name__in=mine))
    return rows.filter(Exists(KeptEvidence.objects.filter(case=this)), ~others, ~about_others)


def cases(
    *,
    states: Collection[str] = (),
    server_id: int | None = None,
    about: str = "",
    key: str = "",
    limit: int = 200,
    groups: Groups = None,
) -> list[Listed]:
    """Open ones first, of these the one that was changed last; of a server, or about one thing or one kind of things, or all."""
    rows = of_groups(groups)
    rows = rows.filter(state__in=states) if states else rows
    if server_id is not None or about:
        links = CaseLink.objects.all()
        links = links.filter(server_id=server_id) if server_id is not None else links
        links = links.filter(about=about) if about else links
        links = links.filter(key=key) if key else links
        rows = rows.filter(pk__in=links.values("case_id"))
    found = list(rows.order_by("-state", "-changed_ms", "-pk")[: min(limit, MOST)])
    return _listed(found)


def listed(case: Case) -> Listed:
    """One with the same."""
    return _listed([case])[0]


def _listed(found: list[Case]) -> list[Listed]:
    links: dict[int, list[CaseLink]] = {one.pk: [] for one in found}
    for link in CaseLink.objects.filter(case__in=found).order_by("pk"):
        links[link.case_id].append(link)
    pieces, said = (
        dict(kind.objects.filter(case__in=found).values_list("case_id").annotate(n=Count("pk")).order_by())
        for kind in (KeptEvidence, CaseComment)
    )
    return [
        Listed(case=one, links=links[one.pk], evidence=pieces.get(one.pk, 0), comments=said.get(one.pk, 0))
        for one in found
    ]


def evidence(case_id: int) -> list[KeptEvidence]:
    """In the order of the case."""
    return list(KeptEvidence.objects.filter(case_id=case_id).order_by("place", "pk"))


def comments(case_id: int) -> list[CaseComment]:
    """In order of time."""
    return list(CaseComment.objects.filter(case_id=case_id).order_by("at_ms", "pk"))


def file_of(case: Case, address: str) -> CaseFile:
    """All of it, as it leaves Faena; `address` is where links lead to that were made here."""
    return CaseFile(
        title=case.title, state=CaseState(case.state), made=EpochMs(case.made_ms), by=case.made_by,
        address=case.address or address, conclusion=case.conclusion, people=case.people,
        evidence=[to_core(one) for one in evidence(case.pk)],
        comments=[Comment(at=EpochMs(one.at_ms), by=one.by, text=one.text) for one in comments(case.pk)],
        links=[
            Link(about=About(one.about), server=one.server_name, key=one.key, title=one.title)
            for one in case.links.order_by("pk")
        ],
    )  # fmt: skip


def to_core(one: KeptEvidence) -> Evidence:
    """As the core has it."""
    figures = Figures(columns=one.figures["columns"], rows=one.figures["rows"]) if one.figures else None
    return Evidence(
        kind=EvidenceKind(one.kind), title=one.title, at=EpochMs(one.at_ms), by=one.by, server=one.server,
        sentence=one.sentence, link=one.link, lines=one.lines, svg=one.svg, figures=figures, note=one.note,
    )  # fmt: skip
