"""Requests beside others: what they run and call that the others do not, and what they run more often."""

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from typing import Generic, TypeVar

from faena.core.errors import BadInput
from faena.core.labels import Labelled
from faena.core.requests.layers import Layer
from faena.core.requests.request import Request
from faena.core.requests.span import NANOSECONDS
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

Key = TypeVar("Key", bound=Hashable)
LEAST_RUNS = 0.05  # a request; what is run by fewer is no habit that could come or go
TIMES, MORE_BY = 1.5, 0.5  # so many times as often, and by so many runs


class Change(Labelled):
    """How requests run or call something beside others."""

    ADDED = "added", "added"
    GONE = "gone", "gone"
    MORE = "more", "more often"
    FEWER = "fewer", "less often"
    SAME = "same", "as often"


@dataclass(frozen=True, slots=True, kw_only=True)
class Use:
    """Of one request, as a mean: how often, and how long in all, ms."""

    runs: float = 0.0
    ms: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed(Generic[Key]):
    """Something on both sides. `by_ms` is what a request takes more of it than the others, ms."""

    what: Key
    change: Change
    now: Use
    before: Use

    @property
    def by_ms(self) -> float:
        return self.now.ms - self.before.ms


def changes(now: Mapping[Key, Use], before: Mapping[Key, Use]) -> list[Changed[Key]]:
    """Of everything on either side, what made most difference to a request first."""
    found = [
        Changed(what=key, change=_change(one.runs, other.runs), now=one, before=other)
        for key in {**now, **before}
        for one, other in [(now.get(key, Use()), before.get(key, Use()))]
    ]
    return sorted(found, key=lambda one: (-abs(one.by_ms), str(one.what)))


def _change(now: float, before: float) -> Change:
    if now >= LEAST_RUNS and before < LEAST_RUNS / 10:
        return Change.ADDED
    if before >= LEAST_RUNS and now < LEAST_RUNS / 10:
        return Change.GONE
    if now >= TIMES * before and now - before >= MORE_BY:
        return Change.MORE
    if before >= TIMES * now and before - now >= MORE_BY:
        return Change.FEWER
    return Change.SAME


def statements_of(request: Request) -> dict[str, Use]:
    """What a request ran, by the form in which statements compare."""
    found: dict[str, Use] = {}
    for run in request.ran:
        known = found.get(run.text, Use())
        found[run.text] = Use(runs=known.runs + 1, ms=known.ms + request.spans[run.at].duration / NANOSECONDS)
    return found


def calls_of(request: Request) -> dict[tuple[Layer, str], Use]:
    """Whom a request called, by layer and name."""
    found: dict[tuple[Layer, str], Use] = {}
    for call in request.calls:
        known = found.get((call.layer, call.to), Use())
        found[call.layer, call.to] = Use(runs=known.runs + 1, ms=known.ms + call.ms)
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Beside:
    """What requests stand beside: those of a window, of one version where it is named."""

    window: Window
    version: str = ""


_EARLIER = {"hour": MS_PER_HOUR, "day": 24 * MS_PER_HOUR, "week": 7 * 24 * MS_PER_HOUR}


def read_beside(text: str, window: Window) -> Beside:
    """`hour`, `day`, `week` earlier, `version:NAME`, or `from~to` in ms; empty: the window before. Raises BadInput."""
    if not text:
        return Beside(window=window.previous())
    if text in _EARLIER:
        by = _EARLIER[text]
        return Beside(window=Window(start=EpochMs(window.start - by), end=EpochMs(window.end - by)))
    kind, _, version = text.partition(":")
    if kind == "version" and version:
        return Beside(window=window, version=version)
    start, _, end = text.partition("~")
    if start.isascii() and start.isdigit() and end.isascii() and end.isdigit() and max(len(start), len(end)) < 16:
        return Beside(window=Window(start=EpochMs(int(start)), end=EpochMs(int(end))))
    raise BadInput(
        f"{text!r} is nothing to compare with; write hour, day, week, version:NAME, or FROM~TO in milliseconds",
        field="beside",
    )
