"""Search over all servers, or one of them: what was seen, what was found, and what people wrote of it.

PostgreSQL's trigrams find texts by any part of them (migrations of apps/statements); names of dimensions are in memory.
"""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from django.db import connection

from faena.apps.cases.selectors import of_groups
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.servers import holdings
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_named
from faena.apps.servers.sight import Groups, seen
from faena.core.answers.leads.kinds import LeadKind
from faena.core.changes.kinds import ChangeKind
from faena.core.engines.profile import EngineProfile
from faena.core.numbers import whole_number
from faena.core.privacy import Normalised
from faena.core.sampling.dimensions import Dimension
from faena.core.searching import BEGINS, Kind, fits, read_words
from faena.core.sql.texts import gist
from faena.core.units import MS_PER_HOUR, EpochMs

LATELY_MS = 24 * MS_PER_HOUR
MOST_OF_A_KIND = 8
MOST_STATEMENTS = 20
MOST_LOOKED_AT = 100  # rows of a kind that are weighed
SEARCHED: Mapping[Dimension, Kind] = {
    Dimension.PROGRAM: Kind.PROGRAM, Dimension.TABLES: Kind.TABLES, Dimension.USER: Kind.USER,
    Dimension.CLIENT: Kind.CLIENT, Dimension.DATABASE: Kind.DATABASE, Dimension.WAIT: Kind.WAIT,
}  # fmt: skip
_TRACE = re.compile(r"[0-9a-f]{32}")
_NOT_NAMES = {"", "running", "no table", "none"}


class Hit(NamedTuple):
    """`value` names it among its kind: a number, a name, an identity. `server` None: of all. `at` in ms since 1970.

    `ms` is what a statement took lately, None where it did not run.
    """

    kind: Kind
    value: str
    label: str
    server: int | None = None
    at: int | None = None
    ms: float | None = None
    rank: float = 0.0


class Found(NamedTuple):
    """`more`: there are statements beyond those listed. `names` of the servers, by their numbers.

    `since` and `until`, in ms since 1970, are None where nobody asked for a time.
    """

    hits: list[Hit]
    more: bool
    names: Mapping[int, str]
    since: int | None
    until: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What is looked for, on which servers: those of `names`. `own` are Faena's own users there.

    `timed`: only what was there at some time from `since` to `until`, in ms since 1970; else these are the last day.
    """

    words: Sequence[str]
    names: Mapping[int, str]
    own: Mapping[int, str]
    profiles: Mapping[int, EngineProfile]
    everywhere: bool
    groups: Groups
    timed: bool
    since: int
    until: int

    @property
    def ids(self) -> list[int]:
        return list(self.names)

    def like(self, text: str) -> tuple[str, list[Any]]:
        """SQL that holds where all words are in a text, and its parameters."""
        escaped = [re.sub(r"([\\%_])", r"\\\1", one) for one in self.words]
        return " AND ".join(f"{text} ILIKE %s" for _ in escaped), [f"%{one}%" for one in escaped]

    def within(self, first: str, last: str = "") -> tuple[str, list[Any]]:
        """SQL that holds where something that was there from `first` to `last` was there in this time, and its parameters."""
        if not self.timed:
            return "true", []
        return f"{last or first} >= %s AND {first} < %s", [self.since, self.until]


def search(text: str, server_id: int | None, now: int, groups: Groups = None) -> Found:
    """What contains all of the words, on servers of these groups. Raises NotFound, BadInput."""
    asked_for = read_words(text, EpochMs(now))
    one = None if server_id is None else servers.server(server_id, groups)
    rows = [one] if one else servers.named_like(asked_for.servers, groups)
    asked = Asked(
        words=asked_for.words, names={one.pk: one.name for one in rows}, own={one.pk: one.username for one in rows},
        profiles={one.pk: profile_named(one.engine) for one in rows},
        everywhere=server_id is None and not asked_for.servers, groups=groups,
        timed=asked_for.since is not None or asked_for.until is not None,
        since=asked_for.since if asked_for.since is not None else 0 if asked_for.until is not None else now - LATELY_MS,
        until=asked_for.until if asked_for.until is not None else now,
    )  # fmt: skip
    hits, more = list[Hit](), False
    for kinds, find in FINDERS:
        if (asked_for.kinds and not asked_for.kinds & kinds) or (asked.timed and kinds <= TIMELESS):
            continue
        for kind, found in _by_kind(find(asked)):
            if asked_for.kinds and kind not in asked_for.kinds:
                continue
            most = MOST_STATEMENTS if kind is Kind.STATEMENT else MOST_OF_A_KIND
            more = more or (kind is Kind.STATEMENT and len(found) > most)
            hits += found[:most]  # statements are shortened once only some are left of them
    hits = [one._replace(label=gist(Normalised(one.label), 160)) if one.kind is Kind.STATEMENT else one for one in hits]
    order = list(Kind)
    hits.sort(key=lambda one: (not _named_so(one), order.index(one.kind)))
    since, until = (asked.since, asked.until) if asked.timed else (None, None)
    return Found(hits, more, asked.names, since, until)


def _named_so(hit: Hit) -> bool:
    """Whether the words are its name, or begin it: that comes before what merely has to do with it."""
    return hit.kind is not Kind.STATEMENT and hit.rank >= BEGINS


def _by_kind(hits: Iterable[Hit]) -> list[tuple[Kind, list[Hit]]]:
    """Each kind's, the best first: by how the words fit, then by time."""
    found: dict[Kind, list[Hit]] = {}
    for one in hits:
        found.setdefault(one.kind, []).append(one)
    for mine in found.values():
        mine.sort(key=lambda one: (-one.rank, -(one.at or 0), len(one.label), one.label))
    return list(found.items())


def _rows(query: str, *parameters: Any) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(query, parameters)
        return list(cursor.fetchall())


def _servers(asked: Asked) -> Iterator[Hit]:
    if asked.everywhere:
        for number, name in asked.names.items():
            if rank := fits(name, asked.words):
                yield Hit(Kind.SERVER, str(number), name, rank=rank)


def _sessions(asked: Asked) -> Iterator[Hit]:
    pid = asked.words[0] if len(asked.words) == 1 else ""
    if whole_number(pid):
        for number in asked.ids:
            yield Hit(Kind.SESSION, pid, f"sessions with pid {pid}", number)


def _traces(asked: Asked) -> Iterator[Hit]:
    trace = asked.words[0]
    if not _TRACE.fullmatch(trace):
        return
    then, moments = asked.within("at_ms")
    query = f"SELECT DISTINCT server_id FROM requests_keptrequest WHERE server_id = ANY(%s) AND trace = %s AND {then}"
    known = [number for (number,) in _rows(query, asked.ids, bytes.fromhex(trace), *moments)]
    for number in known or (
        asked.ids if not asked.everywhere and not asked.timed else []
    ):  # its page says why it is not kept
        yield Hit(Kind.TRACE, trace, f"the request of trace {trace}", number)


def _cases(asked: Asked) -> Iterator[Hit]:
    """Also by what was said in them and what is kept in them."""
    conditions: list[tuple[str, list[Any]]] = [
        asked.like(
            "(c.title || ' ' || c.conclusion || ' ' || coalesce((SELECT string_agg(k.text, ' ') FROM cases_casecomment k "
            "WHERE k.case_id = c.id), '') || ' ' || coalesce((SELECT string_agg(e.title || ' ' || e.note || ' ' || e.server, ' ') "
            "FROM cases_keptevidence e WHERE e.case_id = c.id), ''))"
        ),
        asked.within("c.made_ms", "c.changed_ms"),
    ]
    if not asked.everywhere:
        about = "EXISTS (SELECT 1 FROM cases_caselink l WHERE l.case_id = c.id AND l.server_id = ANY(%s))"
        conditions.append((about, [asked.ids]))
    if asked.groups is not None:
        conditions.append(("c.id = ANY(%s)", [list(of_groups(asked.groups).values_list("pk", flat=True))]))
    where, given = " AND ".join(sql for sql, _ in conditions), [one for _, mine in conditions for one in mine]
    query = f"SELECT c.id, c.title, c.state, c.changed_ms FROM cases_case c WHERE {where} ORDER BY c.changed_ms DESC LIMIT %s"
    for number, title, state, at in _rows(query, *given, MOST_LOOKED_AT):
        yield Hit(Kind.CASE, str(number), f"{title} ({state})", at=at, rank=fits(title, asked.words))


def _leads(asked: Asked) -> Iterator[Hit]:
    like, given = asked.like("(title || ' ' || kind || ' ' || root::text)")
    then, moments = asked.within("first_ms", "last_ms")
    query = f"SELECT server_id, identity, kind, title, last_ms FROM leads_knownlead WHERE server_id = ANY(%s) AND {like} AND {then} ORDER BY last_ms DESC LIMIT %s"
    for server, identity, kind, title, at in _rows(query, asked.ids, *given, *moments, MOST_LOOKED_AT):
        label = f"{title} ({LeadKind(kind).label})"
        yield Hit(Kind.LEAD, identity, label, server, at, rank=fits(title, asked.words))


def _alerts(asked: Asked) -> Iterator[Hit]:
    like, given = asked.like("a.headline")
    if asked.groups is not None:  # else its headline may name others
        like = (
            f"{like} AND NOT EXISTS (SELECT 1 FROM alerts_firing o WHERE o.alert_id = a.id AND o.server_id <> ALL(%s))"
        )
        given = [*given, list(seen(asked.groups).values_list("pk", flat=True))]
    then, moments = asked.within("a.began_ms", "coalesce(a.over_ms, 9223372036854775807)")
    query = (
        "SELECT a.id, a.headline, a.fired_ms, min(f.server_id) FROM alerts_alert a JOIN alerts_firing f ON f.alert_id = a.id "
        f"WHERE f.server_id = ANY(%s) AND {like} AND {then} GROUP BY 1, 2, 3 ORDER BY a.fired_ms DESC LIMIT %s"
    )
    for number, headline, at, server in _rows(query, asked.ids, *given, *moments, MOST_LOOKED_AT):
        yield Hit(Kind.ALERT, str(number), headline, server, at, rank=fits(headline, asked.words))


def _patterns(asked: Asked) -> Iterator[Hit]:
    like, given = asked.like("(d.reason || ' ' || d.cause || ' ' || d.parties::text)")
    then, moments = asked.within("d.at_ms")
    query = (
        "SELECT DISTINCT ON (p.id) d.server_id, p.pattern, d.reason, d.at_ms FROM locks_deadlock d "
        f"JOIN locks_deadlockpattern p ON p.id = d.pattern_id WHERE d.server_id = ANY(%s) AND {like} "
        f"AND {then} ORDER BY p.id, d.at_ms DESC LIMIT %s"
    )
    for server, pattern, reason, at in _rows(query, asked.ids, *given, *moments, MOST_LOOKED_AT):
        yield Hit(Kind.PATTERN, pattern, gist(reason, 160), server, at)


def _changes(asked: Asked) -> Iterator[Hit]:
    text = "concat_ws(' ', object, \"table\", note, version, before, after)"
    like, given = asked.like(text)
    then, moments = asked.within("at_ms")
    query = f'SELECT id, server_id, kind, object, note, "table", at_ms FROM changes_change WHERE server_id = ANY(%s) AND {like} AND {then} ORDER BY at_ms DESC LIMIT %s'
    for number, server, kind, subject, note, table, at in _rows(query, asked.ids, *given, *moments, MOST_LOOKED_AT):
        name = note or subject or table
        label = f"{ChangeKind(kind).label}: {name}"
        yield Hit(Kind.CHANGE, str(number), label[:160], server, at, rank=fits(name, asked.words))


def _endpoints(asked: Asked) -> Iterator[Hit]:
    like, given = asked.like("(service || ' ' || name)")
    query = f"SELECT id, server_id, service || ' ' || name FROM requests_endpoint WHERE server_id = ANY(%s) AND {like} LIMIT %s"
    for number, server, name in _rows(query, asked.ids, *given, MOST_LOOKED_AT):
        yield Hit(Kind.ENDPOINT, str(number), name, server, rank=fits(name, asked.words))


def _names(asked: Asked) -> Iterator[Hit]:
    """Values of dimensions, as sessions were seen to have them at any time."""
    held = holdings.read_all()
    for number in asked.ids:
        if number not in held or not held[number].codes:
            continue  # nobody was seen there yet
        dictionary, waits = read_dictionary(number, held[number]), asked.profiles[number].waits
        for dimension, kind in SEARCHED.items():
            for name in dictionary.encoded(dimension).names:
                if name in _NOT_NAMES:
                    continue
                label = waits.label(name)[0] if dimension is Dimension.WAIT else name
                if rank := fits(name, asked.words) or fits(f"{name} {label}", asked.words) / 2:
                    yield Hit(kind, name, label, number, rank=rank)


def _indexes(asked: Asked) -> Iterator[Hit]:
    """As the surveys of a server's last hour have them: each has those alone that were touched since the one before."""
    like, given = asked.like("(t.index || ' ' || t.table)")
    query = (
        "SELECT DISTINCT t.server_id, t.index, t.table FROM unnest(%s::bigint[]) AS s(id) "
        "CROSS JOIN LATERAL (SELECT max(until_ms) AS newest FROM hosts_tablework WHERE server_id = s.id) n "
        f"JOIN hosts_tablework t ON t.server_id = s.id AND t.until_ms > n.newest - %s WHERE t.index <> '' AND {like} LIMIT %s"
    )
    for server, index, table in _rows(query, asked.ids, MS_PER_HOUR, *given, MOST_LOOKED_AT):
        yield Hit(Kind.INDEX, index, f"{index} on {table}", server, rank=fits(index, asked.words))


def _statements(asked: Asked) -> Iterator[Hit]:
    """Those that took most lately first, then others that are known, however long ago they ran; of a time those alone that ran."""
    like, given = asked.like("text")
    query = f"SELECT server_id, query_id, text FROM statements_text WHERE server_id = ANY(%s) AND {like} LIMIT %s"
    found = {(server, query_id): text for server, query_id, text in _rows(query, asked.ids, *given, 2 * MOST_LOOKED_AT)}
    took = _took(asked, list(found))
    if len(found) == 2 * MOST_LOOKED_AT:  # so many have the words that those at work are asked which of them do
        at_work = _took(asked, None)
        missing = sorted((one for one in at_work if one not in found), key=lambda one: -at_work[one])[:1000]
        query = f"SELECT server_id, query_id, text FROM statements_text WHERE server_id = ANY(%s) AND query_id = ANY(%s) AND {like}"
        for server, query_id, text in _rows(query, asked.ids, [query_id for _, query_id in missing], *given):
            found[server, query_id], took[server, query_id] = text, at_work.get((server, query_id), 0.0)
    for (server, query_id), text in found.items():
        ms = took.get((server, query_id))
        if asked.timed and ms is None:
            continue
        rank = ms if ms is not None else -1.0 / fits(text, asked.words)
        yield Hit(Kind.STATEMENT, str(query_id), text, server, ms=ms, rank=rank)


def _took(asked: Asked, wanted: Sequence[tuple[int, int]] | None) -> dict[tuple[int, int], float]:
    """Milliseconds in the time that is asked about, of those that ran: hours that touch it, and what is not summed up by the
    hour yet. None: of all."""
    if wanted is not None and not wanted:
        return {}
    ids = asked.ids if wanted is None else sorted({server for server, _ in wanted})
    numbers = [] if wanted is None else [sorted({query_id for _, query_id in wanted})]
    these, those = ("AND query_id = ANY(%s)", "AND k.query_id = ANY(%s)") if numbers else ("", "")
    query = (
        'SELECT w.server_id, w.query_id, sum(w.total_ms) FROM (SELECT server_id, query_id, "user", total_ms FROM statements_workhour '
        f"WHERE server_id = ANY(%s) AND hour_ms > %s AND hour_ms < %s {these} UNION ALL "
        'SELECT k.server_id, k.query_id, k."user", k.total_ms FROM statements_work k WHERE k.server_id = ANY(%s) AND k.until_ms > %s '
        "AND k.since_ms < %s "
        f"{those} AND NOT EXISTS (SELECT 1 FROM statements_summedhour h WHERE h.server_id = k.server_id "
        "AND h.hour_ms = (k.until_ms - 1) / 3600000 * 3600000)) w "
        'JOIN servers_server s ON s.id = w.server_id AND s.username <> w."user" GROUP BY 1, 2'
    )
    hours = (asked.since - MS_PER_HOUR if asked.timed else asked.since - 1, asked.until)
    rows = _rows(query, ids, *hours, *numbers, ids, asked.since, asked.until, *numbers)
    return {(server, query_id): ms for server, query_id, ms in rows}


EACH_SERVERS_MESSAGES = 8


def _log(asked: Asked) -> Iterator[Hit]:
    """Messages without their literals, the newest of each. Each server by itself: rare words by their trigrams, common ones by time."""
    like, given = asked.like("e.message")
    then, moments = asked.within("e.at_ms")
    query = (
        "SELECT s.id, f.message, f.at_ms FROM unnest(%s::bigint[]) AS s(id) CROSS JOIN LATERAL (SELECT e.message, e.at_ms "
        f"FROM statements_logevent e WHERE e.server_id = s.id AND {like} AND {then} ORDER BY e.at_ms DESC LIMIT %s) f ORDER BY f.at_ms DESC"
    )
    told = set[tuple[int, str]]()
    for server, message, at in _rows(query, asked.ids, *given, *moments, EACH_SERVERS_MESSAGES):
        if (server, message) not in told:
            told.add((server, message))
            yield Hit(Kind.LOG, message[:200], gist(message, 160), server, at)


# What is known without saying when it was there: not listed where a time is asked for.
TIMELESS = frozenset({Kind.SERVER, Kind.ENDPOINT, Kind.INDEX, *SEARCHED.values()})
# Which kinds each finds.
FINDERS: Sequence[tuple[frozenset[Kind], Callable[[Asked], Iterator[Hit]]]] = (
    (frozenset({Kind.SERVER}), _servers),
    (frozenset({Kind.SESSION}), _sessions),
    (frozenset({Kind.TRACE}), _traces),
    (frozenset({Kind.CASE}), _cases),
    (frozenset({Kind.LEAD}), _leads),
    (frozenset({Kind.ALERT}), _alerts),
    (frozenset({Kind.PATTERN}), _patterns),
    (frozenset({Kind.CHANGE}), _changes),
    (frozenset({Kind.ENDPOINT}), _endpoints),
    (frozenset(SEARCHED.values()), _names),
    (frozenset({Kind.INDEX}), _indexes),
    (frozenset({Kind.STATEMENT}), _statements),
    (frozenset({Kind.LOG}), _log),
)
