"""What is told of a condition that holds, in sentences."""

from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import TRAITS, Signal, Unit
from faena.core.numbers import count, took

_SIZES = ((2**40, "TiB"), (2**30, "GiB"), (2**20, "MiB"), (2**10, "KiB"))


def in_words(value: float, unit: Unit) -> str:
    """A level with its unit: "14 sessions", "1.3 times", "2 min 10 s"."""
    if unit is Unit.MS:
        return took(value)
    if unit in (Unit.BYTES, Unit.BYTES_PER_S):
        return _bytes(value) + (" a second" if unit is Unit.BYTES_PER_S else "")
    if unit is Unit.SHARE:
        return f"{value:.0%}"
    figure = count(value) if value >= 1000 else f"{value:.3g}"
    if unit is Unit.SESSIONS:
        return f"{figure} session" if figure == "1" else f"{figure} sessions"
    return f"{figure} {unit.label}".rstrip()


def _bytes(value: float) -> str:
    for size, word in _SIZES:
        if value >= size:
            return f"{value / size:.3g} {word}"
    return f"{value:.0f} B"


def level_in_words(condition: Condition) -> str:
    """What the condition waits for: "3 sessions or more for 1 min", "5 times what is usual"."""
    unit = TRAITS[condition.signal].unit
    level = f"{condition.level:.3g} times what is usual" if condition.of_usual else in_words(condition.level, unit)
    way = "or less" if condition.below else "or more"
    lasts = f" for {took(condition.for_ms)}" if condition.for_ms else ""
    return f"{level} {way}{lasts}"


def sentence(condition: Condition, name: str, value: float, usual: float | None, server: str) -> str:
    """What holds, where, and how far from usual it is."""
    unit = TRAITS[condition.signal].unit
    figure = in_words(value, unit)
    if condition.signal in (Signal.LEADS, Signal.CHANGES):
        return f"{name} on {server}"
    beside = f", usually {in_words(usual, unit)}" if usual is not None else ""
    return f"{name} on {server}: {figure} (alert at {level_in_words(condition)}{beside})"
