"""Alerts through the store: what the estate's incidents fire, one trouble told once, over restarts and several lookers."""

import os
import random
import signal
import traceback
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

import pytest
from django.db import connection
from django.db.models import F
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role, User
from faena.apps.alerts import actions
from faena.apps.alerts.conditions import BUILTIN, provide
from faena.apps.alerts.models import Alert, AlertCondition, ConditionState, Firing, Mute, Notice, Way
from faena.apps.answers.alerts.evaluating import look, watch
from faena.apps.answers.alerts.signals import Signals
from faena.apps.answers.alerts.telling import tell_due
from faena.apps.answers.indicators import load_by_kind
from faena.apps.answers.looking import look_for_leads
from faena.apps.answers.marks import marks
from faena.apps.collecting.estate import make_servers
from faena.apps.collecting.models import CollectorState
from faena.apps.servers import holdings
from faena.apps.servers.models import Holdings, Server
from faena.core.alerts.stepping import Turn, What
from faena.core.answers.leads.claim import Root
from faena.core.answers.leads.identity import identity_of
from faena.core.answers.leads.kinds import LeadKind
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_HOUR, EpochMs
from test_leads import ANCHOR, INCIDENTS, filled

pytestmark = pytest.mark.django_db
MINUTE = 60_000


@pytest.fixture
def way() -> Way:
    return Way.objects.create(name="port office", kind="webhook", settings={"url": "http://127.0.0.1:1/"})


@pytest.fixture
def operator() -> User:
    return save_user("olga", "correct horse", Role.OPERATOR)


def only(*slugs: str) -> None:
    AlertCondition.objects.exclude(builtin__in=slugs).update(enabled=False)


def began(condition: AlertCondition, server: Server, at: int) -> None:
    """It begins to hold there."""
    row = actions.locked(condition, server, at)
    assert row is not None
    moment = EpochMs(at)
    turn = Turn(what=What.BEGAN, at=moment, began=moment, ended=None, value=1.0, worst_at=moment, usual=None)
    actions.keep(row, actions.state_of(row), [turn], at)


@pytest.mark.parametrize(("kinds", "alerts"), [([], 2), (["spill", "hot_row"], 2), (["idle_transaction"], 1)])
def test_leads_of_any_kind_on_two_servers_have_no_cause_in_common(way: Way, kinds: list[str], alerts: int) -> None:
    condition = AlertCondition.objects.get(builtin="leads")
    condition.kinds = kinds
    condition.save()
    for n in range(2):
        began(condition, silent(f"pier-{n}"), ANCHOR + n * 10_000)
    assert Alert.objects.count() == alerts


def silent(name: str, **more: str) -> Server:
    """A server that was watched for a day, and of which no sample has come since the anchor."""
    server = Server.objects.create(name=name, **more)
    holdings.grew(server.pk, first_ms=ANCHOR - 24 * MS_PER_HOUR, newest_ms=ANCHOR, codes=0)
    return server


def as_time_goes_by(server: Server, start: int, end: int, every_ms: int = MINUTE) -> Iterator[int]:
    """Looks at the server as the collector does, as if no more were known than up to each moment."""
    newest = server.holdings.newest_ms
    for now in range(start, end + 1, every_ms):
        # Its hours are closed already, and not written row by row: what was read of them before is read again.
        Holdings.objects.filter(pk=server.pk).update(newest_ms=min(now - 1000, newest), rewrites=F("rewrites") + 1)
        yield now


def played(name: str, *slugs: str, before: int = 10, after: int = 10) -> tuple[Server, int, int]:
    """An incident, looked at by some conditions while it goes on; returns when it began and ended."""
    only(*slugs)
    start, end = next(INCIDENTS[name].spans(ANCHOR))
    server = filled(INCIDENTS[name].server, start - before * MINUTE, end + after * MINUTE)
    for now in as_time_goes_by(server, start - before * MINUTE, end + after * MINUTE):
        look_for_leads(server, now)
        watch(server, now)
        tell_due(now)
    return server, start, end


def test_blocked_sessions_are_told_once_with_the_lead_and_once_when_it_is_over(way: Way) -> None:
    server, start, end = played("idle-console", "blocked", "idle")
    (alert,) = Alert.objects.all()
    assert start <= alert.began_ms <= start + MINUTE
    assert alert.over_ms is not None
    assert end - MINUTE <= alert.over_ms <= end + MINUTE
    assert sorted(one.condition.builtin for one in alert.firings.all()) == ["blocked", "idle"]
    began, over = Notice.objects.order_by("number")
    assert (began.what, over.what) == ("began", "over")
    assert began.made_ms - start <= 3 * MINUTE
    assert began.body["headline"].startswith(f"{server.name}: A transaction left open by ops-console")
    assert len(began.body["lead"]["chain"]) >= 2
    assert f"/servers/{server.pk}/leads?from=" in began.body["link"]
    assert began.body["picture"].startswith("iVBORw0KGgo"), "a PNG"
    assert over.body["when"].startswith("From ")
    on_the_rail = [one for one in marks(server.pk, Window(start=start, end=EpochMs(end))) if one.kind == "alert"]
    assert [(one.detail, one.alert) for one in on_the_rail] == [("Sessions blocked", alert.pk)]


@pytest.mark.parametrize(("state", "again"), [("unread", False), ("acknowledged", False), ("acknowledged", True)])
def test_a_trouble_with_a_cause_of_its_own_is_told_though_another_alert_goes_on_there(
    way: Way, state: str, again: bool
) -> None:
    start, _ = next(INCIDENTS["idle-console"].spans(ANCHOR))
    server = next(one for one in make_servers(ANCHOR) if one.name == INCIDENTS["idle-console"].server)
    firing = {"began_ms": start - MS_PER_HOUR, "fired_ms": start - MS_PER_HOUR}
    told = {"severity": "now", "servers": [server.name], "lead": {"identity": "of another trouble"}}
    if again:  # the very same as an hour ago, which was over
        held = {"table": "deck_slot", "object": "row of deck_slot"}
        console = Root(
            statement="SELECT * FROM deck_slot WHERE sailing_id = $1 FOR UPDATE", program="ops-console", **held
        )
        told["lead"] = {"identity": identity_of(LeadKind.IDLE_TRANSACTION, console)}
    earlier = Alert.objects.create(**firing, severity="now", state=state, told=told)
    Notice.objects.create(alert=earlier, way=way, number=0, what="began", body={}, made_ms=start, next_ms=start)
    errors = AlertCondition.objects.get(builtin="errors")
    earlier.firings.create(condition=errors, server=server, first=9, worst=9, worst_ms=start, untold="", **firing)
    if again:
        blocked = AlertCondition.objects.get(builtin="blocked")
        earlier.firings.create(
            condition=blocked,
            server=server,
            first=9,
            worst=9,
            worst_ms=start,
            untold="",
            over_ms=start - 3 * MINUTE,
            **firing,
        )
    played("idle-console", "blocked", after=-10)
    (alert,) = Alert.objects.all()
    assert alert.firings.count() == 2 + again
    (news,) = Notice.objects.filter(number__gt=0)
    assert news.what == "worse"
    assert (news.body["lead"]["identity"] == told["lead"]["identity"]) == again
    assert news.body["headline"].startswith(f"{server.name}: A transaction left open by ops-console")
    assert news.body["window"]["from"] >= start - 10 * MINUTE, "the window is that of the news"
    assert alert.state == "unread", "nobody has seen to this one yet"


def test_looking_again_at_what_was_looked_at_changes_nothing(way: Way) -> None:
    server, _, end = played("idle-console", "blocked")
    before = list(Firing.objects.values()), list(Notice.objects.values()), list(ConditionState.objects.values())
    watch(server, end + 10 * MINUTE)
    tell_due(end + 10 * MINUTE)
    assert (
        list(Firing.objects.values()),
        list(Notice.objects.values()),
        list(ConditionState.objects.values()),
    ) == before


@pytest.mark.django_db(transaction=True)
def test_of_several_lookers_at_once_each_moment_is_looked_at_by_one() -> None:
    provide()
    Way.objects.create(name="port office", kind="webhook", settings={"url": "http://127.0.0.1:1/"})
    only("stale")
    servers = [silent(f"pier-{n}") for n in range(4)]

    def looker(_: int) -> None:
        try:
            for now in range(ANCHOR, ANCHOR + 10 * MINUTE, MINUTE):
                for server in servers:
                    watch(server, now)
                tell_due(now)
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(looker, range(4)))
    assert sorted(one.server.name for one in Firing.objects.all()) == [one.name for one in servers]
    assert len({(one.alert_id, one.number) for one in Notice.objects.all()}) == Notice.objects.count() > 0
    assert {one.what for one in Notice.objects.filter(number=0)} == {"began"}


def in_a_process_of_its_own(step: Callable[[], None], chance: random.Random) -> bool:
    """Runs a step in a process that may be killed before any question to the store; whether it lived to its end."""
    connection.close()  # the other process makes its own
    connection.close_pool()
    seed, child = chance.random(), os.fork()
    if child == 0:
        dice = random.Random(seed)
        # Without threads of a pool: a lock that another thread holds when a process is forked is never released in it.
        connection.settings_dict["OPTIONS"].pop("pool")

        def dying(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
            if dice.random() < 0.06:
                os.kill(os.getpid(), signal.SIGKILL)
            return execute(sql, params, many, context)

        try:
            with connection.execute_wrapper(dying):
                step()
        except BaseException:
            traceback.print_exc()
            os._exit(1)
        os._exit(0)
    _, status = os.waitpid(child, 0)
    assert os.WIFSIGNALED(status) or os.WEXITSTATUS(status) == 0, "it failed where it was not killed"
    return not os.WIFSIGNALED(status)


@pytest.mark.django_db(transaction=True)
def test_no_alert_is_lost_or_told_twice_when_its_process_is_killed_at_any_step() -> None:
    """What is told by processes of which more than a hundred are killed is what one that lives on tells."""

    def told() -> list[tuple[object, ...]]:
        rows = Notice.objects.order_by("number")
        return [(one.what, one.number, one.body["began"], one.body["over"]) for one in rows]

    provide()
    Way.objects.create(name="port office", kind="webhook", settings={"url": "http://127.0.0.1:1/"})
    server, start, end = played("idle-console", "blocked", "cores", "deadlocks", "stale")
    wanted = told()
    assert len(wanted) >= 2
    Alert.objects.all().delete()
    ConditionState.objects.all().delete()
    chance, kills = random.Random(20), 0
    for now in as_time_goes_by(server, start - 10 * MINUTE, end + 10 * MINUTE):
        load_by_kind(
            server, Buckets(start=EpochMs(start), width_ms=MINUTE, count=60), now=now
        )  # else each reads it anew
        for step in (partial(watch, server, now), partial(tell_due, now)):
            while not in_a_process_of_its_own(step, chance):
                kills += 1
    assert kills > 100
    assert told() == wanted


def test_a_source_that_is_stale_is_an_alert_and_ends_none(way: Way) -> None:
    only("cores", "stale")
    start, _ = next(INCIDENTS["fare-sale"].spans(ANCHOR))
    server = filled("bookings-main", start, start + MS_PER_HOUR)  # nothing of the hour after, in which it goes on
    for now in as_time_goes_by(server, start, start + MS_PER_HOUR + 20 * MINUTE):
        watch(server, now)
        tell_due(now)
    assert sorted((one.condition.builtin, one.over_ms) for one in Firing.objects.all()) == [
        ("cores", None),
        ("stale", None),
    ]
    assert [one.what for one in Notice.objects.order_by("number")][:2] == ["began", "worse"]


def test_a_server_that_was_just_connected_is_not_stale(way: Way) -> None:
    only("stale")
    new, never = Server.objects.create(name="pier-1"), Server.objects.create(name="pier-2")
    holdings.grew(new.pk, first_ms=ANCHOR, newest_ms=ANCHOR, codes=0)
    for server in (new, never):
        watch(server, ANCHOR + 2 * MINUTE)
    assert not Firing.objects.exists()
    watch(new, ANCHOR + 5 * MINUTE)
    assert Firing.objects.get().fired_ms == ANCHOR + 3 * MINUTE


def test_the_same_on_several_servers_at_once_is_one_trouble(way: Way) -> None:
    only("stale")
    servers = [silent(f"pier-{n}") for n in range(5)]
    condition = AlertCondition.objects.get(builtin="stale")
    for n, server in enumerate(servers):
        now = ANCHOR + 10 * MINUTE + n * 5000
        look(server, condition, Signals(server, now), now)
    assert [one.firings.count() for one in Alert.objects.all()] == [5]
    tell_due(ANCHOR + 12 * MINUTE)
    (notice,) = Notice.objects.all()
    assert notice.body["headline"] == "No samples on 5 servers: pier-0, pier-1, pier-2, pier-3, pier-4"


def test_what_is_muted_or_snoozed_is_kept_and_not_told(way: Way, operator: User) -> None:
    only("stale")
    server = silent("pier-1")
    mute = Mute.objects.create(server=server, until_ms=ANCHOR + 30 * MINUTE, by="olga")
    watch(server, ANCHOR + 10 * MINUTE)
    tell_due(ANCHOR + 11 * MINUTE)
    (alert,) = Alert.objects.all()
    assert (alert.muted, Notice.objects.count()) == (True, 0)
    mute.delete()
    Alert.objects.all().delete()
    ConditionState.objects.all().delete()
    now = ANCHOR + 60 * MINUTE
    watch(server, now)
    tell_due(now + MINUTE)
    (alert,) = Alert.objects.all()
    actions.set_state(alert.pk, "snoozed", now + MINUTE, until_ms=now + 20 * MINUTE, by=operator)
    watch(server, now + 10 * MINUTE)
    tell_due(now + 10 * MINUTE)
    assert [one.what for one in Notice.objects.order_by("number")] == ["began"]
    tell_due(now + 21 * MINUTE)
    assert [one.what for one in Notice.objects.order_by("number")] == ["began", "again"]
    alert.refresh_from_db()
    assert alert.state == "unread"


def test_faena_itself_having_been_off_is_no_silence_of_servers(way: Way) -> None:
    """After a night without a collector every server was told to be stale, each morning anew."""
    only("stale")
    server = silent("pier-1")
    begun = ANCHOR + 8 * MS_PER_HOUR
    CollectorState.objects.create(holder="a", version="1", seen_ms=begun + 2 * MINUTE, state={"started": begun})
    watch(server, begun + 2 * MINUTE)
    assert not Firing.objects.exists()
    CollectorState.objects.update(seen_ms=begun + 4 * MINUTE)
    watch(server, begun + 4 * MINUTE)
    assert Firing.objects.get().worst == pytest.approx(4 * MINUTE, abs=15_000), "since the collector began"


def test_a_server_that_is_paused_or_removed_fires_no_more(way: Way) -> None:
    only("stale")
    paused, removed = silent("pier-1"), silent("pier-2")
    for server, now in ((paused, ANCHOR + 10 * MINUTE), (removed, ANCHOR + 30 * MINUTE)):
        watch(server, now)
    assert Alert.objects.filter(over_ms=None).count() == 2
    paused.enabled = False
    watch(paused, ANCHOR + 11 * MINUTE)
    removed.delete()
    tell_due(ANCHOR + 40 * MINUTE)
    actions.forget_before(0, ANCHOR + 50 * MINUTE)
    assert not Alert.objects.filter(over_ms=None).exists()
    assert [one.what for one in Notice.objects.all()] == ["began"], "of the one that was paused"


def test_conditions_that_came_with_faena_stay_as_they_were_changed() -> None:
    AlertCondition.objects.filter(builtin="blocked").update(level=40.0, enabled=False)
    AlertCondition.objects.filter(builtin="lag").delete()
    provide()
    assert AlertCondition.objects.count() == len(BUILTIN)
    blocked = AlertCondition.objects.get(builtin="blocked")
    assert (blocked.level, blocked.enabled) == (40.0, False)


def test_only_servers_that_a_condition_names_are_looked_at(way: Way) -> None:
    only("stale")
    near, far = silent("pier-1", group="north"), silent("pier-2")
    AlertCondition.objects.filter(builtin="stale").update(groups=["north"])
    for server in (near, far):
        watch(server, ANCHOR + 10 * MINUTE)
    assert [one.server_id for one in Firing.objects.all()] == [near.pk]
