"""Mean sessions of a short window by wait kind: what the list of all servers asks of each, so it is kept cheap."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from faena.core.sampling.dimensions import RUNNING, Dictionary, Dimension
from faena.core.series.window import Window
from faena.core.sessions.frame import SampleFrame


@dataclass(frozen=True, slots=True, kw_only=True)
class KindMeans:
    """`by_kind` holds mean active sessions over `ticks` ticks by the name of the kind; kinds not seen are left out."""

    ticks: int
    by_kind: Mapping[str, float]

    @property
    def load(self) -> float:
        return sum(self.by_kind.values())

    @property
    def running(self) -> float:
        return self.by_kind.get(RUNNING, 0.0)


NOTHING = KindMeans(ticks=0, by_kind={})


def kind_means(frame: SampleFrame, dictionary: Dictionary, window: Window) -> KindMeans:
    """As `load_by` in one bucket, of a raw frame: a tenth of its work, since there is no bucket to be found."""
    part = frame.within(window)
    ticks = part.ticks
    if not ticks:
        return NOTHING
    kinds = dictionary.encoded(Dimension.KIND)
    active = dictionary.active[part.code]
    counts = np.bincount(
        kinds.ids[part.code][active],
        weights=None if part.seen is None else part.seen[active],
        minlength=len(kinds.names),
    ).tolist()
    found = zip(kinds.names, counts, strict=True)
    return KindMeans(ticks=ticks, by_kind={name: n / ticks for name, n in found if n})
