"""Spans of the week in which a server is sampled."""

from datetime import UTC, datetime

import pytest
from faena.core.errors import BadInput
from faena.core.series.schedule import is_open, next_open, read_schedule
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st

OFFICE = read_schedule([{"days": [0, 1, 2, 3, 4], "from": "08:00", "to": "18:30"}])


def at(text: str) -> EpochMs:
    return EpochMs(int(datetime.fromisoformat(text).replace(tzinfo=UTC).timestamp() * 1000))


def test_office_hours() -> None:
    assert not is_open(OFFICE, at("2026-11-23T07:59:59"))
    assert is_open(OFFICE, at("2026-11-23T08:00:00")), "a Monday"
    assert is_open(OFFICE, at("2026-11-27T18:29:59"))
    assert not is_open(OFFICE, at("2026-11-27T18:30:00"))
    assert not is_open(OFFICE, at("2026-11-28T12:00:00")), "a Saturday"
    assert next_open(OFFICE, at("2026-11-27T18:30:00")) == at("2026-11-30T08:00:00")
    assert next_open(OFFICE, at("2026-11-23T12:34:56")) == at("2026-11-23T12:34:56")


@given(st.integers(0, 4_000_000_000_000))
def test_the_next_open_moment_is_open_and_none_lies_before_it(moment: int) -> None:
    found = next_open(OFFICE, EpochMs(moment))
    assert is_open(OFFICE, found)
    assert found >= moment
    if found > moment:
        assert not is_open(OFFICE, EpochMs(found - 60_000))
    assert is_open((), EpochMs(moment)), "no spans mean always"


@pytest.mark.parametrize(
    ("span", "words"),
    [
        ({"days": [], "from": "08:00", "to": "09:00"}, "choose one or more days"),
        ({"days": [7], "from": "08:00", "to": "09:00"}, "0 .Monday. to 6"),
        ({"days": [1], "from": "8", "to": "09:00"}, "'8' is no time of day"),
        ({"days": [1], "from": "08:00", "to": "24:30"}, "'24:30' is no time of day"),
        ({"days": [1], "from": "22:00", "to": "04:00"}, "split what runs over midnight"),
        ({"days": [1], "from": "08:00"}, "None is no time of day"),
    ],
)
def test_nonsense_is_refused_with_the_span_at_fault(span: dict[str, object], words: str) -> None:
    good = {"days": [0], "from": "00:00", "to": "24:00"}
    with pytest.raises(BadInput, match=words) as refused:
        read_schedule([good, span])
    assert "span 2" in str(refused.value)
    assert refused.value.field == "schedule"
