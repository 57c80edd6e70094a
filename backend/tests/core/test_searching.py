"""What is typed into the search, and how well texts fit it."""

import pytest
from faena.core.errors import BadInput
from faena.core.searching import Kind, fits, read_words
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st

NOW = EpochMs(1_795_867_200_000)  # 2026-11-28 12:00
DAY_MS = 86_400_000


def test_words_kinds_servers_and_what_belongs_together() -> None:
    found = read_words('Left  "open by" kind:lead server:PIER-1 IO:DataFileRead', NOW)
    assert (found.words, found.kinds, found.servers) == (
        ["left", "open by", "io:datafileread"],
        {Kind.LEAD},
        ["pier-1"],
    )
    assert read_words("kind:deadlock ab", NOW).kinds == {Kind.PATTERN}, "also by how it is called on screen"
    assert read_words("kind:s ab", NOW).kinds == {Kind.SERVER, Kind.SESSION, Kind.STATEMENT}


@pytest.mark.parametrize(
    ("text", "since", "until"),
    [
        ("ab", None, None),
        ("ab since:3d", NOW - 3 * DAY_MS, None),
        ("since:90min ab until:1h", NOW - 5_400_000, NOW - 3_600_000),
        ("ab since:2026-11-27T12:00", NOW - DAY_MS, None),
        ("ab until:2026-11-28", None, NOW - DAY_MS // 2),
    ],
)
def test_moments_are_days_and_minutes_or_how_long_ago(text: str, since: int | None, until: int | None) -> None:
    found = read_words(text, NOW)
    assert (found.words, found.since, found.until) == (["ab"], since, until)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "at least"),
        ("a", "at least"),
        ("kind:lead", "at least"),
        ("ab kind:colour", "there is no kind"),
        ("x" * 201, "at most"),
        ("ab since:yesterday", "since:yesterday cannot be read"),
        ("ab since:99999999d", "cannot be read"),
        ("ab since:2026-11-20 until:2026-11-19", "must lie before"),
        ("ab since:2126-11-20", "must lie before"),
    ],
)
def test_what_cannot_be_searched_for_is_said(text: str, said: str) -> None:
    with pytest.raises(BadInput, match=said) as refused:
        read_words(text, NOW)
    assert refused.value.field == "words"


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        found = read_words(text, NOW)
    except BadInput:
        return
    assert all(one and one == one.lower() for one in found.words)


def test_what_fits_better_comes_first() -> None:
    texts = ["gate", "gate-scan", "the gate", "investigate", "the long gate of the pier"]
    assert sorted(texts, key=lambda one: -fits(one, ["gate"])) == [
        "gate",
        "gate-scan",
        "the gate",
        "the long gate of the pier",
        "investigate",
    ]
    assert fits("gate-scan", ["gate", "scan"]) > 0
    assert fits("gate-scan", ["gate", "pier"]) == 0


@given(st.text(), st.lists(st.text(min_size=1), min_size=1))
def test_a_text_fits_when_all_words_are_in_it(text: str, words: list[str]) -> None:
    low = [one.lower() for one in words]
    assert (fits(text, low) > 0) == all(one in text.lower() for one in low)
