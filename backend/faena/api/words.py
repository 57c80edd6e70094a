"""Every enumeration of the API with its labels: the lists that screens, scripts and reports show."""

from collections.abc import Mapping

from django.http import HttpRequest
from ninja import Router

from faena.api.out import Out
from faena.apps.answers.indicators import Indicator
from faena.apps.requests.spread import MarkKind
from faena.apps.servers.engines import profiles
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.proof.sides import Group
from faena.core.answers.proof.verdicts import Verdict
from faena.core.changes.kinds import ChangeKind
from faena.core.deadlocks.causes.circle import Cause
from faena.core.findings import Confidence, Severity
from faena.core.labels import Labelled
from faena.core.logged import EventKind
from faena.core.requests.choosing import Why
from faena.core.requests.comparing import Change
from faena.core.requests.findings import Found
from faena.core.requests.layers import Layer
from faena.core.sampling.dimensions import Dimension
from faena.core.statements.figures import Measure
from faena.core.statements.pivot import Aggregate, PivotBy, PivotMeasure
from faena.core.waits.kinds import WaitKind

router = Router(tags=["words"])

_LISTS: Mapping[str, type[Labelled]] = {
    "aggregates": Aggregate,
    "change_kinds": ChangeKind,
    "comparison_groups": Group,
    "deadlock_causes": Cause,
    "confidences": Confidence,
    "dimensions": Dimension,
    "indicators": Indicator,
    "log_events": EventKind,
    "kept_reasons": Why,
    "layers": Layer,
    "lead_kinds": LeadKind,
    "measures": Measure,
    "pivot_dimensions": PivotBy,
    "pivot_measures": PivotMeasure,
    "request_changes": Change,
    "request_findings": Found,
    "request_marks": MarkKind,
    "severities": Severity,
    "verdicts": Verdict,
    "wait_kinds": WaitKind,
}


def _lists() -> dict[str, list[Labelled]]:
    """Those of every engine are put together."""
    indexes = [kind for engine in profiles() if engine.indexes for kind in engine.indexes.kinds]
    plans = [kind for engine in profiles() if engine.plans for kind in engine.plans.suspicions or ()]
    of_engines = {"index_findings": list(dict.fromkeys(indexes)), "suspicions": list(dict.fromkeys(plans))}
    return {name: list(members) for name, members in _LISTS.items()} | of_engines


class WordOut(Out):
    """A word of the API, as people read it. `meaning` explains where the label alone says too little, else empty."""

    value: str
    label: str
    meaning: str


def words() -> dict[str, list[WordOut]]:
    """The lists by name, each in its own order."""
    return {
        name: [WordOut(value=one.value, label=one.label, meaning=one.meaning) for one in members]
        for name, members in _lists().items()
    }


@router.get("/words", response=dict[str, list[WordOut]], operation_id="words_list")
def list_words(request: HttpRequest) -> dict[str, list[WordOut]]:
    """Values of the API's enumerations and the words for them."""
    return words()


def as_modules() -> dict[str, str]:
    """A TypeScript module per list, by its name: what the front end is built with; ./faena contract writes them."""
    return {name: _module(name, members) for name, members in _lists().items()}


def _module(name: str, members: list[Labelled]) -> str:
    lines = ["// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand."]
    texts = [("", [(one.value, one.label) for one in members])]
    texts.append(("_MEANINGS", [(one.value, one.meaning) for one in members if one.meaning]))
    for suffix, pairs in texts:
        if pairs:
            lines += ["", f"export const {name.upper()}{suffix} = {{"]
            lines += [f'  {value}: "{text}",' for value, text in pairs]
            lines.append("} as const;")
    return "\n".join(lines) + "\n"
