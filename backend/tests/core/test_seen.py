"""What sessions were seen in, and what the counters hold of it."""

from faena.core.statements.seen import BESIDE, LEAST_MS, MOST, Seen, uncounted
from faena.core.units import QueryId
from hypothesis import given
from hypothesis import strategies as st

WINDOW_MS = 300_000.0


def seen(query_id: int, sessions: float, margin: float = 0.0) -> Seen:
    return Seen(query_id=QueryId(query_id), sessions=sessions, margin=margin, on_cpu=0.0)


def named(*statements: Seen, counted: dict[int, float] | None = None) -> list[int]:
    known = {QueryId(i): ms for i, ms in (counted or {}).items()}
    return [one.query_id for one in uncounted(statements, known, WINDOW_MS)]


def test_statements_are_named_most_of_whose_sampled_time_was_not_counted() -> None:
    counted = {1: 20_000.0, 3: 290_000.0}  # of 600 s and of 300 s that were sampled
    assert named(seen(1, 2.0), seen(2, 6.0), seen(3, 1.0), counted=counted) == [2, 1]


def test_what_is_little_uncertain_or_beside_the_point_is_not_named() -> None:
    assert named(seen(1, 0.03)) == [], "nine seconds"
    assert named(seen(1, 0.5, margin=0.49)) == [], "too few samples to be sure"
    assert named(seen(1, 6.0), seen(2, 1.0)) == [1]
    assert named() == []


statements = st.lists(
    st.builds(seen, st.integers(-5, 5), st.floats(0, 50), st.floats(0, 5)),
    max_size=8,
    unique_by=lambda one: one.query_id,
)


@given(statements, st.dictionaries(st.integers(-5, 5), st.floats(0, 1e8)))
def test_the_named_are_few_heaviest_first_and_truly_lack_time(found: list[Seen], counted: dict[int, float]) -> None:
    told = uncounted(found, {QueryId(i): ms for i, ms in counted.items()}, WINDOW_MS)
    assert len(told) <= MOST
    assert [one.sessions for one in told] == sorted((one.sessions for one in told), reverse=True)
    for one in told:
        assert one.sessions * WINDOW_MS - counted.get(one.query_id, 0.0) > LEAST_MS
        assert one.sessions >= BESIDE * told[0].sessions
