"""How often the first lead names what is at fault: incidents drawn by chance, and half hours in which nothing is wrong.

    ./faena bench diagnosis [HOW MANY] [FIRST SEED]

Without arguments 200 incidents by seeds that no rule was tuned to, a third of them two at once, and 100 quiet half hours.
Each is filled into the store beside a fortnight of ordinary hours, looked at as the application does, and taken out again.
Without arguments the tables go to docs/diagnosis.md.
"""

import sys
import time
import tomllib
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from multiprocessing import get_context

import django

django.setup()

from django.db import connection, connections, transaction  # noqa: E402
from django.utils import timezone  # noqa: E402
from document import write_section  # noqa: E402
from faena.apps.answers.leads import leads_of  # noqa: E402
from faena.apps.collecting import estate as filling  # noqa: E402
from faena.apps.hosts.models import HostReading  # noqa: E402
from faena.apps.samples import dictionary, hours, recent, sessions, usual  # noqa: E402
from faena.apps.samples.models import Chunk  # noqa: E402
from faena.apps.servers import simulation  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.apps.statements.hours import sum_up  # noqa: E402
from faena.apps.statements.models import LogMark, SummedHour  # noqa: E402
from faena.core.series.window import Window  # noqa: E402
from faena.core.units import MS_PER_HOUR, EpochMs  # noqa: E402
from faena.launch.places import CHECKOUT  # noqa: E402
from faena.sources.simulated import Incident, read_incidents  # noqa: E402
from faena.sources.simulated.drawing import CAUSES, MEASURING, Cause, Drawn, draw  # noqa: E402

DAY_MS = 24 * MS_PER_HOUR
FRIDAY = EpochMs(1_795_737_600_000)  # 2026-11-27, the day of all incidents, with workdays before it
PAST_DAYS = (1, 2, 3, 4, 7, 8)
LONGEST_LOOK_MS = 30 * 60_000
LEAST_RIGHT, MOST_FALSE = 0.95, 0.01
SLOW_MS = 1000.0
PLANTED = 14  # incidents of the estate


def server_of(name: str) -> Server:
    return next(one for one in filling.make_servers(EpochMs(FRIDAY + DAY_MS)) if one.name == name)


def past_hours(name: str, day: int) -> None:
    """The ordinary hours of one day."""
    server = server_of(name)
    start = FRIDAY - day * DAY_MS
    for at in (start, start + DAY_MS // 2):
        if not Chunk.objects.filter(server=server, hour_ms=at).exists():  # else of an earlier run
            filling.fill_hours(server.pk, at, at + DAY_MS // 2)


def prepare() -> None:
    """All servers with a past in which nothing is wrong."""
    simulation.description.cache_clear()
    estate, _ = simulation.description()
    quiet()
    names = list(estate.servers)
    machines = HostReading.objects.filter(machine__in=[server_of(name).machine for name in names])
    if machines.filter(at_ms__gt=FRIDAY + MS_PER_HOUR).exists():
        Server.objects.filter(name__in=names).delete()  # another bench gave them a past of its own
        machines.delete()
    for name in names:
        server = server_of(name)
        filling._learn(server)
        LogMark.objects.get_or_create(server=server, defaults={"name": "simulated", "offset": 0})
    connections.close_all()
    with pool() as workers:
        list(workers.map(past_hours, [n for n in names for _ in PAST_DAYS], [d for _ in names for d in PAST_DAYS]))
        list(workers.map(summed, names))


def summed(name: str) -> None:
    server = server_of(name)
    SummedHour.objects.filter(server=server).delete()  # marks of a run that broke off
    sum_up(server.pk, FRIDAY, at_most=400)


def quiet() -> None:
    """The estate without its planted incidents: only what is drawn goes wrong."""
    estate, _ = simulation.description()
    calm = replace(estate, endpoints=tuple(replace(one, changes=()) for one in estate.endpoints))
    simulation.description = lambda: (calm, [])  # type: ignore[assignment]


def pool() -> ProcessPoolExecutor:
    return ProcessPoolExecutor(2, mp_context=get_context("spawn"), initializer=quiet)


@dataclass(frozen=True, slots=True, kw_only=True)
class Planted:
    """An incident of the estate's past, put into the day of all incidents; `minutes` as Drawn has them."""

    server: str
    minute: int
    minutes: int
    causes: Sequence[Cause]
    incident: Incident

    def incidents(self, days_ago: float) -> list[Incident]:
        return [replace(self.incident, days_ago=days_ago, times=1)]


@contextmanager
def played(drawn: Drawn | Planted) -> Iterator[None]:
    """The hours of an incident, in the store as long as this lasts."""
    incidents = drawn.incidents(1.0)
    estate, _ = simulation.description()
    before = simulation.description
    simulation.description = lambda: (estate, incidents)  # type: ignore[assignment]
    try:
        with transaction.atomic():
            with connection.cursor() as cursor:  # another worker may have the same texts to learn, and keeps them long
                cursor.execute("SET LOCAL statement_timeout = 0")
            names = {drawn.server, *(e.on for c in drawn.causes for e in c.effects if getattr(e, "on", ""))}
            for name in sorted(names):
                server = server_of(name)
                filling._learn(server)
                first = FRIDAY + (drawn.minute // 60 - 1) * MS_PER_HOUR
                last = FRIDAY + -(-(drawn.minute + drawn.minutes) // 60) * MS_PER_HOUR
                filling.fill_hours(server.pk, first, last)
            yield
            transaction.set_rollback(True)
    finally:
        simulation.description = before
        for module in (dictionary, hours, recent, sessions, usual):
            module.forget_caches()


@dataclass(frozen=True, slots=True, kw_only=True)
class Result:
    """`right`: the first lead names one of the causes; `both`: all of them are among the leads."""

    seed: int
    expected: tuple[str, ...]
    found: tuple[str, ...]
    right: bool
    both: bool
    took_ms: float
    told: str


def planted(number: int) -> tuple[str, str, Result]:
    """Name and cause of the estate's incident of this number, and what the first lead is."""
    one = read_incidents(tomllib.loads((CHECKOUT / "demo" / "incidents.toml").read_text()))[number]
    cause = Cause(kinds=tuple(one.found["lead"]), server=one.server, effects=one.effects)
    minutes = max(one.length_ms // 60_000, 10)
    mine = Planted(server=one.server, minute=one.at_ms // 60_000, minutes=minutes, causes=[cause], incident=one)
    return one.name, one.cause, _judged(number, mine)


def judge(seed: int) -> Result:
    return _judged(seed, draw(seed))


def _judged(seed: int, drawn: Drawn | Planted) -> Result:
    with played(drawn):
        start = FRIDAY + drawn.minute * 60_000
        end = min(start + drawn.minutes * 60_000, start + LONGEST_LOOK_MS)
        begun = time.perf_counter()
        found, _ = leads_of(server_of(drawn.server).pk, Window(start=EpochMs(start), end=EpochMs(end)))
        took = 1000 * (time.perf_counter() - begun)
    claims = [one.claim for one in found.leads]
    named = [[is_it(cause, claim) for cause in drawn.causes] for claim in claims]
    return Result(
        seed=seed,
        expected=tuple(one.kinds[0] for one in drawn.causes),
        found=tuple(one.kind.value for one in claims),
        right=bool(named) and any(named[0]),
        both=all(any(row[i] for row in named) for i in range(len(drawn.causes))),
        took_ms=took,
        told=" | ".join(f"{one.title} [{one.root.program} {one.root.table}]" for one in claims[:2]) or found.ground,
    )


def is_it(cause: Cause, claim: object) -> bool:
    root = claim.root  # type: ignore[attr-defined]
    fits = claim.kind.value in cause.kinds  # type: ignore[attr-defined]
    return fits and cause.program in ("", root.program) and cause.table in ("", root.table)


def false_lead(number: int) -> str:
    """A half hour of an ordinary day: what was found in it, "" nothing."""
    names = list(simulation.description()[0].servers)
    name, day = names[number % len(names)], PAST_DAYS[number % 3]
    start = FRIDAY - day * DAY_MS + (number * 47 % 48) * 30 * 60_000
    found, _ = leads_of(server_of(name).pk, Window(start=EpochMs(start), end=EpochMs(start + 30 * 60_000)))
    return found.leads[0].claim.title if found.leads else ""


def main(arguments: Sequence[str]) -> int:
    """1 when a figure misses its goal."""
    numbers = [int(one) for one in arguments if one.isdigit()]
    many, first = [*numbers, 200][0], [*numbers[1:], MEASURING][0]
    begun = timezone.now()
    prepare()
    print(
        f"the past of {len(PAST_DAYS)} days is there after {(timezone.now() - begun).total_seconds():.0f} s", flush=True
    )
    with pool() as workers:
        results = list(workers.map(judge, range(first, first + many), chunksize=5))
        false = [one for one in workers.map(false_lead, range(100), chunksize=10) if one]
        estate = list(workers.map(planted, range(PLANTED)))
    wrong = [one for one in results if not one.right]
    for one in wrong:
        print(
            f"  seed {one.seed}: {' and '.join(one.expected)} was told as {', '.join(one.found) or 'quiet'}: {one.told[:180]}"
        )
    for one in results:
        if one.right and not one.both:
            print(
                f"  seed {one.seed}: of {' and '.join(one.expected)} only the first was told: {', '.join(one.found)}: {one.told[:150]}"
            )
        if one.took_ms > SLOW_MS:
            print(f"  seed {one.seed}: looking took {one.took_ms:.0f} ms")
    for told in false:
        print(f"  nothing was wrong, and yet: {told[:150]}")
    text = f"{of_the_estate(estate)}\n\n{table(results, false)}"
    print(text)
    if not numbers:
        write_section("./faena bench diagnosis", text)
    share = 1 - len(wrong) / len(results)
    return 0 if share >= LEAST_RIGHT and len(false) <= 100 * MOST_FALSE else 1


def of_the_estate(found: Sequence[tuple[str, str, Result]]) -> str:
    """In Markdown: each planted incident and its first lead."""
    right = sum(one.right for _, _, one in found)
    rows = [
        f"| {name} | {cause} | {one.told.split(' | ')[0].split(' [')[0].replace('|', '/')} | {'yes' if one.right else 'no'} |"
        for name, cause, one in found
    ]
    head = ["| incident | what was planted | the first lead | right |", "|---|---|---|---|"]
    return "\n".join(
        [f"Of {len(found)} incidents planted in the estate, the first lead is right in {right}.", "", *head, *rows]
    )


def table(results: Sequence[Result], false: Sequence[str]) -> str:
    """In Markdown."""
    two = [one for one in results if len(one.expected) > 1]
    took = sorted(one.took_ms for one in results)
    right = sum(one.right for one in results)
    lines = [
        f"{len(results)} incidents drawn by seeds from {results[0].seed} on, {len(two)} of them two at once: the first lead is right in "
        f"{right} ({right / len(results):.1%}); of two at once both are told in {sum(one.both for one in two)}. "
        f"Of 100 half hours in which nothing is wrong {len(false)} had a lead. Looking took {took[len(took) // 2]:.0f} ms in the "
        f"median, {took[-1]:.0f} ms at most.",
        "",
        "| at fault | drawn | right | told instead |",
        "|---|---|---|---|",
    ]
    for kind in dict.fromkeys(name.split(" ")[0] for name in CAUSES):
        mine = [one for one in results if one.expected[0] == kind]
        instead = Counter(one.found[0] if one.found else "quiet" for one in mine if not one.right)
        told = ", ".join(f"{name} ({n})" for name, n in instead.most_common())
        lines.append(f"| {kind} | {len(mine)} | {sum(one.right for one in mine)} | {told} |")
    return "\n".join(lines)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
