"""Names that come and go among what is seen of a server: statements, programs, client hosts."""

from collections.abc import Mapping
from dataclasses import dataclass

NEW_AFTER_HOURS = 48  # of watching before it, in which it was not seen: less, and all is new
LOOK_BACK_HOURS = 14 * 24
GONE_AFTER_HOURS = 24  # without it, though it was there on each of so many days:
DAILY_DAYS = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Comings:
    """Names that were seen in the hour for the first time, and those last seen `GONE_AFTER_HOURS` before its end."""

    new: tuple[str, ...]
    gone: tuple[str, ...]


def comings(seen: Mapping[str, Mapping[int, float]], watched: Mapping[int, bool], hour: int, least: float) -> Comings:
    """`seen`: by name, how much of it in each hour, counted since 1970; `watched`: hours that were sampled at all.

    What is less than `least` in an hour is too little to speak of.
    """
    before = [at for at in range(hour - LOOK_BACK_HOURS, hour) if watched.get(at)]
    if len(before) < NEW_AFTER_HOURS or not watched.get(hour):
        return Comings(new=(), gone=())
    new = [
        name for name, hours in seen.items()
        if hours.get(hour, 0.0) >= least and not any(hours.get(at, 0.0) > 0 for at in before)
    ]  # fmt: skip
    return Comings(new=tuple(sorted(new)), gone=tuple(sorted(_gone(seen, watched, hour, least))))


def _gone(seen: Mapping[str, Mapping[int, float]], watched: Mapping[int, bool], hour: int, least: float) -> list[str]:
    quiet = range(hour - GONE_AFTER_HOURS + 1, hour + 1)
    if sum(bool(watched.get(at)) for at in quiet) < GONE_AFTER_HOURS - 1:
        return []
    last = hour - GONE_AFTER_HOURS
    days = [range(last - 24 * (day + 1) + 1, last - 24 * day + 1) for day in range(DAILY_DAYS)]
    return [
        name
        for name, hours in seen.items()
        if hours.get(last, 0.0) > 0  # so that it is told once, at its last hour
        and not any(hours.get(at, 0.0) > 0 for at in quiet)
        and all(any(hours.get(at, 0.0) >= least for at in day) for day in days)
    ]
