"""How often before/after says "better" or "worse" of windows in which nothing changed, and how often it finds what did.

    ./faena bench proof

Made-up servers of known truth: calls by Poisson's law, each with a duration of its own; counters are read every 15 s and
samples taken every second, as on a watched server. All by fixed seeds, so that the figures are the same on any machine.
"""

import sys
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from faena.core.answers.proof.comparing import Comparison, compare
from faena.core.answers.proof.costs import Work
from faena.core.answers.proof.sides import EarlierDay, Question, Series, Side
from faena.core.answers.proof.verdicts import Verdict
from faena.core.series.window import Window
from faena.core.statements.figures import Effort
from faena.core.units import EpochMs, QueryId

Floats = npt.NDArray[np.float64]
Draw = Callable[[np.random.Generator, int], Floats]  # durations of so many calls, ms
READING_S = 15
RATES = (40.0, 12.0, 6.0, 3.0, 1.5, 0.6)  # calls a second of each statement
COSTS = (1.0, 8.0, 20.0, 60.0, 150.0, 900.0)  # ms, mean
MOST_FALSE, LEAST_FOUND = 0.05, 0.90


def steady(random: np.random.Generator, calls: int) -> Floats:
    """Durations that vary as those of lookups do."""
    return random.gamma(1.0, 1.0, calls)


def heavy(random: np.random.Generator, calls: int) -> Floats:
    """One in a thousand takes a hundred times as long: Pareto's law without a variance."""
    return random.pareto(1.6, calls) * 0.6


def middling(random: np.random.Generator, calls: int) -> Floats:
    """Durations over two decades."""
    return random.lognormal(-0.72, 1.2, calls)


@dataclass(frozen=True, slots=True, kw_only=True)
class World:
    """How a server is when nothing changes. `drift`: by how much minutes are dearer than others, resembling their neighbours.

    `rhythm`: how much calls rise in an hour; `apart_s` between the windows; `days` earlier ones that are known.
    """

    name: str
    draw: Draw
    drift: float = 0.0
    rhythm: float = 0.0
    apart_s: int = 0
    days: int = 0
    minutes: int = 30


WORLDS = (
    World(name="steady", draw=steady),
    World(name="middling, minutes that differ", draw=middling, drift=0.1),
    World(name="heavy-tailed", draw=heavy),
    World(name="heavy-tailed, minutes that differ", draw=heavy, drift=0.07),
    World(name="an hour apart in a rhythm", draw=middling, drift=0.1, rhythm=0.3, apart_s=3600),
    World(name="an hour apart, in a steep rhythm", draw=middling, drift=0.1, rhythm=0.8, apart_s=3600),
    World(name="the same, with earlier days", draw=middling, drift=0.1, rhythm=0.8, apart_s=3600, days=6),
    World(name="ten minutes", draw=middling, drift=0.1, minutes=10),
)


def side(world: World, random: np.random.Generator, at_s: int, times: float = 1.0) -> Side:
    """A window of the world; calls cost so many times as much as usual."""
    seconds = world.minutes * 60
    readings = seconds // READING_S
    volume = 1.0 + world.rhythm * (at_s > 0)
    factors = _drift(random, readings, world.drift)
    works, sessions = dict[QueryId, Work](), np.zeros(seconds)
    for i, (rate, cost) in enumerate(zip(RATES, COSTS, strict=True)):
        calls = random.poisson(rate * volume * READING_S, readings)
        ms, squares = np.zeros(readings), np.zeros(readings)
        for n, many in enumerate(calls):
            one = world.draw(random, int(many)) * cost * times * factors[n]
            ms[n], squares[n] = one.sum(), (one**2).sum()
            begun = random.uniform(n * READING_S, (n + 1) * READING_S, int(many))
            _seen(sessions, begun, one / 1000)
        works[QueryId(i + 1)] = Work(calls=calls.astype(np.float64), ms=ms, sumsq=squares)
    load = sessions.reshape(-1, 5).mean(axis=1)
    start = EpochMs(1_800_000_000_000 + at_s * 1000)
    return Side(
        window=Window(start=start, end=EpochMs(start + seconds * 1000)), counted_s=seconds, works=works,
        load={"all": Series(label="all", unit="sessions", values=load, least=0.1)},
    )  # fmt: skip


def _seen(sessions: Floats, begun: Floats, lasting_s: Floats) -> None:
    """Each call at work at the whole seconds between its begin and its end."""
    first = np.ceil(begun).astype(int)
    many = np.maximum(np.floor(begun + lasting_s).astype(int) - first + 1, 0)
    for at, times in zip(first[many > 0], many[many > 0], strict=True):
        sessions[at : at + times] += 1


def _drift(random: np.random.Generator, readings: int, much: float) -> Floats:
    """Factors of the cost, each like the one before it for some minutes."""
    found, now = np.empty(readings), random.normal(0, much) if much else 0.0
    for n in range(readings):
        now = 0.85 * now + random.normal(0, much * (1 - 0.85**2) ** 0.5) if much else 0.0
        found[n] = np.exp(now)
    return found


def told(world: World, random: np.random.Generator, times: float) -> Comparison:
    before, after = side(world, random, 0), side(world, random, world.apart_s, times)
    earlier = [
        _day(side(replace(world, drift=0.1), random, 0), side(replace(world, drift=0.1), random, world.apart_s))
        for _ in range(world.days)
    ]
    return compare(before, after, Question(growing=False), earlier)


def _day(before: Side, after: Side) -> EarlierDay:
    efforts = [
        {q: Effort(float(one.calls.sum()), float(one.ms.sum()), 0.0, 0.0) for q, one in whole.works.items()}
        for whole in (before, after)
    ]
    load = {"all": (float(before.load["all"].values.mean()), float(after.load["all"].values.mean()))}
    return EarlierDay(before=efforts[0], after=efforts[1], load=load)


def share(world: World, times: float, runs: int, wanted: Sequence[Verdict], seed: int) -> tuple[float, Counter[str]]:
    """Of the runs, those whose verdict is one of those wanted; and all verdicts by number."""
    random = np.random.default_rng(seed)
    found = Counter(told(world, random, times).verdict for _ in range(runs))
    return sum(found[one] for one in wanted) / runs, Counter({one.value: n for one, n in found.items()})


def main(arguments: Sequence[str]) -> int:
    """1 when a figure misses its goal."""
    runs = int(arguments[0]) if arguments else 200
    missed = 0
    print(f"{'world':36} {'unchanged: false':>17} {'cost +30%: found':>17} {'cost -30%: found':>17}")
    for i, world in enumerate(WORLDS):
        false, all_of = share(world, 1.0, runs, (Verdict.BETTER, Verdict.WORSE), 100 + i)
        dearer, up = share(world, 1.3, runs, (Verdict.WORSE,), 200 + i)
        cheaper, down = share(world, 1 / 1.3, runs, (Verdict.BETTER,), 300 + i)
        print(
            f"{world.name:36} {false:17.1%} {dearer:17.1%} {cheaper:17.1%}   {dict(all_of)} {dict(up)} {dict(down)}",
            flush=True,
        )
        missed += false > MOST_FALSE or (
            world.minutes >= 30 and not world.rhythm and min(dearer, cheaper) < LEAST_FOUND
        )
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
