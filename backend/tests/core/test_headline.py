"""The sentence above the waterline."""

import numpy as np
from faena.core.answers.headline import Headline, figure, headline, rise
from faena.core.readings import SampleReading, SessionSample
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.load import load_by
from faena.core.series.window import Window, cut
from faena.core.units import EpochMs
from faena.core.waits.kinds import WaitKind
from faena.testing.builders import START, frame_of, reading, session

WINDOW = Window(start=START, end=EpochMs(START + 60_000))


def said(history: list[SampleReading], cores: int | None = 2) -> Headline:
    frame, dictionary = frame_of(history)
    buckets = cut(WINDOW, at_most=60)
    return headline(load_by(frame, buckets, dictionary, Dimension.KIND), buckets.starts(), cores)


def waiting(n: int) -> list[SessionSample]:
    return [session(10 + i, wait_type="Lock", wait_event="tuple") for i in range(n)]


def test_locks_since_they_began() -> None:
    found = said([reading(s, *(waiting(6) if s >= 20 else [])) for s in range(60)])
    assert found.kind is WaitKind.LOCK
    assert found.since == START + 20_000
    assert found.sentence == "Waiting: row and table locks, 4.00 of 4.00 sessions"


def test_more_running_than_cores() -> None:
    found = said([reading(s, *(session(i) for i in range(4))) for s in range(60)])
    assert found.sentence == "Running: 4.00 of 4.00 sessions; more than the 2 cores in 100% of the window"


def test_quiet_and_not_sampled_are_two_things() -> None:
    assert "Quiet" in said([reading(s) for s in range(60)]).sentence
    empty = said([])
    assert empty.sentence == "Nothing was sampled in this window."
    assert empty.load is None


def test_a_mix_is_called_a_mix() -> None:
    waits = [("", ""), ("Lock", "tuple"), ("IO", "DataFileRead"), ("LWLock", "WALWrite")]
    history = [
        reading(s, *(session(i, wait_type=t, wait_event=e) for i, (t, e) in enumerate(waits))) for s in range(60)
    ]
    assert said(history).kind is None


def test_a_steady_load_has_no_beginning() -> None:
    starts = [START + 1000 * i for i in range(30)]
    assert rise(np.full(30, 5.0), starts) is None
    assert rise(np.linspace(1, 2, 30), starts) is None
    row = np.array([0.0] * 10 + [np.nan] * 5 + [4.0] * 15)
    assert rise(row, starts) == START + 15_000, "the rise lies after the gap, where it was first seen"


def test_figures_have_three_digits() -> None:
    assert [figure(v) for v in (0.123, 9.876, 12.34, 123.4)] == ["0.12", "9.88", "12.3", "123"]
