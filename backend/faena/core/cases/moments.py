"""Moments of a case in words."""

from datetime import datetime, tzinfo

from faena.core.units import EpochMs


def moment(at: EpochMs, zone: tzinfo) -> str:
    """Day and minute, with the name of the zone: "2026-11-30 03:10 UTC"."""
    return f"{datetime.fromtimestamp(at / 1000, zone):%Y-%m-%d %H:%M %Z}"
