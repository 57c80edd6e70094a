"""What two windows of a server hold that can be compared, and what of it is asked about."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from faena.core.answers.proof.costs import Work, Works
from faena.core.answers.proof.differences import Difference
from faena.core.answers.proof.rates import RateChange
from faena.core.answers.proof.verdicts import Judged, Method, Verdict
from faena.core.labels import Labelled
from faena.core.series.window import Window
from faena.core.statements.figures import Effort
from faena.core.units import QueryId

Floats = npt.NDArray[np.float64]


class Group(Labelled):
    """What is compared, by where it is known from."""

    WORK = "work", "The same calls"
    LOAD = "load", "Sessions at work or waiting"
    STATEMENT = "statement", "A call of each statement"
    REQUEST = "request", "A request of each endpoint"
    HAPPENING = "happening", "Deadlocks and errors"
    MACHINE = "machine", "Reads and the machine"


class Aim(Labelled):
    """What the verdict of the whole goes by."""

    WORK = "work", "what the same calls cost"
    LOAD = "load", "how many sessions wait"
    HAPPENING = "happening", "how often it happens"


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """A measured figure in order of time, gaps left out; a difference below `least` is none. `unit` as in the API."""

    label: str
    unit: str
    values: Floats
    least: float
    up_is_worse: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    """Requests of an endpoint, or another thing that is called and takes time, under its name."""

    label: str
    work: Work


@dataclass(frozen=True, slots=True, kw_only=True)
class Side:
    """One of the windows. `counted_s` seconds of it are covered by counters of statements, `logged_s` by the log that was read.

    `calls_near_s`: calls a second just before it, for a window too short to hold a reading of the counters. `load` are mean sessions by kind of load in short buckets, `happenings` moments by kind.
    """

    window: Window
    counted_s: float = 0.0
    calls_near_s: float = 0.0
    works: Works = field(default_factory=dict)
    load: Mapping[str, Series] = field(default_factory=dict)
    happenings: Mapping[str, Sequence[int]] = field(default_factory=dict)
    logged_s: float = 0.0
    requests: Mapping[str, Named] = field(default_factory=dict)
    machine: Mapping[str, Series] = field(default_factory=dict)

    @property
    def calls_s(self) -> float:
        """Calls of all statements in a second; 0: not known."""
        if not self.counted_s:
            return self.calls_near_s
        return sum(float(one.calls.sum()) for one in self.works.values()) / self.counted_s


@dataclass(frozen=True, slots=True, kw_only=True)
class EarlierDay:
    """The same hours of an earlier day: efforts before and after, and mean sessions by kind of load where they are known."""

    before: Mapping[QueryId, Effort]
    after: Mapping[QueryId, Effort]
    load: Mapping[str, tuple[float, float]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What is to be judged: by the cost of `statements` (all, where it is None), by a kind of load, or by happenings.

    `about` says it in words. `growing`: the window after still gets longer. `server_changed` tells of what became of the
    server in between and is not itself what is to be judged; `texts` are labels of statements.
    """

    aim: Aim = Aim.WORK
    key: str = ""
    statements: Collection[QueryId] | None = None
    about: str = ""
    growing: bool = False
    server_changed: Sequence[str] = ()
    texts: Mapping[QueryId, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """A measure of both windows. `difference` or `rate` is None, or both where too little is known; `chance` is corrected
    for how many measures were looked at."""

    group: Group
    key: str
    label: str
    unit: str
    method: Method
    difference: Difference | None = None
    rate: RateChange | None = None
    chance: float = 1.0
    judged: Judged = field(default_factory=lambda: Judged(verdict=Verdict.UNKNOWN))
    up_is_worse: bool = True
