"""The troubles by name: what each one is, in the words of somebody who must find it."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Trouble:
    """`seconds` is how long the rota leaves it on."""

    name: str
    story: str
    expect: str
    seconds: int


TROUBLES: tuple[Trouble, ...] = (
    Trouble(
        name="idle-console",
        story="Somebody at the ops console changed the deck slots of a popular sailing and went for coffee.",
        expect="booking-web waits for row locks in update deck_slot, held by ops-console",
        seconds=90,
    ),
    Trouble(
        name="missing-index",
        story="Gates look bookings up by their reference, which has no index.",
        expect="gate-scan runs on CPU in select … from booking where reference = $1",
        seconds=90,
    ),
    Trouble(
        name="deadlocks",
        story="Two rebookings lock the same two sailings in opposite order.",
        expect="booking-web waits for row locks in update sailing; deadlocks in the server log",
        seconds=60,
    ),
    Trouble(
        name="tiny-commits",
        story="Gate telemetry commits every single row from a dozen connections.",
        expect="gate-scan waits for the log at commit in insert into gate_telemetry",
        seconds=75,
    ),
    Trouble(
        name="report-spill",
        story="The nightly report sorts far more than its work_mem.",
        expect="nightly-report reads and writes temporary files",
        seconds=75,
    ),
    Trouble(
        name="one-by-one",
        story="The manifest export reads passengers one booking at a time.",
        expect="manifest-export calls select … from passenger thousands of times",
        seconds=60,
    ),
    Trouble(
        name="index-rebuild",
        story="The crew planner rebuilds an index while a long insert into its table is under way.",
        expect="crew-planner's reindex waits behind the insert, and changes of crew_roster queue behind the reindex",
        seconds=75,
    ),
    Trouble(
        name="cross-join",
        story="The fare engine lost a join condition.",
        expect="fare-engine runs on CPU in select count(*) from fare, sailing, route",
        seconds=75,
    ),
    Trouble(
        name="slow-authority",
        story="The port authority takes almost a second to answer.",
        expect="requests that hold a slot are slow in the external layer, and the database is not the cause",
        seconds=60,
    ),
    Trouble(
        name="authority-off",
        story="The port authority answers with errors only.",
        expect="requests that hold a slot fail, without a statement",
        seconds=45,
    ),
    Trouble(
        name="cache-unasked",
        story="A change of booking-web left out the cache of deck plans.",
        expect="requests for a sailing ask the cache no more, and run select count(*) from deck_slot each time",
        seconds=75,
    ),
)

BY_NAME = {trouble.name: trouble for trouble in TROUBLES}
