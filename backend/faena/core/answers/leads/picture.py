"""What a lead explains over the window, as a small waterline."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from faena.core.answers.leads.claim import Claim
from faena.core.answers.leads.observed import Observed
from faena.core.sampling.dimensions import Dimension

CELLS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    """Mean sessions that a claim explains, by kind of load and cell; None in cells without a tick. The largest kind first."""

    start: int
    cell_ms: int
    kinds: Sequence[tuple[str, Sequence[float | None]]]


def picture_of(seen: Observed, claim: Claim) -> Picture:
    """Over equal cells of the window, whatever its length."""
    cell_ms = max(-(-seen.window.length_ms // CELLS), 1000)
    cells = -(-seen.window.length_ms // cell_ms)
    cell = np.clip((seen.frame.tick_ms - seen.window.start) // cell_ms, 0, cells - 1)
    ticks = np.bincount(cell, minlength=cells)
    rows = np.flatnonzero(claim.mask & seen.active)
    kinds = seen.dictionary.encoded(Dimension.KIND)
    which = kinds.ids[seen.frame.code[rows]].astype(np.int64)
    counts = np.bincount(which * cells + cell[seen.frame.tick[rows]], minlength=len(kinds.names) * cells)
    table = counts.reshape(-1, cells)
    order = [i for i in np.argsort(-table.sum(axis=1), kind="stable").tolist() if table[i].sum()]
    return Picture(
        start=seen.window.start,
        cell_ms=cell_ms,
        kinds=[
            (kinds.names[i], [float(n) / float(t) if t else None for n, t in zip(table[i], ticks, strict=True)])
            for i in order
        ],
    )
