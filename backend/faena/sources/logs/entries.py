"""One entry of a server's log, whatever the form it was written in."""

import re
from datetime import datetime, timedelta, timezone
from typing import NamedTuple

# Names that servers print for their time zone, in hours east. Others are taken as UTC, and the reader says so.
ZONES = {
    "UTC": 0, "GMT": 0, "Z": 0, "WET": 0, "WEST": 1, "BST": 1, "CET": 1, "CEST": 2, "EET": 2, "EEST": 3, "MSK": 3,
    "EST": -5, "EDT": -4, "CST": -6, "CDT": -5, "MST": -7, "MDT": -6, "PST": -8, "PDT": -7, "JST": 9, "AEST": 10,
}  # fmt: skip
_STAMP = re.compile(r"(\d{4})-(\d\d)-(\d\d)[ T](\d\d):(\d\d):(\d\d)(?:\.(\d{1,3}))? ?([A-Za-z]+|[+-]\d\d(?::?\d\d)?)?")
_MAX_KEPT = 4096


class Entry(NamedTuple):
    """Texts are empty where the log does not tell. `at` in milliseconds since 1970, -1 where it does not tell."""

    at: int
    pid: int
    severity: str
    message: str
    place: int = 0
    user: str = ""
    database: str = ""
    program: str = ""
    client: str = ""
    sqlstate: str = ""
    query_id: int | None = None
    detail: str = ""
    context: str = ""
    statement: str = ""


class Stamps:
    """Reads time stamps; those of one minute share their work."""

    def __init__(self) -> None:
        self._minutes: dict[str, tuple[int, str]] = {}  # its beginning, and what stands behind the fraction
        self.unknown_zones: set[str] = set()

    def read(self, stamp: str) -> int:
        """Milliseconds since 1970; -1 when it is no time stamp."""
        try:
            minute, behind = self._minutes[stamp[:17]]  # as servers write it: 2026-03-01 09:20:00.123 UTC
            if stamp[23:] == behind:
                return minute + int(float(stamp[17:23]) * 1000 + 0.5)
        except (KeyError, ValueError):
            pass
        match = _STAMP.fullmatch(stamp)
        if match is None:
            return -1
        *fields, fraction, zone = match.groups()
        try:
            east = timezone(timedelta(minutes=self._minutes_east(zone or "UTC")))
            year, month, day, hour, minute, second = map(int, fields)
            moment = datetime(year, month, day, hour, minute, second, tzinfo=east)
        except ValueError:
            return -1
        ms = int(moment.timestamp()) * 1000
        if len(self._minutes) >= _MAX_KEPT:
            self._minutes.clear()
        if fraction and len(fraction) == 3:
            self._minutes[stamp[:17]] = ms - 1000 * second, stamp[23:]
        return ms + int((fraction or "0").ljust(3, "0"))

    def _minutes_east(self, zone: str) -> int:
        if zone[0] in "+-":
            digits = zone[1:].replace(":", "").ljust(4, "0")
            return (int(digits[:2]) * 60 + int(digits[2:])) * (-1 if zone[0] == "-" else 1)
        if zone not in ZONES:
            self.unknown_zones.add(zone)
        return ZONES.get(zone, 0) * 60
