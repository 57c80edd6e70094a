"""What answers about requests share: time by layer."""

from collections.abc import Sequence

from faena.api.out import Out
from faena.core.requests.sums import LAYERS


class LayersOut(Out):
    """Milliseconds by layer; they add up to the time of the requests."""

    own: float
    database: float
    cache: float
    external: float
    queue: float


def layers_out(figures: Sequence[float]) -> LayersOut:
    """From milliseconds in the order of LAYERS."""
    return LayersOut(**{layer.value: round(ms, 3) for layer, ms in zip(LAYERS, figures, strict=True)})
