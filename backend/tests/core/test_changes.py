"""What changed between two looks at a server, and who came and went."""

import pytest
from faena.core.changes.catalogue import LONGEST, between
from faena.core.changes.comings import DAILY_DAYS, GONE_AFTER_HOURS, NEW_AFTER_HOURS, comings
from faena.core.changes.growth import grew
from faena.core.changes.kinds import ChangeKind
from faena.core.readings import Catalogue
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st

NAMES = st.dictionaries(
    st.text(min_size=1, max_size=5), st.fixed_dictionaries({"value": st.text(max_size=5)}), max_size=6
)
MB = 1024 * 1024
HOUR = 500_000  # counted since 1970


def look(at: int = 1000, **objects: dict[str, dict[str, str]]) -> Catalogue:
    return Catalogue(at=EpochMs(at), objects=objects)


def server(**more: str) -> dict[str, dict[str, str]]:
    return {"": {"version": "15.4", "started": "500", "role": "primary", **more}}


@given(NAMES, NAMES)
def test_each_setting_that_differs_is_told_once_with_before_and_after(
    was: dict[str, dict[str, str]], now: dict[str, dict[str, str]]
) -> None:
    found = between(look(setting=was), look(2000, setting=now))
    values = {name: (was.get(name, {}).get("value", ""), now.get(name, {}).get("value", "")) for name in was | now}
    assert {one.object: (one.before, one.after) for one in found} == {k: v for k, v in values.items() if v[0] != v[1]}


@pytest.mark.parametrize(
    ("before", "after"),
    [(look(), look(setting={"work_mem": {"value": "4 MB"}})), (look(setting={"a": {"value": "b"}}), look())],
    ids=["was not asked before", "was not answered now"],
)
def test_what_one_look_does_not_tell_did_not_change(before: Catalogue, after: Catalogue) -> None:
    assert between(before, after) == []


def test_a_restart_is_told_at_its_very_moment_and_a_version_with_it() -> None:
    found = between(look(server=server()), look(9000, server=server(version="16.1", started="8000")))
    assert [(one.kind, one.at, one.before, one.after) for one in found] == [
        (ChangeKind.RESTART, 8000, "", ""),
        (ChangeKind.VERSION, 9000, "15.4", "16.1"),
    ]


def test_replicas_are_attached_and_lost_and_a_replica_becomes_primary() -> None:
    before = look(replica={"north": {"value": "streaming"}}, server=server(role="replica"))
    after = look(2000, replica={"south": {"value": "streaming"}}, server=server())
    kinds = {one.kind: one.object for one in between(before, after)}
    assert kinds == {
        ChangeKind.ROLE: "server", ChangeKind.REPLICA_ATTACHED: "south", ChangeKind.REPLICA_LOST: "north",
    }  # fmt: skip


def index(file: str = "1", valid: str = "yes", written: str = "btree (id)") -> dict[str, str]:
    return {"file": file, "table": "pier", "valid": valid, "written": written}


def table(file: str = "7") -> dict[str, str]:
    return {"file": file, "columns": "id int", "analyzed": "", "analyzed_by_itself": "", "statistics": "kept"}


@pytest.mark.parametrize(
    ("before", "after", "kind"),
    [
        ({"i": index()}, {"i": index("2")}, ChangeKind.INDEX_REBUILT),
        ({"i": index()}, {"i": index(valid="")}, ChangeKind.INDEX_INVALID),
        ({"i": index(valid="")}, {"i": index()}, ChangeKind.INDEX_MADE),
        ({}, {"i": index(valid="")}, ChangeKind.INDEX_INVALID),
        ({"i": index()}, {}, ChangeKind.INDEX_DROPPED),
        ({"i": index()}, {"i": index()}, None),
    ],
)
def test_an_index_is_made_rebuilt_broken_and_dropped(
    before: dict[str, dict[str, str]], after: dict[str, dict[str, str]], kind: ChangeKind | None
) -> None:
    tables = {"pier": table()}
    found = between(look(index=before, table=tables), look(2000, index=after, table=tables))
    assert [one.kind for one in found] == ([kind] if kind else [])


def test_what_comes_and_goes_with_its_table_is_told_of_the_table_alone() -> None:
    made = between(look(index={}, table={}), look(2000, index={"i": index()}, table={"pier": table()}))
    assert [one.kind for one in made] == [ChangeKind.TABLE_MADE]
    gone = between(look(index={"i": index()}, table={"pier": table()}), look(2000, index={}, table={}))
    assert [one.kind for one in gone] == [ChangeKind.TABLE_DROPPED]
    rewritten = between(
        look(index={"i": index()}, table={"pier": table()}),
        look(2000, index={"i": index("2")}, table={"pier": table("8")}),
    )
    assert [one.kind for one in rewritten] == [ChangeKind.TABLE_REWRITTEN]


def test_long_values_are_cut() -> None:
    (found,) = between(look(setting={"a": {"value": "x"}}), look(2000, setting={"a": {"value": "y" * 9000}}))
    assert len(found.after) == LONGEST
    assert found.after.endswith("…")


def seen_daily(days: int, until: int) -> dict[int, float]:
    return {until - 24 * day: 100.0 for day in range(days)}


WATCHED = dict.fromkeys(range(HOUR - 400, HOUR + 1), True)


def test_who_was_never_seen_before_is_new_once_enough_is_known() -> None:
    seen = {"old": {HOUR - 60: 5.0, HOUR: 50.0}, "new": {HOUR: 50.0}, "rare": {HOUR: 1.0}}
    assert comings(seen, WATCHED, HOUR, 10.0).new == ("new",)
    short = dict.fromkeys(range(HOUR - NEW_AFTER_HOURS + 1, HOUR + 1), True)
    assert comings(seen, short, HOUR, 10.0).new == (), "all is new on a server that was not watched before"


def test_who_was_there_daily_and_stays_away_is_gone_once() -> None:
    last = HOUR - GONE_AFTER_HOURS
    seen = {
        "job": seen_daily(DAILY_DAYS, last),
        "now and then": seen_daily(2, last),
        "here": dict.fromkeys(WATCHED, 9.0),
    }
    assert comings(seen, WATCHED, HOUR, 1.0).gone == ("job",)
    assert comings(seen, {**WATCHED, HOUR + 1: True}, HOUR + 1, 1.0).gone == ()
    gaps = {at: at < HOUR - 10 for at in WATCHED}
    assert comings(seen, gaps, HOUR, 1.0).gone == (), "nobody is gone because nobody looked"


@pytest.mark.parametrize(
    ("sizes", "found"),
    [
        ([100, 101, 102, 103, 104, 140], (36, 1)),
        ([100, 101, 102, 103, 104, 106], None),
        ([100, 130, 160, 190, 220, 250], None),
        ([100, 101, 140], None),
    ],
    ids=["much more than usual", "as usual", "always grows fast", "too few days"],
)
def test_a_table_that_grows_by_more_than_usual(sizes: list[int], found: tuple[int, int] | None) -> None:
    expected = tuple(one * MB for one in found) if found else None
    assert grew([one * MB for one in sizes]) == expected
