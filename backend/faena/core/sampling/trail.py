"""The trail: the picks made so far. Written in a URL as `pick=program:gate-scan` or `pick=!wait:Lock:tuple`."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import BadPick
from faena.core.sampling.dimensions import Dictionary, Dimension

MAX_PICKS = 50  # a trail longer than this is a mistake or an attack, never an investigation


@dataclass(frozen=True, slots=True)
class Pick:
    """One value of one dimension; `exclude` means "all but this"."""

    dimension: Dimension
    value: str
    exclude: bool = False

    def __str__(self) -> str:
        return f"{'!' if self.exclude else ''}{self.dimension}:{self.value}"


def read_pick(text: str) -> Pick:
    """Inverse of str(pick). Raises BadPick with the words that would have been understood."""
    body = text.removeprefix("!")
    name, colon, value = body.partition(":")
    if not colon:
        raise BadPick(f"{text!r:.80} is not a pick; write dimension:value, for instance program:gate-scan")
    try:
        dimension = Dimension(name)
    except ValueError:
        known = ", ".join(Dimension)
        raise BadPick(f"{name!r:.40} is not a dimension; known are: {known}") from None
    return Pick(dimension, value, exclude=text.startswith("!"))


def read_trail(texts: Sequence[str]) -> tuple[Pick, ...]:
    """All picks, duplicates dropped, order kept. Raises BadPick."""
    if len(texts) > MAX_PICKS:
        raise BadPick(f"{len(texts)} picks are more than the {MAX_PICKS} that a trail can hold")
    return tuple(dict.fromkeys(read_pick(text) for text in texts))


def narrow(dictionary: Dictionary, trail: Iterable[Pick], *, but: Dimension | None = None) -> npt.NDArray[np.bool_]:
    """Which codes are inside the trail, shape (len(dictionary),).

    Values picked of the same dimension add up; different dimensions narrow each other; excluded values always go.
    `but` leaves out the picks of one dimension, so that its own column still shows what else could be picked.
    """
    inside = np.ones(len(dictionary), dtype=np.bool_)
    for dimension, picks in _by_dimension(trail).items():
        if dimension is but:
            continue
        encoded = dictionary.encoded(dimension)
        wanted = {pick.value for pick in picks if not pick.exclude}
        unwanted = {pick.value for pick in picks if pick.exclude}
        keep = [(not wanted or name in wanted) and name not in unwanted for name in encoded.names]
        inside &= np.array(keep, dtype=np.bool_)[encoded.ids]
    return inside


def _by_dimension(trail: Iterable[Pick]) -> dict[Dimension, list[Pick]]:
    grouped: dict[Dimension, list[Pick]] = {}
    for pick in trail:
        grouped.setdefault(pick.dimension, []).append(pick)
    return grouped
