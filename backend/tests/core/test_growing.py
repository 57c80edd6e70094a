"""A frame that grows is the same as one made in one go."""

import numpy as np
import pytest
from faena.core.sampling.growing import GrowingFrame
from faena.core.sessions.frame import SampleFrame, join
from hypothesis import given
from hypothesis import strategies as st


def frame(ticks: list[int], first_ms: int) -> SampleFrame:
    """A tick a second from `first_ms` on, with so many samples each."""
    at = first_ms + 1000 * np.arange(len(ticks), dtype=np.int64)
    tick = np.repeat(np.arange(len(ticks), dtype=np.int32), ticks)
    return SampleFrame(at, tick, (np.arange(len(tick)) % 5).astype(np.int32))


@given(st.lists(st.lists(st.integers(0, 4), max_size=30), min_size=1, max_size=12))
def test_growing_in_pieces_equals_joining_them(pieces: list[list[int]]) -> None:
    parts = [frame(piece, 1_000_000 * i) for i, piece in enumerate(pieces)]
    growing, seen = GrowingFrame(parts[0]), [parts[0]]
    for part in parts[1:]:
        growing.append(part)
        seen.append(growing.frame)
    for i, earlier in enumerate(seen):
        whole = join(parts[: i + 1])
        assert earlier.tick_ms.tolist() == whole.tick_ms.tolist()
        assert earlier.tick.tolist() == whole.tick.tolist()
        assert earlier.code.tolist() == whole.code.tolist()


def test_what_comes_before_the_end_is_refused() -> None:
    growing = GrowingFrame(frame([1, 1], 5000))
    with pytest.raises(ValueError, match="out of order"):
        growing.append(frame([1], 6000))
