"""Load by bucket and group, ranking, narrowing; checked against a slow twin that is obviously right."""

from collections import Counter

import numpy as np
import pytest
from faena.core.errors import BadPick, NoTicks
from faena.core.readings import SampleReading, SessionSample
from faena.core.sampling.dimensions import NOBODY, Dimension, combination_of
from faena.core.sampling.load import OTHERS, Moments, count_codes, load_by, load_by_kind, rank
from faena.core.sampling.trail import MAX_PICKS, Pick, narrow, read_pick, read_trail
from faena.core.series.certainty import spread
from faena.core.series.window import Window, cut
from faena.core.sessions.frame import EMPTY, SampleFrame, join, merge
from faena.core.units import EpochMs, Pid, QueryId
from faena.testing.builders import START, frame_of, reading, session
from hypothesis import given
from hypothesis import strategies as st

WAITS = [("", ""), ("Lock", "transactionid"), ("IO", "DataFileRead"), ("LWLock", "WALWrite"), ("Client", "ClientRead")]


@st.composite
def histories(draw: st.DrawFn) -> list[SampleReading]:
    """Up to two minutes of samples, some ticks missing, some empty."""
    seconds = draw(st.lists(st.integers(0, 119), unique=True, max_size=40).map(sorted))
    found = []
    for second in seconds:
        rows = draw(st.lists(st.tuples(st.sampled_from(WAITS), st.sampled_from("ab"), st.booleans()), max_size=5))
        sessions = [
            session(i, wait_type=w[0], wait_event=w[1], program=p, state="active" if act else "idle in transaction")
            for i, (w, p, act) in enumerate(rows)
        ]
        found.append(reading(second, *sessions))
    return found


WINDOW = Window(start=START, end=EpochMs(START + 120_000))


@given(
    histories(), st.sampled_from([(), (Pick(Dimension.PROGRAM, "a"),), (Pick(Dimension.KIND, "lock", exclude=True),)])
)
def test_load_agrees_with_counting_by_hand(history: list[SampleReading], trail: tuple[Pick, ...]) -> None:
    frame, dictionary = frame_of(history)
    buckets = cut(WINDOW, at_most=12)
    series = load_by(frame, buckets, dictionary, Dimension.WAIT, trail)
    expected: Counter[tuple[str, int]] = Counter()
    ticks: Counter[int] = Counter()
    for one in history:
        bucket = (one.due - buckets.start) // buckets.width_ms
        ticks[bucket] += 1
        for s in one.sessions:
            inside = all((p.dimension is not Dimension.PROGRAM or s.program == p.value) for p in trail)
            inside &= not (s.wait_type == "Lock" and any(p.exclude for p in trail))
            if s.is_active and inside:
                expected[f"{s.wait_type}:{s.wait_event}" if s.wait_type else "running", bucket] += 1
    got = {(g, b): int(n) for g, row in zip(series.groups, series.seen, strict=True) for b, n in enumerate(row) if n}
    assert got == dict(expected)
    assert [ticks[b] for b in range(buckets.count)] == series.ticks.tolist()
    assert (np.isnan(series.sessions()) == (series.ticks == 0)).all(), "a gap must be a gap in every group"


@given(histories())
def test_one_pass_inside_and_in_all_agrees_with_two(history: list[SampleReading]) -> None:
    frame, dictionary = frame_of(history)
    buckets, trail = cut(WINDOW, at_most=12), (Pick(Dimension.PROGRAM, "a"),)
    both = load_by_kind(frame, buckets, dictionary, trail)
    apart = (
        load_by(frame, buckets, dictionary, Dimension.KIND, trail),
        load_by(frame, buckets, dictionary, Dimension.KIND),
    )
    for got, expected in zip(both, apart, strict=True):
        assert got.groups == expected.groups
        assert got.seen.tolist() == expected.seen.tolist()


@given(histories())
def test_ranked_values_add_up_to_the_load(history: list[SampleReading]) -> None:
    frame, dictionary = frame_of(history)
    if not history:
        with pytest.raises(NoTicks):
            rank(count_codes(frame, dictionary), 0, dictionary, Dimension.WAIT)
        return
    column = rank(count_codes(frame, dictionary), len(history), dictionary, Dimension.WAIT, at_most=100)
    active = sum(s.is_active for r in history for s in r.sessions)
    assert sum(row.seen for row in column.rows) == column.total_seen == active
    for row in column.rows:
        assert sum(row.by_kind.values()) == pytest.approx(row.sessions)
    assert [row.seen for row in column.rows] == sorted((row.seen for row in column.rows), reverse=True)


def test_idle_ticks_count() -> None:
    """Two sessions at one of four ticks are half a session on average, not two."""
    frame, dictionary = frame_of([reading(0), reading(1, session(1), session(2)), reading(2), reading(3)])
    series = load_by(frame, cut(WINDOW, at_most=1), dictionary, Dimension.KIND)
    assert series.total() == 0.5


def test_idle_in_transaction_is_no_load() -> None:
    frame, dictionary = frame_of([reading(0, session(1, state="idle in transaction"))])
    assert load_by(frame, cut(WINDOW, at_most=1), dictionary, Dimension.KIND).seen.sum() == 0


def test_the_smallest_groups_become_others() -> None:
    history = [reading(0, *(session(i, program=p) for i, p in enumerate("aaabbcd")))]
    frame, dictionary = frame_of(history)
    series = load_by(frame, cut(WINDOW, at_most=1), dictionary, Dimension.PROGRAM, at_most=3)
    assert series.groups == ("a", "b", OTHERS)
    assert series.seen[:, 0].tolist() == [3, 2, 2]


def test_a_series_without_ticks_has_no_mean() -> None:
    _, dictionary = frame_of([reading(0, session())])
    with pytest.raises(NoTicks):
        load_by(EMPTY, cut(WINDOW, at_most=3), dictionary, Dimension.KIND).total()


def test_a_column_shows_what_else_could_be_picked() -> None:
    frame, dictionary = frame_of([reading(0, session(1, program="a"), session(2, program="b", user="x"))])
    trail = (Pick(Dimension.PROGRAM, "a"),)
    counts = count_codes(frame, dictionary)
    programs = rank(counts, 1, dictionary, Dimension.PROGRAM, trail)
    assert {(row.value, row.picked) for row in programs.rows} == {("a", True), ("b", False)}
    users = rank(counts, 1, dictionary, Dimension.USER, trail)
    assert [row.value for row in users.rows] == ["web"], "the other columns are narrowed"


def test_bursts_widen_the_margin_of_who_comes_in_them_and_of_nobody_else() -> None:
    """Ten of b at once in every tenth tick, one of a in each: both are one session in the mean."""
    burst = [session(i, program="b") for i in range(10, 20)]
    history = [reading(t, session(1, program="a"), *(burst if t % 10 == 0 else ())) for t in range(100)]
    frame, dictionary = frame_of(history)
    moments = Moments(frame, len(dictionary))
    rows = {
        r.value: r
        for r in rank(count_codes(frame, dictionary), 100, dictionary, Dimension.PROGRAM, moments=moments).rows
    }
    assert rows["a"].seen == rows["b"].seen == 100
    assert rows["b"].sessions_margin > 2.5 * rows["a"].sessions_margin
    nobody = rank(
        count_codes(frame, dictionary),
        100,
        dictionary,
        Dimension.PROGRAM,
        (Pick(Dimension.USER, "x"),),
        moments=moments,
    )
    assert nobody.rows == ()


def test_values_of_one_dimension_add_up_and_excluded_ones_go() -> None:
    _, dictionary = frame_of([reading(0, *(session(i, program=p) for i, p in enumerate("abc")))])
    both = narrow(dictionary, [Pick(Dimension.PROGRAM, "a"), Pick(Dimension.PROGRAM, "b")])
    assert both.tolist() == [True, True, False]
    but = narrow(dictionary, [Pick(Dimension.PROGRAM, "a", exclude=True)])
    assert but.tolist() == [False, True, True]


@pytest.mark.parametrize("text", ["program:gate-scan", "!wait:Lock:tuple", "client:", "statement:-42", "user:a:b!c"])
def test_a_pick_reads_back_as_written(text: str) -> None:
    assert str(read_pick(text)) == text


@pytest.mark.parametrize(("text", "words"), [("colour:red", "not a dimension"), ("program", "write dimension:value")])
def test_nonsense_is_refused_with_what_would_be_understood(text: str, words: str) -> None:
    with pytest.raises(BadPick, match=words):
        read_pick(text)


def test_a_trail_has_an_end_and_no_doubles() -> None:
    assert len(read_trail(["user:a", "user:a"])) == 1
    with pytest.raises(BadPick, match="more than"):
        read_trail([f"user:{i}" for i in range(MAX_PICKS + 1)])


def chain(*blocked: tuple[int, int]) -> dict[Pid, SessionSample]:
    waits = dict(blocked)
    pids = {p for pair in blocked for p in pair}
    return {Pid(p): session(p, program=f"p{p}", blocked_by=(Pid(waits[p]),) if p in waits else ()) for p in pids}


def test_the_root_of_a_chain_is_named_not_the_next_in_line() -> None:
    present = chain((3, 2), (2, 1))
    assert combination_of(present[Pid(3)], present).held_by == "p1"
    assert combination_of(present[Pid(1)], present).held_by == ""


def test_a_circle_of_waiters_ends() -> None:
    present = chain((1, 2), (2, 3), (3, 1))
    assert combination_of(present[Pid(1)], present).held_by in {"p2", "p3"}


def test_a_blocker_that_is_no_session_is_said_to_be_none() -> None:
    lonely = session(5, blocked_by=(Pid(0),))
    assert combination_of(lonely, {Pid(5): lonely}).held_by == "not a session"
    frame, dictionary = frame_of([reading(0, session(6))])
    assert dictionary.values(Dimension.HELD_BY) == [NOBODY]
    assert len(frame.code) == 1


def test_statement_identifiers_survive_as_text() -> None:
    _, dictionary = frame_of([reading(0, session(1, query_id=QueryId(-(2**63))), session(2))])
    assert dictionary.values(Dimension.STATEMENT) == [str(-(2**63)), "none"]


def rows_of(frame: SampleFrame) -> list[tuple[int, int]]:
    return sorted(zip(frame.tick_ms[frame.tick].tolist(), frame.code.tolist(), strict=True))


@given(histories(), st.integers(0, 119))
def test_cut_and_joined_frames_are_the_same(history: list[SampleReading], second: int) -> None:
    frame, _ = frame_of(history)
    middle = EpochMs(START + 1000 * second + 500)
    early = frame.within(Window(start=START, end=middle))
    late = frame.within(Window(start=middle, end=EpochMs(START + 200_000)))
    for again in (join([early, late]), merge(early, late), merge(late, early), merge(frame, early)):
        assert again.tick_ms.tolist() == frame.tick_ms.tolist()
        assert rows_of(again) == rows_of(frame)


def test_columns_of_different_length_are_refused() -> None:
    with pytest.raises(ValueError, match="differ in length"):
        SampleFrame(np.zeros(1, np.int64), np.zeros(2, np.int32), np.zeros(1, np.int32))


@given(histories(), st.sampled_from([None, 2]))
def test_each_layer_of_another_dimension_tells_running_from_waiting(
    history: list[SampleReading], most: int | None
) -> None:
    frame, dictionary = frame_of(history)
    buckets = cut(WINDOW, at_most=12)
    series = load_by(frame, buckets, dictionary, Dimension.PROGRAM, at_most=most)
    kinds = load_by(frame, buckets, dictionary, Dimension.KIND)
    assert series.running is not None
    assert (series.running <= series.seen).all()
    assert series.seen.sum(axis=0).tolist() == kinds.seen.sum(axis=0).tolist()
    by_kind = dict(zip(kinds.groups, kinds.seen.tolist(), strict=True))
    assert series.running.sum(axis=0).tolist() == by_kind.get("running", [0] * buckets.count)


@given(st.integers(0, 10_000), st.integers(1, 12))
def test_a_table_of_moments_tells_of_bursts_what_samples_summed_by_minute_tell(seed: int, ragged: int) -> None:
    """Single ticks at the end of a window are summed up like the rest; codes that the dictionary has yet to learn are none."""
    chance = np.random.default_rng(seed)
    codes, minutes = 7, 40
    at = np.concatenate([60_000 * np.arange(minutes), 60_000 * minutes + 1000 * np.arange(ragged)])
    tick, code = (
        one.ravel().astype(np.int32) for one in np.meshgrid(np.arange(len(at)), np.arange(codes), indexing="ij")
    )
    seen = chance.poisson(3.0, len(tick)).astype(np.int32)
    frame = SampleFrame(at, tick, code, np.where(np.arange(len(at)) < minutes, 60, 1).astype(np.int32), seen)
    group, keep = chance.integers(0, 4, codes - 1), chance.random(codes - 1) < 0.8
    top = sorted(set(group.tolist()))
    of = np.append(np.where(keep, group, -1), -1)[code]
    cells = [np.bincount(at[tick[of == one]] // 60_000, weights=seen[of == one], minlength=minutes + 1) for one in top]
    assert np.allclose(Moments(frame, codes - 1).vary(group, keep, top), spread(np.array(cells)))
