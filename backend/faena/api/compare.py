"""Two windows compared: what differs, how surely, and the verdict."""

from math import isfinite
from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.answers import comparing
from faena.core.answers.proof.comparing import Comparison
from faena.core.answers.proof.differences import Difference, Scale
from faena.core.answers.proof.sides import Compared, Group
from faena.core.answers.proof.verdicts import Method, Verdict
from faena.core.series.window import Window
from faena.core.units import EpochMs

router = Router(tags=["compare"])


class CompareIn(Schema):
    """The window `before_from` to `before_to`, and `from` to `to` after it. `table` or `query_id`: judged by these alone."""

    before_start: int = Field(alias="before_from")
    before_end: int = Field(alias="before_to")
    start: int = Field(alias="from")
    end: int = Field(alias="to")
    table: Annotated[str, Field(max_length=200)] = ""
    query_id: str = ""


class ComparedOut(Out):
    """A measure before and after. `scale`: ratio, then `change` is after/before and `low` to `high` its 95% interval; or
    difference, then they are after less before; null where they are not known. `chance`: of as large a difference if
    nothing had changed, corrected for all that is compared. `counts`: how often it happened, for rates."""

    group: Group
    key: str
    label: str
    unit: str
    method: Method
    method_label: str
    before: float | None
    after: float | None
    scale: str
    change: float | None
    low: float | None
    high: float | None
    chance: float
    verdict: Verdict
    verdict_label: str
    counts: list[int] | None


class ComparedGroupOut(Out):
    key: Group
    label: str
    measures: list[ComparedOut]


class CompareOut(Out):
    """Two windows held against each other, with the verdict.

    `told_at`: when too early ends. `reasons` say what was taken into account; `days` earlier ones stand behind it.

    `main` is the measure that the verdict goes by; null where there is none.
    """

    before_start: int
    before_end: int
    start: int
    end: int
    verdict: Verdict
    label: str
    sentence: str
    told_at: int | None
    reasons: list[str]
    days: int
    about: str
    main: ComparedOut | None
    groups: list[ComparedGroupOut]


def _finite(value: float) -> float | None:
    return float(f"{value:.6g}") if isfinite(value) else None


def _compared(one: Compared) -> ComparedOut:
    difference, rate = one.difference, one.rate
    before, after, change, low, high = (
        _figures(difference) if difference else (*(rate.an_hour if rate else (None, None)), None, None, None)
    )
    return ComparedOut(
        group=one.group, key=one.key, label=one.label, unit=one.unit, method=one.method,
        method_label=one.method.label, before=before, after=after, scale=difference.scale if difference else "rate",
        change=change, low=low, high=high, chance=round(one.chance, 6), verdict=one.judged.verdict,
        verdict_label=one.judged.verdict.label, counts=[rate.before, rate.after] if rate else None,
    )  # fmt: skip


def _figures(one: Difference) -> tuple[float | None, float | None, float | None, float | None, float | None]:
    low, high = one.bounds()
    ratio = one.after / one.before if one.before > 0 else float("nan")
    change = ratio if one.scale is Scale.RATIO else one.after - one.before
    return _finite(one.before), _finite(one.after), _finite(change), _finite(low), _finite(high)


def _out(found: Comparison, before: Window, after: Window, about: str) -> CompareOut:
    rows = [_compared(one) for one in found.measures]
    return CompareOut(
        before_start=before.start, before_end=before.end, start=after.start, end=after.end, verdict=found.verdict,
        label=found.verdict.label, sentence=found.sentence, told_at=found.told_at, reasons=list(found.reasons),
        days=found.days, about=about, main=_compared(found.main) if found.main else None,
        groups=[
            ComparedGroupOut(key=group, label=group.label, measures=mine)
            for group in Group
            if (mine := [row for row in rows if row.group is group])
        ],
    )  # fmt: skip


@router.get("/servers/{server_id}/compare", response=CompareOut, operation_id="compare_windows")
def compare_two(request: HttpRequest, server_id: int, asked: Query[CompareIn]) -> CompareOut:
    """Two windows of a server, of up to 7 days each, the one before first."""
    before = Window(start=EpochMs(asked.before_start), end=EpochMs(asked.before_end))
    after = Window(start=EpochMs(asked.start), end=EpochMs(asked.end))
    found, about = comparing.two_windows(server_id, before, after, now_ms(), table=asked.table, query_id=asked.query_id)
    return _out(found, before, after, about)


@router.get("/servers/{server_id}/followed/{followed_id}", response=CompareOut, operation_id="compare_followed")
def compare_followed(request: HttpRequest, server_id: int, followed_id: int) -> CompareOut:
    """A followed change, lead or pattern, compared again by all data up to now."""
    found, before, after, about = comparing.followed(server_id, followed_id, now_ms())
    return _out(found, before, after, about)
