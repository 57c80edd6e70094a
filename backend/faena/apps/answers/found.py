"""Changes that are found in what is kept of a server: who came and went, tables that grew, plans that switched, cores."""

from collections.abc import Callable, Iterable, Mapping

import numpy as np

from faena.apps.answers.labels import lines
from faena.apps.changes import actions
from faena.apps.changes.models import Looked
from faena.apps.hosts import selectors as hosts
from faena.apps.plans import selectors as plans
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import read_frame
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.apps.statements import executions
from faena.apps.statements import selectors as statements
from faena.core.changes.change import Found
from faena.core.changes.comings import LOOK_BACK_HOURS, comings
from faena.core.changes.growth import LEAST_DAYS, grew
from faena.core.changes.kinds import ChangeKind
from faena.core.plans.history import switches
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.rollup import MINUTE_MS
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

Seen = Mapping[str, Mapping[int, float]]
HOURS_AT_A_TIME = 48
LEAST_SEEN = 30.0  # session-seconds in an hour, for a program or a host
LEAST_SHARE, LEAST_TIME_MS = 0.01, 10_000.0  # of an hour's time in all statements, and so much
SETTLES_MS = 10 * MINUTE_MS  # after its end an hour is summed up
BOTH = {  # what is told of names that come and go
    Dimension.PROGRAM: (ChangeKind.PROGRAM_NEW, ChangeKind.PROGRAM_GONE),
    Dimension.CLIENT: (ChangeKind.CLIENT_NEW, ChangeKind.CLIENT_GONE),
}


def look_for_changes(server: Server, now_ms: int) -> int:
    """All closed hours since the last look, some at a time; returns how many were looked at."""
    row, _ = Looked.objects.get_or_create(server_id=server.pk)
    _cores(server, row, now_ms)
    newest = (now_ms - SETTLES_MS) // MS_PER_HOUR - 1  # the last hour that is over, counted since 1970
    held = holdings.read(server.pk)
    if not held.first_ms:
        return 0
    first = max(row.hour_ms // MS_PER_HOUR + 1, held.first_ms // MS_PER_HOUR)
    hours = range(first, min(newest, first + HOURS_AT_A_TIME - 1) + 1)
    if hours:
        _comings(server, hours)
        _growth(server, hours)
        _switches(server, hours)
        Looked.objects.filter(server_id=server.pk).update(hour_ms=hours[-1] * MS_PER_HOUR)
    return len(hours)


def _cores(server: Server, row: Looked, now_ms: int) -> None:
    """As they are set, or told by the machine's agent."""
    if row.cores == server.cores:
        return
    if row.cores is not None and server.cores is not None:
        found = Found(
            kind=ChangeKind.CORES, at=EpochMs(now_ms), since=EpochMs(now_ms), object="server", before=str(row.cores),
            after=str(server.cores),
        )  # fmt: skip
        actions.keep(server.pk, [found])
    Looked.objects.filter(server_id=server.pk).update(cores=server.cores)


def _comings(server: Server, hours: range) -> None:
    since, until = (hours[0] - LOOK_BACK_HOURS) * MS_PER_HOUR, (hours[-1] + 1) * MS_PER_HOUR
    window = Window(start=EpochMs(since), end=EpochMs(until))
    seen, watched = _seen(server, window)
    for dimension, (new, gone) in BOTH.items():
        named = {name: mine for name, mine in seen[dimension].items() if name}
        _tell(server, named, watched, hours, (new, gone), lambda _: LEAST_SEEN)
    work = statements.hourly_times(server.pk, window, without_user=server.username)
    whole: dict[int, float] = {}
    for mine in work.values():
        for hour, ms in mine.items():
            whole[hour] = whole.get(hour, 0.0) + ms
    by_name = {str(query_id): mine for query_id, mine in work.items()}
    _tell(
        server, by_name, dict.fromkeys(whole, True), hours, (ChangeKind.STATEMENT_NEW, ChangeKind.STATEMENT_GONE),
        lambda hour: max(LEAST_SHARE * whole.get(hour, 0.0), LEAST_TIME_MS),
    )  # fmt: skip


def _tell(
    server: Server,
    seen: Seen,
    watched: Mapping[int, bool],
    hours: Iterable[int],
    kinds: tuple[ChangeKind, ChangeKind],
    least: Callable[[int], float],
) -> None:
    told = list[tuple[int, ChangeKind, str]]()
    for hour in hours:
        found = comings(seen, watched, hour, least(hour))
        told += [(hour, kinds[0], name) for name in found.new] + [(hour, kinds[1], name) for name in found.gone]
    if not told:
        return
    statement = kinds[0] is ChangeKind.STATEMENT_NEW
    labels = lines(server.pk, [int(name) for _, _, name in told], 200) if statement else {}
    ids = {labels.get(int(name), name): int(name) for _, _, name in told} if statement else {}
    actions.keep(
        server.pk,
        [
            Found(
                kind=kind,
                at=_moment(hour, new=kind is kinds[0]),
                since=EpochMs(hour * MS_PER_HOUR),
                object=labels.get(int(name), name) if statement else name,
            )
            for hour, kind, name in told
        ],
        ids,
    )


def _moment(hour: int, *, new: bool) -> EpochMs:
    """When it was told: the end of the hour in which it came; what is gone was missed for a day."""
    return EpochMs((hour + 1) * MS_PER_HOUR if new else hour * MS_PER_HOUR)


def _seen(server: Server, window: Window) -> tuple[dict[Dimension, dict[str, dict[int, float]]], dict[int, bool]]:
    """Session-seconds of each program and client by hour, counted since 1970, and the hours that were sampled."""
    frame = read_frame(server.pk, window, holdings.read(server.pk), unit_ms=MS_PER_HOUR)
    dictionary = read_dictionary(server.pk)
    hour = frame.tick_ms // MS_PER_HOUR
    weights = np.ones(len(frame.code)) if frame.seen is None else frame.seen.astype(np.float64)
    known = frame.code < len(dictionary)
    found = dict[Dimension, dict[str, dict[int, float]]]()
    for dimension in BOTH:
        encoded, mine = dictionary.encoded(dimension), dict[str, dict[int, float]]()
        places = encoded.ids[frame.code[known]].astype(np.int64)
        keys, where = np.unique(places * 10_000_000 + hour[frame.tick[known]], return_inverse=True)
        sums = np.bincount(where, weights=weights[known])
        for key, seen in zip(keys.tolist(), sums.tolist(), strict=True):
            mine.setdefault(encoded.names[key // 10_000_000], {})[key % 10_000_000] = seen
        found[dimension] = mine
    return found, dict.fromkeys(np.unique(hour).tolist(), True)


def _growth(server: Server, hours: range) -> None:
    """At the last hour of each day that these hours hold: the day before against the days before it."""
    for hour in hours:
        if hour % 24:
            continue
        days = [(hour - 24 * back) * MS_PER_HOUR for back in range(LEAST_DAYS + 3)][::-1]
        for table, sizes in hosts.sizes_at(server.pk, days).items():
            told = grew(sizes)
            if told is not None:
                actions.keep(server.pk, [_grown(table, hour, sizes, told)])


def _grown(table: str, hour: int, sizes: list[int], told: tuple[int, int]) -> Found:
    return Found(
        kind=ChangeKind.TABLE_GREW, at=EpochMs(hour * MS_PER_HOUR), since=EpochMs((hour - 24) * MS_PER_HOUR),
        object=table, table=table, before=_mib(sizes[-2]), after=f"{_mib(sizes[-1])}; usually by {_mib(told[1])} a day",
    )  # fmt: skip


def _mib(size: int) -> str:
    return f"{size / 1024 / 1024:,.0f} MiB".replace(",", " ")


def _switches(server: Server, hours: range) -> None:
    """From a day before on, since a switch is told by what came before it."""
    window = Window(start=EpochMs((hours[0] - 24) * MS_PER_HOUR), end=EpochMs((hours[-1] + 1) * MS_PER_HOUR))
    changes = [(q, one) for q, runs in executions.plan_runs(server.pk, window).items() for one in switches(runs)]
    mine = [(q, one) for q, one in changes if one.at >= hours[0] * MS_PER_HOUR]
    if not mine:
        return
    labels = lines(server.pk, [q for q, _ in mine], 200)
    gists = plans.gists(server.pk, {shape for _, one in mine for shape in (one.before, one.after)})
    actions.keep(
        server.pk,
        [
            Found(
                kind=ChangeKind.PLAN_SWITCH, at=one.at, since=one.at, object=labels.get(q, str(q)),
                before=gists.get(one.before, "another plan"), after=gists.get(one.after, "another plan"),
            )
            for q, one in mine
        ],
        {labels.get(q, str(q)): q for q, _ in mine},
    )  # fmt: skip
