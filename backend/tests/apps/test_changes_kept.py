"""Changes as they are kept, noted and told; leads as they come again; and what is followed until its verdict stands."""

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import AuditEntry, Role, User
from faena.apps.answers.changes import changes_of
from faena.apps.answers.following import follow_change, follow_lead, judge, judge_followed
from faena.apps.answers.found import look_for_changes
from faena.apps.answers.leads import leads_of
from faena.apps.answers.looking import look_at, look_for_leads
from faena.apps.answers.marks import marks
from faena.apps.answers.remembering import remember
from faena.apps.answers.told_leads import say, told_leads
from faena.apps.changes import actions, tokens
from faena.apps.changes.actions import Told
from faena.apps.changes.models import Change
from faena.apps.leads import actions as leads
from faena.apps.leads.models import KnownLead
from faena.apps.leads.selectors import history, newest
from faena.apps.servers.models import Server
from faena.apps.verdicts.models import Followed
from faena.core.answers.leads.beginning import Lasted, lasted
from faena.core.changes.kinds import ChangeKind
from faena.core.errors import BadInput, NotAllowed, NotFound
from faena.core.readings import Catalogue
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from test_leads import ANCHOR, INCIDENTS, filled, window_of

pytestmark = pytest.mark.django_db
NOW = int(ANCHOR)


@pytest.fixture
def server() -> Server:
    return Server.objects.create(name="pier-1")


@pytest.fixture
def people() -> dict[str, User]:
    return {role.value: save_user(role.value, "correct horse", role) for role in Role}


def client_of(user: User) -> Client:
    client = Client()
    client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return client


def look(at: int, **settings: str) -> Catalogue:
    return Catalogue(at=EpochMs(at), objects={"setting": {name: {"value": value} for name, value in settings.items()}})


def test_the_first_look_tells_of_no_change_and_each_later_one_of_what_differs_once(server: Server) -> None:
    assert actions.look(server.pk, look(1000, work_mem="4MB")) == []
    assert len(actions.look(server.pk, look(2000, work_mem="8MB"))) == 1
    assert actions.look(server.pk, look(2000, work_mem="8MB")) == [], "delivered twice"
    assert actions.look(server.pk, look(1500, work_mem="4MB")) == [], "an older one that comes late"
    (kept,) = Change.objects.filter(server=server)
    assert (kept.kind, kept.object, kept.before, kept.after, kept.since_ms, kept.at_ms) == (
        "setting", "work_mem", "4MB", "8MB", 1000, 2000,
    )  # fmt: skip


def test_a_change_came_after_the_last_look_that_showed_none(server: Server) -> None:
    """Held against the last change instead, the time before an index would end before the trouble that it mends began."""
    same = Catalogue(at=EpochMs(2000), objects={})
    actions.look(server.pk, look(1000, work_mem="4MB"))
    assert actions.look(server.pk, same) == []
    (found,) = actions.look(server.pk, look(3000, work_mem="8MB"))
    assert (found.since, found.at) == (2000, 3000)


@pytest.mark.parametrize(
    ("told", "field"),
    [
        ({"what": " "}, "what"),
        ({"what": "x" * 1001}, "what"),
        ({"what": "deploy", "at_ms": NOW + 3_600_000}, "at"),
        ({"what": "deploy", "at_ms": 0}, "at"),
        ({"what": "deploy", "link": "javascript:alert(1)"}, "link"),
    ],
)
def test_what_cannot_be_kept_of_a_change_is_refused_by_its_field(
    server: Server, people: dict[str, User], told: dict[str, object], field: str
) -> None:
    with pytest.raises(BadInput) as refused:
        actions.tell(server, Told(**{"at_ms": NOW, **told}), NOW, by=people["operator"])  # type: ignore[arg-type]
    assert refused.value.field == field
    assert not Change.objects.exists()


def test_who_noted_a_change_or_an_admin_may_remove_it_and_found_ones_stay(
    server: Server, people: dict[str, User]
) -> None:
    other = save_user("otto", "correct horse", Role.OPERATOR)
    made = actions.tell(server, Told(what="fare sale", at_ms=NOW), NOW, by=people["operator"])
    with pytest.raises(NotAllowed):
        actions.remove(server.pk, made.pk, by=other)
    with pytest.raises(NotAllowed):
        actions.tell(server, Told(what="fare sale", at_ms=NOW), NOW, by=people["viewer"])
    actions.remove(server.pk, made.pk, by=people["operator"])
    with pytest.raises(NotFound):
        actions.remove(server.pk, made.pk, by=people["admin"])
    actions.look(server.pk, look(1000, a="1"))
    actions.look(server.pk, look(2000, a="2"))
    with pytest.raises(BadInput, match="what Faena found itself"):
        actions.remove(server.pk, Change.objects.get().pk, by=people["admin"])
    assert list(AuditEntry.objects.filter(act__startswith="change").order_by("at").values_list("act", flat=True)) == [
        "change.noted",
        "change.removed",
    ]


def test_a_pipeline_tells_of_changes_by_its_token_and_of_no_other_server(
    server: Server, people: dict[str, User]
) -> None:
    other = Server.objects.create(name="pier-2")
    admin = client_of(people["admin"])
    made = admin.post(f"/api/v1/servers/{server.pk}/pipelines", {"name": "release-train"}, "application/json")
    token = made.json()["token"]
    tell = {"what": "booking-web 5.3", "server": "pier-1", "version": "5.3", "link": "https://train.example/5.3"}
    sent = Client().post("/api/v1/changes", tell, "application/json", headers={"Authorization": f"Bearer {token}"})
    assert sent.status_code == 201, sent.content
    elsewhere = {**tell, "server": other.name}
    refused = Client().post(
        "/api/v1/changes", elsewhere, "application/json", headers={"Authorization": f"Bearer {token}"}
    )
    assert (refused.status_code, "speaks of no server pier-2" in refused.json()["detail"]) == (404, True)
    wrong = Client().post("/api/v1/changes", tell, "application/json", headers={"Authorization": "Bearer no"})
    assert wrong.status_code == 403
    (change,) = admin.get(f"/api/v1/servers/{server.pk}/changes?last=3600").json()["changes"]
    assert (change["line"], change["origin"], change["by"]) == ("booking-web 5.3 (5.3)", "api", "release-train")
    assert change["verdict"]["verdict"] == "too_early"
    admin.delete(f"/api/v1/servers/{server.pk}/pipelines/{made.json()['pipeline']['id']}")
    gone = Client().post("/api/v1/changes", tell, "application/json", headers={"Authorization": f"Bearer {token}"})
    assert gone.status_code == 403
    assert token not in str(tokens.all_of(server.pk))


def test_a_token_of_all_servers_tells_of_each(server: Server, people: dict[str, User]) -> None:
    Server.objects.create(name="pier-2")
    _, token = tokens.make(None, "night train", by=people["admin"])
    made = actions.tell_by_token(tokens.admit(token), None, Told(what="kernel 6.9", at_ms=NOW), NOW)
    assert sorted(one.server.name for one in made) == ["pier-1", "pier-2"]
    with pytest.raises(BadInput, match="already"):
        tokens.make(None, "night train", by=people["admin"])


def test_changes_are_filtered_by_kind_and_words(server: Server, people: dict[str, User]) -> None:
    actions.look(server.pk, look(NOW - 5000, work_mem="4MB", jit="on"))
    actions.look(server.pk, look(NOW - 4000, work_mem="8MB", jit="off"))
    actions.tell(server, Told(what="sale 100% off_", at_ms=NOW - 3000), NOW, by=people["operator"])
    whole = Window(start=EpochMs(NOW - 9000), end=EpochMs(NOW))

    def lines(**asked: object) -> list[str]:
        rows, _ = changes_of(
            server.pk, whole, **{"kinds": (), "words": "", "limit": 9, "by": people["viewer"], **asked}
        )  # type: ignore[arg-type]
        return [one.change.line for one in rows]

    assert lines()[0] == "sale 100% off_", "the newest first"
    assert len(lines()) == 3
    assert lines(kinds=[ChangeKind.SETTING], words="JIT") == ["setting changed jit: on → off"]
    assert lines(words="100%") == ["sale 100% off_"], "a percent sign stands for itself"


def test_a_lead_that_comes_again_is_the_same_lead_and_one_that_was_handled_comes_back(people: dict[str, User]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    assert look_at(server, window) == 1
    assert look_at(server, window) == 1
    (row,) = KnownLead.objects.all()
    assert (row.kind, row.times, row.spans.count()) == ("idle_transaction", 1, 1)
    leads.set_state(row, "handled", "ended it", window.start - MS_PER_HOUR, by=people["operator"])
    leads.store(server.pk, [])
    shifted = Window(start=EpochMs(window.start + 40 * 60_000 * 24), end=EpochMs(window.end + 40 * 60_000 * 24))
    found, _ = leads_of(server.pk, window)
    leads.store(server.pk, [(one, Lasted(shifted, shifted)) for one in found.leads])
    row.refresh_from_db()
    assert (row.times, row.state, row.came_back_ms) == (2, "open", shifted.start)
    (told,) = history(server.pk)
    assert [one.start for one in told.spans] == [shifted.start, row.first_ms]
    assert window.start <= row.first_ms < window.start + 60_000, "when it began, not where the window does"


@pytest.mark.parametrize(("minutes", "state"), [(0.5, "handled"), (3, "open")])
def test_a_lead_that_begins_once_more_soon_after_it_was_handled_is_open(
    people: dict[str, User], minutes: float, state: str
) -> None:
    """For the history it is the same time of trouble; for who handled it, it is not over."""
    start, end = next(INCIDENTS["idle-console"].spans(ANCHOR))
    server = filled("bookings-main", start, end)
    found, seen = leads_of(server.pk, Window(start=EpochMs(start), end=EpochMs(end)))
    (row,) = leads.store(server.pk, [(one, lasted(seen, one.claim)) for one in found.leads])
    leads.set_state(row, "handled", "ended it", row.last_ms, by=people["operator"])
    at = row.last_ms + round(60_000 * minutes)
    again = Window(start=EpochMs(at), end=EpochMs(at + 20_000))
    whole = Window(start=EpochMs(row.first_ms), end=again.end)
    (row,) = leads.store(server.pk, [(one, Lasted(whole, again)) for one in found.leads])
    assert (row.times, row.state, row.came_back_ms) == (1, state, at if state == "open" else None)


def test_a_lead_that_began_again_is_open_where_it_is_seen_before_a_look_has_noticed(people: dict[str, User]) -> None:
    """A second console is left open while the first stands as handled: an operator can say what was done about it."""
    start, end = next(INCIDENTS["idle-console"].spans(ANCHOR))
    server, window = filled("bookings-main", start, end), Window(start=EpochMs(start), end=EpochMs(end))
    found, seen = leads_of(server.pk, window)
    (row,) = leads.store(server.pk, [(one, lasted(seen, one.claim)) for one in found.leads])
    begun = lasted(seen, found.leads[0].claim).newest.start
    for handled_ms, state, came_back in ((row.last_ms, "handled", None), (begun - 90_000, "open", begun)):
        leads.set_state(row, "handled", "ended it", handled_ms, by=people["operator"])
        known = told_leads(server.pk, window).leads[0].known
        assert known is not None
        assert (known.state, known.came_back, known.state_by) == (state, came_back, "operator")


def test_a_lead_is_held_against_the_time_it_lasted_up_to_the_moment_it_was_handled(people: dict[str, User]) -> None:
    """Known by its number from the last look, a minute ago or a week: it goes on since, and a verdict of then says nothing."""
    start, _ = next(INCIDENTS["fare-sale"].spans(ANCHOR))
    now = start + MS_PER_HOUR
    server = filled("bookings-main", start, now)  # it goes on, as far as anybody knows yet
    found, seen = leads_of(server.pk, Window(start=start, end=EpochMs(start + 600_000)))
    row = leads.store(server.pk, [(one, lasted(seen, one.claim)) for one in found.leads])[0]
    told = say(server.pk, row.pk, None, "handled", "", now, by=people["operator"])
    assert told.followed is not None
    assert told.followed.before_end_ms > now - 60_000


def test_a_dismissed_lead_stays_out_of_the_headline_and_off_the_rail(people: dict[str, User]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    look_at(server, window, newest=True)
    (row,) = KnownLead.objects.all()
    assert newest([server.pk])[server.pk].line == row.title
    assert ("lead", row.title) in [(one.kind, one.detail) for one in marks(server.pk, window)]
    with pytest.raises(BadInput, match="say why"):
        leads.set_state(row, "dismissed", " ", NOW, by=people["operator"])
    with pytest.raises(NotAllowed):
        leads.set_state(row, "dismissed", "known", NOW, by=people["viewer"])
    leads.set_state(row, "dismissed", "a drill", NOW, by=people["operator"])
    look_at(server, window, newest=True)
    assert newest([server.pk])[server.pk].line == ""
    assert not [one for one in marks(server.pk, window) if one.kind == "lead"]


def test_only_new_samples_are_looked_at(people: dict[str, User]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    look_for_leads(server, window.end + 10 * MS_PER_HOUR)
    first = newest([server.pk])[server.pk].until
    look_for_leads(server, window.end + 11 * MS_PER_HOUR)
    assert newest([server.pk])[server.pk].until == first


def test_the_api_says_what_became_of_a_lead_that_no_look_was_at(people: dict[str, User]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    operator = client_of(people["operator"])
    where = f"/api/v1/servers/{server.pk}/leads"
    lead = operator.get(f"{where}?from={window.start}&to={window.end}").json()["leads"][0]
    assert lead["known"] is None
    body = {
        "state": "handled",
        "reason": "ended pid",
        "identity": lead["identity"],
        "from": window.start,
        "to": window.end,
    }
    told = operator.put(f"{where}/state", body, "application/json").json()
    assert (told["state"], told["state_by"], told["verdict"]["verdict"]) == ("handled", "operator", "too_early")
    again = operator.get(f"{where}?from={window.start}&to={window.end}").json()["leads"][0]
    assert (again["known"]["state"], again["known"]["reason"]) == ("handled", "ended pid")
    assert [one["title"] for one in operator.get(f"{where}/history?state=handled").json()] == [lead["title"]]
    assert operator.get(f"{where}/history?state=dismissed").json() == []
    nowhere = operator.put(f"{where}/state", {**body, "identity": "0" * 16}, "application/json")
    assert nowhere.status_code == 404


def test_what_changed_as_a_lead_began_is_told_with_whether_it_can_be_its_cause(people: dict[str, User]) -> None:
    window = window_of(INCIDENTS["idle-console"])
    server = filled("bookings-main", window.start, window.end)
    Change.objects.create(
        server=server, at_ms=window.start - 60_000, since_ms=window.start - 60_000, kind="deploy", note="console 2",
        origin="api",
    )  # fmt: skip
    Change.objects.create(
        server=server, at_ms=window.start - 30_000, since_ms=window.start - 90_000, kind="table_grew", object="vessel",
        table="vessel", origin="found",
    )  # fmt: skip
    far = window.start - 5 * MS_PER_HOUR
    Change.objects.create(server=server, at_ms=far, since_ms=far, kind="deploy", note="long ago", origin="api")
    told = (
        client_of(people["viewer"]).get(f"/api/v1/servers/{server.pk}/leads?from={window.start}&to={window.end}").json()
    )
    assert [(one["line"], one["can"]) for one in told["leads"][0]["suspects"]] == [
        ("console 2", True),
        ("table grew vessel", False),
    ]


def test_a_past_that_came_at_once_is_remembered_once(people: dict[str, User]) -> None:
    """Changes that were planted, the lead of the incident, and the verdict of what changed at its begin."""
    incident = INCIDENTS["fare-sale"]
    start, _ = next(incident.spans(ANCHOR))
    server = filled("bookings-main", start - 2 * MS_PER_HOUR, start + 2 * MS_PER_HOUR)
    for _ in range(2):
        remember(server, [incident], ANCHOR)
    (change,) = Change.objects.filter(server=server)
    assert (change.kind, change.origin) == ("note", "hand")
    # The sale, and what the description of the estate plants into its last ten minutes: a cache that is left out.
    assert {one.kind for one in KnownLead.objects.all()} == {"cpu_saturation", "cache_missing"}
    (row,) = Followed.objects.all()
    assert (row.verdict, row.settled) == ("worse", True)
    assert row.sentence.startswith("Worse, ")


def test_two_windows_are_compared_over_the_api(people: dict[str, User]) -> None:
    incident = INCIDENTS["fare-sale"]
    start, _ = next(incident.spans(ANCHOR))
    server = filled("bookings-main", start - MS_PER_HOUR, start + MS_PER_HOUR)
    viewer, where = client_of(people["viewer"]), f"/api/v1/servers/{server.pk}/compare"

    def asked(a: int, b: int, c: int, d: int, more: str = "") -> str:
        return f"{where}?before_from={a}&before_to={b}&from={c}&to={d}{more}"

    half = MS_PER_HOUR // 2
    told = viewer.get(asked(start - half, start, start, start + half)).json()
    assert (told["verdict"], told["label"]) == ("worse", "worse")
    assert told["main"]["change"] > 2
    assert told["main"]["low"] < told["main"]["change"]
    groups = {one["key"]: one["measures"] for one in told["groups"]}
    assert groups["load"][0]["verdict"] == "worse"
    calm = viewer.get(asked(start - MS_PER_HOUR, start - half, start - half, start)).json()
    assert calm["verdict"] == "no_difference"
    assert viewer.get(asked(start, start + half, start - half, start)).json()["type"] == "urn:faena:bad-input"
    assert viewer.get(asked(start - half, start, start, start + half, "&query_id=x")).status_code == 400
    assert viewer.get(f"/api/v1/servers/{server.pk}/followed/99999").status_code == 404


def test_what_is_followed_is_judged_as_data_comes(people: dict[str, User]) -> None:
    incident = INCIDENTS["fare-sale"]
    start, _ = next(incident.spans(ANCHOR))
    server = filled("bookings-main", start - 2 * MS_PER_HOUR, start + MS_PER_HOUR)
    newest_ms = start + MS_PER_HOUR
    actions.tell(server, Told(what="the sale begins", at_ms=start), newest_ms, by=people["operator"])
    judge_followed(server, newest_ms)
    (row,) = Followed.objects.all()
    assert (row.verdict, row.settled) == ("worse", False), "a verdict stands when it holds at a second look"
    judge_followed(server, newest_ms + 1000)
    row.refresh_from_db()
    assert row.judged_ms == newest_ms, "not more often than every ten minutes after the first hour"
    judge_followed(server, newest_ms + 11 * 60_000)
    row.refresh_from_db()
    assert row.settled


def test_a_lead_that_came_before_is_judged_by_the_time_it_lasted_last(people: dict[str, User]) -> None:
    """What was quiet between two times of trouble hid what the second one did, and no verdict ever came."""
    start, end = next(INCIDENTS["idle-console"].spans(ANCHOR))
    server = filled("bookings-main", start - MS_PER_HOUR, end + MS_PER_HOUR)
    window = Window(start=EpochMs(start - 60_000), end=EpochMs(end))
    found, seen = leads_of(server.pk, window)
    once = Window(start=EpochMs(start - 26 * 60_000), end=EpochMs(start - 25 * 60_000))
    leads.store(server.pk, [(one, Lasted(once, once)) for one in found.leads])
    (row,) = leads.store(server.pk, [(one, lasted(seen, one.claim)) for one in found.leads])
    assert (row.first_ms, row.times) == (once.start, 1), "one trouble that goes on, as the history tells it"
    followed = follow_lead(server, row, end)
    assert start <= followed.before_start_ms < start + 60_000
    judge(server, followed, end + 50_000, end + 50_000)
    assert followed.verdict == "too_early", "before the first reading of counters, nobody knows how much is asked"
    judge(server, followed, end + 180_000, end + 180_000)
    assert followed.verdict == "better", followed.sentence


def test_a_change_is_held_against_the_time_since_the_last_change_of_the_same_thing(server: Server) -> None:
    """The minutes in which an index of the same table still stood say nothing of the time without it."""

    def changed(minutes: float, kind: str, **of: str) -> Change:
        at = NOW + round(60_000 * minutes)
        return Change.objects.create(server=server, kind=kind, at_ms=at, since_ms=at - 60_000, origin="found", **of)

    dropped = changed(-20, "index_dropped", object="berth_at", table="berth")
    changed(-10, "index_dropped", object="pier_at", table="pier")
    changed(-5, "setting", object="work_mem")
    Change.objects.create(server=server, kind="deploy", at_ms=NOW - 240_000, since_ms=NOW - 240_000, origin="api")
    changed(-1.5, "table_altered", object="berth", table="berth")
    made = changed(0, "index_made", object="berth_at", table="berth")
    followed = follow_change(server, made)
    assert (followed.before_start_ms, followed.before_end_ms) == (dropped.at_ms, made.since_ms)
    setting = changed(0, "setting", object="jit")
    assert follow_change(server, setting).before_start_ms == setting.since_ms - 30 * 60_000


def test_deadlocks_that_were_handled_are_held_against_all_the_time_they_came_in(server: Server) -> None:
    """Between them it is quiet; how seldom they come is what the time without one is held against."""
    row = KnownLead.objects.create(
        server=server, identity="1" * 16, kind="deadlock_pattern", title="Deadlocks", first_ms=NOW - 20 * 60_000,
        last_ms=NOW - 1000, unbroken_ms=NOW - 2000,
    )  # fmt: skip
    assert follow_lead(server, row, NOW).before_start_ms == row.first_ms


def test_comings_are_looked_for_hour_by_hour_and_only_once(people: dict[str, User]) -> None:
    start = ANCHOR - 4 * MS_PER_HOUR
    server = filled("bookings-main", start, start + MS_PER_HOUR)
    assert look_for_changes(server, ANCHOR) > 0
    assert look_for_changes(server, ANCHOR) == 0
    assert not Change.objects.filter(server=server).exists(), "on a server that was not watched before, nothing is new"


def test_cores_that_change_are_told(server: Server) -> None:
    for cores in (4, 4, 8):
        server.cores = cores
        server.save()
        look_for_changes(server, NOW)
    (change,) = Change.objects.all()
    assert (change.kind, change.before, change.after) == ("cores", "4", "8")
