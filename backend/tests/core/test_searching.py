"""What is typed into the search, and how well texts fit it."""

import pytest
from faena.core.errors import BadInput
from faena.core.searching import Kind, fits, read_words
from hypothesis import given
from hypothesis import strategies as st


def test_words_kinds_servers_and_what_belongs_together() -> None:
    found = read_words('Left  "open by" kind:lead server:PIER-1 IO:DataFileRead')
    assert (found.words, found.kinds, found.servers) == (
        ["left", "open by", "io:datafileread"],
        {Kind.LEAD},
        ["pier-1"],
    )
    assert read_words("kind:deadlock ab").kinds == {Kind.PATTERN}, "also by how it is called on screen"
    assert read_words("kind:s ab").kinds == {Kind.SERVER, Kind.SESSION, Kind.STATEMENT}


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "at least"),
        ("a", "at least"),
        ("kind:lead", "at least"),
        ("ab kind:colour", "there is no kind"),
        ("x" * 201, "at most"),
    ],
)
def test_what_cannot_be_searched_for_is_said(text: str, said: str) -> None:
    with pytest.raises(BadInput, match=said) as refused:
        read_words(text)
    assert refused.value.field == "words"


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        found = read_words(text)
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
