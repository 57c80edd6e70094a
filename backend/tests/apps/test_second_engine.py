"""A second engine, made up here, goes through sampling, load, sieve and chains without anything else being touched."""

import asyncio
from collections.abc import Sequence
from pathlib import Path

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.apps.collecting.sources import make_source
from faena.apps.collecting.store import DjangoStore
from faena.apps.servers import engines
from faena.apps.servers.models import Server
from faena.collector.intake import Record
from faena.collector.kinds import Sampled
from faena.collector.outbox import Outbox
from faena.collector.watch import Watch
from faena.core.engines.profile import Capability, EngineProfile, LockWords, Waits
from faena.core.logged import CaptureRules, LogPosition, LogReading
from faena.core.readings import (
    CounterReading,
    LockEdge,
    LockFact,
    SampleReading,
    ServerFacts,
    SessionSample,
    StatementText,
    Survey,
)
from faena.core.sql.texts import conceal
from faena.core.units import NOT_LATE, EpochMs, Millis, Pid, QueryId
from faena.core.waits.kinds import WaitKind
from faena.core.waits.meaning import WaitMeaning
from faena.testing.builders import START
from faena.testing.clocks import ManualClock

pytestmark = pytest.mark.django_db(transaction=True)

KINDS = {"": WaitKind.RUNNING, "page latch": WaitKind.ENGINE, "key lock": WaitKind.LOCK}


def explain(wait_type: str, event: str) -> WaitMeaning:
    return WaitMeaning(
        wait_type=wait_type, event=event, kind=KINDS[wait_type], meaning=f"Waits at a {wait_type or 'core'}.",
        causes=(), look_next=(), rules_out=(), known=True,
    )  # fmt: skip


LEDGERSTONE = EngineProfile(
    name="ledgerstone",
    title="a Ledgerstone server",
    capabilities=frozenset({Capability.SAMPLE}),
    waits=Waits(
        explain=explain,
        kind_of=lambda wait_type, _: KINDS[wait_type],
        behind_sessions=lambda kind, _: kind == "key lock",
    ),
    locks=LockWords(wants=lambda _, mode: f"take the key ({mode})", holds=lambda _, mode: f"keeps the key ({mode})"),
)


class LedgerstoneSource:
    """One session changes a key, another waits for it, a third waits at a latch."""

    async def connect(self) -> ServerFacts:
        return ServerFacts(
            version=3, version_text="3.1", started=EpochMs(0), max_connections=9, product="Ledgerstone",
            has_statement_counters=False,
        )  # fmt: skip

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        shared = {"started_s": 7, "state": "active", "user": "desk", "database": "books"}
        sessions = (
            SessionSample(pid=Pid(1), program="closing", query_id=QueryId(11), transaction_ms=9_000, **shared),  # type: ignore[arg-type]
            SessionSample(
                pid=Pid(2), program="counter", query_id=QueryId(12), wait_type="key lock", wait_event="KEY",
                blocked_by=(Pid(1),), **shared,  # type: ignore[arg-type]
            ),
            SessionSample(pid=Pid(3), program="counter", wait_type="page latch", wait_event="L7", **shared),  # type: ignore[arg-type]
        )  # fmt: skip
        fact = LockFact(lock_type="key", object="key 4 of account", table="account", mode_wanted="X", mode_held="X")
        edge = LockEdge(waiter=Pid(2), blocker=Pid(1), fact=fact)
        return SampleReading(due=due, took=Millis(1.0), sessions=sessions, edges=(edge,))

    async def counters(self, at: EpochMs) -> CounterReading | None:
        return None

    async def texts(self, wanted: Sequence[QueryId]) -> Sequence[StatementText]:
        texts = {QueryId(11): "UPDATE account SET sum = $1", QueryId(12): "UPDATE account SET sum = $1 WHERE id = $2"}
        return [StatementText(query_id=one, text=conceal(texts[one])) for one in wanted if one in texts]

    async def survey(self, at: EpochMs) -> Survey:
        return Survey(at=at)

    async def log(self, at: EpochMs, position: LogPosition | None, rules: CaptureRules) -> LogReading | None:
        return None

    async def close(self) -> None:
        return None


@pytest.fixture
def watched(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Server:
    """A server of that engine, sampled for ten seconds by the collector's own watch."""
    monkeypatch.setattr(engines, "_engines", dict(engines._engines))
    engines.register(engines.Engine(profile=LEDGERSTONE, source=lambda _: LedgerstoneSource()))
    server = Server.objects.create(name="books", engine="ledgerstone")
    store = DjangoStore(tmp_path)
    asyncio.run(_watched_for(store, tmp_path, seconds=10))
    return server


async def _watched_for(store: DjangoStore, place: Path, seconds: int) -> None:
    clock, over = ManualClock(START), asyncio.Event()
    (order,) = await asyncio.to_thread(store.orders)
    outbox = Outbox(store, place / "spool.jsonl", clock)

    def put(record: Record) -> None:
        if isinstance(record, Sampled) and record.reading.due >= START + 1000 * seconds:
            over.set()
        elif not over.is_set():
            outbox.put(record)

    watch = Watch(order, await asyncio.to_thread(make_source, order), put, clock, chance=lambda: 0.0)
    watching = asyncio.create_task(watch.run())
    await over.wait()
    watching.cancel()
    delivering = asyncio.create_task(outbox.run())
    while outbox.waiting:
        await asyncio.sleep(0.02)
    delivering.cancel()
    await asyncio.gather(watching, delivering, return_exceptions=True)


@pytest.fixture
def reader(watched: Server) -> Client:
    client = Client()
    client.force_login(
        save_user("rosa", "tidewrack-demo", Role.OPERATOR), backend="django.contrib.auth.backends.ModelBackend"
    )
    return client


def asked(client: Client, path: str, **values: object) -> dict[str, object]:
    answer = client.get(f"/api/v1{path}", values)  # type: ignore[arg-type]
    assert answer.status_code == 200, answer.content
    found: dict[str, object] = answer.json()
    return found


def window() -> dict[str, int]:
    return {"from": START, "to": START + 10_000}


def test_a_second_engine_is_sampled_and_its_load_split(reader: Client, watched: Server) -> None:
    load = asked(reader, f"/servers/{watched.pk}/load", **window(), split="kind", buckets=10)
    means = {group["key"]: group["total"] for group in load["groups"]}  # type: ignore[attr-defined]
    assert means == {"running": 1.0, "lock": 1.0, "engine": 1.0}
    assert any("Ledgerstone 3.1" in note["detail"] for note in load["notes"])  # type: ignore[attr-defined]


def test_the_sieve_tells_its_waits_in_its_own_words(reader: Client, watched: Server) -> None:
    sieve = asked(reader, f"/servers/{watched.pk}/sieve", **window(), dimension="wait")
    (column,) = sieve["columns"]  # type: ignore[misc]
    assert {row["label"] for row in column["rows"]} == {"running, no wait", "key lock: KEY", "page latch: L7"}
    assert {row["full"] for row in column["rows"]} >= {"Waits at a key lock.", "Waits at a page latch."}
    told = asked(reader, f"/servers/{watched.pk}/waits", wait="page latch:L7")
    assert told["kind"] == "engine"


def test_its_chains_are_told_by_its_own_modes(reader: Client, watched: Server) -> None:
    found = asked(reader, f"/servers/{watched.pk}/blocking/chains", at=START + 5_000)
    (chain,) = found["chains"]  # type: ignore[misc]
    root, waiter = chain["links"]
    assert (root["pid"], waiter["pid"], waiter["wants"], waiter["holds"]) == (
        1, 2, "take the key (X)", "keeps the key (X)",
    )  # fmt: skip
    over = asked(reader, f"/servers/{watched.pk}/blocking", **window())
    assert over["by_table"] == [{"key": "account", "label": "account", "lost_s": float(over["ticks"])}]  # type: ignore[arg-type]


def test_what_it_cannot_do_is_said_by_name(reader: Client, watched: Server) -> None:
    capture = asked(reader, f"/servers/{watched.pk}/capture")
    assert (capture["can"], capture["engine"]) == (["sample"], "a Ledgerstone server")
    answer = reader.post(f"/api/v1/servers/{watched.pk}/ask", {"text": "SELECT 1"}, content_type="application/json")
    assert answer.status_code == 400
    assert "books is a Ledgerstone server: it cannot be asked for a plan" in answer.json()["detail"]
