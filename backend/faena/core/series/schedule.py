"""When a server is to be sampled: spans of the week, in UTC. No spans mean always."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from faena.core.errors import BadInput
from faena.core.units import MS_PER_DAY, EpochMs

MS_PER_MINUTE = 60_000
MAX_SPANS = 30
THURSDAY = 3  # 1970-01-01


@dataclass(frozen=True, slots=True, kw_only=True)
class WeekSpan:
    """On these days (0 is Monday), minutes [start, end) after midnight UTC."""

    days: tuple[int, ...]
    start: int
    end: int


def read_schedule(raw: Sequence[Mapping[str, Any]]) -> tuple[WeekSpan, ...]:
    """From {"days": [0, 1], "from": "08:00", "to": "18:30"}. Raises BadInput naming the span at fault."""
    if len(raw) > MAX_SPANS:
        raise BadInput(f"at most {MAX_SPANS} spans, not {len(raw)}", field="schedule")
    return tuple(_span(i, one) for i, one in enumerate(raw, start=1))


def _span(number: int, raw: Mapping[str, Any]) -> WeekSpan:
    days = tuple(sorted(set(raw.get("days") or ())))
    if not days or any(not isinstance(day, int) or not 0 <= day <= 6 for day in days):
        raise BadInput(f"span {number}: choose one or more days, 0 (Monday) to 6", field="schedule")
    start, end = (_minutes(number, raw.get(name)) for name in ("from", "to"))
    if end <= start:
        raise BadInput(
            f"span {number}: it ends before it begins; split what runs over midnight in two", field="schedule"
        )
    return WeekSpan(days=days, start=start, end=end)


def _minutes(number: int, text: object) -> int:
    match = re.fullmatch(r"(\d{1,2}):(\d{2})", text) if isinstance(text, str) else None
    if not match or int(match[1]) > 24 or int(match[2]) > 59 or (int(match[1]) == 24 and int(match[2])):
        raise BadInput(
            f"span {number}: {text!r:.20} is no time of day; write 08:30, or 24:00 for midnight", field="schedule"
        )
    return int(match[1]) * 60 + int(match[2])


def is_open(schedule: Sequence[WeekSpan], at: EpochMs) -> bool:
    """Whether to sample at a moment."""
    if not schedule:
        return True
    day, minute = (at // MS_PER_DAY + THURSDAY) % 7, at % MS_PER_DAY // MS_PER_MINUTE
    return any(day in span.days and span.start <= minute < span.end for span in schedule)


def next_open(schedule: Sequence[WeekSpan], at: EpochMs) -> EpochMs:
    """The first moment from `at` on at which to sample: now, or the beginning of a minute within a week."""
    if is_open(schedule, at):
        return at
    minute = at - at % MS_PER_MINUTE
    for _ in range(7 * 24 * 60 + 1):
        minute += MS_PER_MINUTE
        if is_open(schedule, EpochMs(minute)):
            return EpochMs(minute)
    raise ValueError("a schedule without an open minute")
