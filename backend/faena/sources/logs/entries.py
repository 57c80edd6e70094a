"""One entry of a server's log, whatever the form it was written in."""

import re
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from typing import NamedTuple
from zoneinfo import ZoneInfo

# Names that servers print for their time zone and that mean one, in hours east. BST, CST, EST, IST, MST, PST and many
# others mean several: for them, and for names that are not here, the zone must be told.
ZONES = {
    "UTC": 0, "GMT": 0, "Z": 0, "WET": 0, "WEST": 1, "CET": 1, "CEST": 2, "EET": 2, "EEST": 3, "MSK": 3, "JST": 9, "KST": 9,
    "AEST": 10, "AEDT": 11, "NZST": 12, "NZDT": 13, "HKT": 8, "CAT": 2, "EAT": 3, "SAST": 2,
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


def zone_named(name: str) -> tzinfo | None:
    """A time zone by its name in the tz database, as servers have it in log_timezone; None for one that is not known."""
    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError):  # none that this machine knows, not a name, or a folder of names
        return None


class Stamps:
    """Reads time stamps; those of one minute share their work.

    `zone` is what abbreviations mean that mean several zones, or none that is known here; without it such a stamp is
    not read, and `unknown_zones` has its name.
    """

    def __init__(self, zone: tzinfo | None = None) -> None:
        self._zone = zone
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
            year, month, day, hour, minute, second = map(int, fields)
            bare = datetime(year, month, day, hour, minute, second)  # noqa: DTZ001  # its zone comes next
            moment = self._placed(bare, zone or "")
        except (ValueError, OverflowError):
            return -1
        if moment is None:
            return -1
        ms = int(moment.timestamp()) * 1000
        if len(self._minutes) >= _MAX_KEPT:
            self._minutes.clear()
        if fraction and len(fraction) == 3:
            self._minutes[stamp[:17]] = ms - 1000 * second, stamp[23:]
        return ms + int((fraction or "0").ljust(3, "0"))

    def _placed(self, moment: datetime, zone: str) -> datetime | None:
        """With its time zone; None where that cannot be told."""
        if zone[:1] in ("+", "-"):
            digits = zone[1:].replace(":", "").ljust(4, "0")
            minutes = (int(digits[:2]) * 60 + int(digits[2:])) * (-1 if zone[0] == "-" else 1)
            return moment.replace(tzinfo=timezone(timedelta(minutes=minutes)))
        if zone in ZONES:
            return moment.replace(tzinfo=timezone(timedelta(hours=ZONES[zone])))
        if self._zone is not None:
            # In the hour that comes twice in autumn the abbreviation tells which of the two it is.
            both = (moment.replace(tzinfo=self._zone, fold=fold) for fold in (0, 1))
            return next((one for one in both if one.tzname() == zone), moment.replace(tzinfo=self._zone)).astimezone(
                UTC
            )
        if len(self.unknown_zones) < 10:
            self.unknown_zones.add(zone or "none")
        return None
