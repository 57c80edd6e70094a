"""The one port by which rules ask: what all kinds of evidence have to say of one server and one window."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol, TypeAlias

from faena.core.findings import Finding
from faena.core.series.window import Window


@dataclass(frozen=True, slots=True, kw_only=True)
class Reach:
    """Whether anything is known of the server now; `words` say why not."""

    known: bool
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Loads:
    """Mean sessions over the window, NaN where nothing was sampled. `blocked` of those waiting wait for locks."""

    running: float
    waiting: float
    blocked: float


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualMost:
    """The most sessions that are usual in such a window, NaN where that is not known."""

    running: float
    waiting: float


@dataclass(frozen=True, slots=True, kw_only=True)
class VitalsLately:
    """A server's own counts over the last hour: `lag_ms` the newest of a replica, None where it is none or does not tell."""

    deadlocks: float
    lag_ms: float | None


class Evidence(Protocol):
    """One server over one window. Each kind is read when it is first asked for, so that a rule pays for what it needs.

    A kind of evidence more is a method more; rules that do not ask for it never know.
    """

    @property
    def server_id(self) -> int: ...
    @property
    def window(self) -> Window: ...
    @property
    def cores(self) -> int | None: ...
    def reach(self) -> Reach: ...
    def loads(self) -> Loads: ...
    def usual_most(self) -> UsualMost: ...
    def vitals(self) -> VitalsLately: ...


Rule: TypeAlias = Callable[[Evidence], Iterator[Finding]]  # says nothing where evidence is missing, and never raises
