"""What changed between two readings of a server's catalogue."""

from collections.abc import Iterator, Mapping

from faena.core.changes.change import Found
from faena.core.changes.kinds import ChangeKind
from faena.core.readings import Catalogue
from faena.core.units import MS_PER_HOUR, EpochMs

Traits = Mapping[str, str]
Objects = Mapping[str, Traits]
Looks = tuple[Catalogue, Catalogue]
SELDOM_MS = 6 * MS_PER_HOUR  # statistics that the server refreshes by itself more often are no change worth a line
LONGEST = 400  # characters of what was before and after
_PLAIN = {  # classes whose objects have a value, and nothing else to tell of
    "setting": ChangeKind.SETTING,
    "role_setting": ChangeKind.ROLE_SETTING,
    "extension": ChangeKind.EXTENSION,
}


def between(before: Catalogue, after: Catalogue) -> list[Found]:
    """Changes in order of their kind; none where the first reading tells of nothing."""
    looks = before, after
    told = [*_indexes(looks), *_tables(looks), *_server(looks), *_replicas(looks)]
    for of, kind in _PLAIN.items():
        told += _values(looks, of, kind)
    return [_cut(one) for one in told]


def _cut(found: Found) -> Found:
    if max(len(found.before), len(found.after)) <= LONGEST:
        return found
    return Found(
        kind=found.kind, at=found.at, since=found.since, object=found.object, table=found.table,
        before=_short(found.before), after=_short(found.after),
    )  # fmt: skip


def _short(text: str) -> str:
    return text if len(text) <= LONGEST else f"{text[: LONGEST - 1]}…"


def _both(looks: Looks, of: str) -> tuple[Objects, Objects]:
    """The objects of a class before and after; none where one of the looks did not ask for it, or got no answer."""
    if any(of not in one.objects for one in looks):
        return {}, {}
    return looks[0].objects[of], looks[1].objects[of]


def _found(looks: Looks, kind: ChangeKind, name: str, *, table: str = "", before: str = "", after: str = "") -> Found:
    first, second = looks
    return Found(kind=kind, at=second.at, since=first.at, object=name, table=table, before=before, after=after)


def _values(looks: Looks, of: str, kind: ChangeKind) -> Iterator[Found]:
    was, now = _both(looks, of)
    for name in sorted(was.keys() | now.keys()):
        old, new = was.get(name, {}).get("value", ""), now.get(name, {}).get("value", "")
        if old != new:
            yield _found(looks, kind, name, before=old, after=new)


def _indexes(looks: Looks) -> Iterator[Found]:
    was, now = _both(looks, "index")
    tables_before, tables = _both(looks, "table")
    for name in sorted(was.keys() | now.keys()):
        old, new = was.get(name), now.get(name)
        table = (new or old or {}).get("table", "")
        kind = None
        if old is None and new is not None:
            # One that comes with its table says nothing that the table does not.
            kind = ChangeKind.INDEX_MADE if new["valid"] else ChangeKind.INDEX_INVALID
            kind = None if table not in tables_before else kind
        elif new is None and old is not None:
            kind = ChangeKind.INDEX_DROPPED if table in tables else None
        elif old is not None and new is not None:
            kind = _of_both(old, new, tables_before.get(table, {}).get("file") != tables.get(table, {}).get("file"))
        if kind is not None:
            words = [_written(one) if one else "" for one in (old, new)]
            yield _found(looks, kind, name, table=table, before=words[0], after=words[1])


def _of_both(old: Traits, new: Traits, table_rewritten: bool) -> ChangeKind | None:
    if old["valid"] and not new["valid"]:
        return ChangeKind.INDEX_INVALID
    if new["valid"] and not old["valid"]:
        return ChangeKind.INDEX_MADE
    rebuilt = old["written"] != new["written"] or (old["file"] != new["file"] and not table_rewritten)
    return ChangeKind.INDEX_REBUILT if rebuilt else None


def _written(index: Traits) -> str:
    return f"{index['written']}{'' if index['valid'] else ', not valid'}"


def _tables(looks: Looks) -> Iterator[Found]:
    was, now = _both(looks, "table")
    for name in sorted(was.keys() | now.keys()):
        old, new = was.get(name), now.get(name)
        if old is None or new is None:
            kind = ChangeKind.TABLE_MADE if old is None else ChangeKind.TABLE_DROPPED
            words = [one["columns"] if one else "" for one in (old, new)]
            yield _found(looks, kind, name, table=name, before=words[0], after=words[1])
            continue
        if old["columns"] != new["columns"]:
            gone, come = _differing(old["columns"], new["columns"])
            yield _found(looks, ChangeKind.TABLE_ALTERED, name, table=name, before=gone, after=come)
        if old["file"] != new["file"]:
            yield _found(looks, ChangeKind.TABLE_REWRITTEN, name, table=name)
        yield from _statistics(looks, name, old, new)


def _differing(old: str, new: str) -> tuple[str, str]:
    """Columns that only one of them has."""
    was, now = old.split(", "), new.split(", ")
    return ", ".join(one for one in was if one not in now), ", ".join(one for one in now if one not in was)


def _statistics(looks: Looks, name: str, old: Traits, new: Traits) -> Iterator[Found]:
    for way in ("analyzed", "analyzed_by_itself"):
        was, now = int(old[way] or 0), int(new[way] or 0)
        if now > was and (way == "analyzed" or now - was >= SELDOM_MS):
            moment = EpochMs(now)
            yield Found(
                kind=ChangeKind.STATISTICS, at=moment, since=moment, object=name, table=name,
                before=f"{was}" if was else "", after="by ANALYZE" if way == "analyzed" else "by the server itself",
            )  # fmt: skip
    if new["statistics"] != "kept" and old["statistics"] == "kept":
        yield _found(looks, ChangeKind.STATISTICS_MISSING, name, table=name, after=new["statistics"])


def _server(looks: Looks) -> Iterator[Found]:
    was, now = (one.get("", {}) for one in _both(looks, "server"))
    if was and now and was["started"] != now["started"]:
        moment = EpochMs(int(now["started"]))
        yield Found(kind=ChangeKind.RESTART, at=moment, since=min(looks[0].at, moment), object="server")
    for trait, kind in (("version", ChangeKind.VERSION), ("role", ChangeKind.ROLE), ("cores", ChangeKind.CORES)):
        old, new = was.get(trait, ""), now.get(trait, "")
        if old and new and old != new:
            yield _found(looks, kind, "server", before=old, after=new)


def _replicas(looks: Looks) -> Iterator[Found]:
    was, now = _both(looks, "replica")
    for name in sorted(now.keys() - was.keys()):
        yield _found(looks, ChangeKind.REPLICA_ATTACHED, name, after=now[name].get("value", ""))
    for name in sorted(was.keys() - now.keys()):
        yield _found(looks, ChangeKind.REPLICA_LOST, name, before=was[name].get("value", ""))
