"""Cases as files: what goes out comes in the same, hostile texts stay texts, and what is no case is refused by its part."""

import json
from datetime import UTC
from html.parser import HTMLParser
from typing import Any

import pytest
from faena.core.cases.casefile import (
    About,
    CaseFile,
    CaseState,
    Comment,
    Evidence,
    EvidenceKind,
    Figures,
    Link,
    from_plain,
    to_plain,
)  # fmt: skip
from faena.core.cases.markdown import SHOWN_ROWS, as_markdown
from faena.core.cases.page import as_page, from_page
from faena.core.cases.pictures import LARGEST_SVG, checked_svg
from faena.core.cases.prose import to_html
from faena.core.errors import BadInput
from faena.core.spreadsheets import harmless
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st

AT = EpochMs(1_796_000_000_000)
SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="3"><script>alert(1)</script><rect width="3"/></svg>'
HOSTILE = "</script><script>alert(1)</script><img src=x onerror=alert(2)> | a | `b` \u2028 [x](javascript:alert(3)) ![p](http://pier.example/p.png)"


def case(**more: Any) -> CaseFile:
    evidence = Evidence(
        kind=EvidenceKind.VIEW, title=HOSTILE[:200], at=AT, by="ada", server="pier-1", sentence=HOSTILE, link="/servers/1/load",
        lines=[HOSTILE], svg=SVG, figures=Figures(columns=["a", HOSTILE], rows=[[1.5, None], ["=1+1", HOSTILE]]), note=HOSTILE,
    )  # fmt: skip
    return CaseFile(
        **{
            "title": HOSTILE, "state": CaseState.OPEN, "made": AT, "by": "ada", "address": "https://faena.example", "conclusion": HOSTILE,
            "people": ["ada"], "evidence": [evidence], "comments": [Comment(at=AT, by=HOSTILE[:150], text=HOSTILE)],
            "links": [Link(about=About.LEAD, server="pier-1", key="abc", title=HOSTILE[:200])],
        } | more
    )  # fmt: skip


class Seen(HTMLParser):
    """What a browser makes of a page: tags with their attributes."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))


def test_what_goes_out_comes_in_the_same() -> None:
    assert from_plain(json.loads(json.dumps(to_plain(case())))) == case()
    assert from_page(as_page(case(), UTC)) == case()
    assert from_page(json.dumps(to_plain(case()))) == case()


@given(
    st.text(),
    st.text(),
    st.one_of(st.text(), st.none(), st.integers(), st.floats(allow_nan=False, allow_infinity=False)),
)
def test_any_text_comes_back_from_the_page(title: str, note: str, cell: Any) -> None:
    title, note = title.replace("\0", "")[:200], note.replace("\0", "")
    one = Evidence(
        kind=EvidenceKind.VIEW,
        title=title,
        at=AT,
        by="",
        lines=[],
        note=note,
        figures=Figures(columns=["a"], rows=[[cell]]),
    )
    whole = case(title=title or "a", conclusion=note, evidence=[one])
    assert from_page(as_page(whole, UTC)) == whole


def test_nothing_that_is_in_a_case_runs_or_fetches_when_its_page_is_opened() -> None:
    seen = Seen()
    seen.feed(as_page(case(), UTC))
    scripts = [attributes for tag, attributes in seen.tags if tag == "script"]
    assert scripts == [{"type": "application/json", "id": "case"}]
    images = [str(attributes["src"])[:30] for tag, attributes in seen.tags if tag == "img"]
    assert images == ["data:image/svg+xml;base64,PHN2"]
    links = [str(attributes.get("href")) for tag, attributes in seen.tags if tag == "a"]
    assert links[1] == "https://faena.example/servers/1/load"
    assert set(links) == {"https://faena.example/servers/1/load", "http://pier.example/p.png"}, "a picture is a link"
    assert not [one for _, attributes in seen.tags for one in attributes if one.startswith("on")]
    policy = next(attributes["content"] for tag, attributes in seen.tags if tag == "meta" and "content" in attributes)
    assert str(policy).startswith("default-src 'none'")


@given(st.text())
def test_what_people_write_becomes_no_script_and_no_picture(text: str) -> None:
    for written in (text, f"{HOSTILE}{text}", f"<svg onload={text}>", f"[a]({text})"):
        seen = Seen()
        seen.feed(to_html(written))
        assert not {tag for tag, _ in seen.tags} & {"script", "img", "svg", "iframe", "style", "object"}
        for _, attributes in seen.tags:
            assert not [one for one in attributes if one.startswith("on")]
            assert not str(attributes.get("href", "")).lower().strip().startswith(("javascript:", "data:", "vbscript:"))


def test_markdown_is_read_as_people_write_it() -> None:
    html = to_html(
        "It was **the index**.\n\n- one\n- two\n\n| a | b |\n| - | - |\n| 1 | 2 |\n\n`SELECT 1` [docs](https://quay.example)"
    )
    for part in (
        "<strong>the index</strong>",
        "<li>one</li>",
        "<td>2</td>",
        "<code>SELECT 1</code>",
        'href="https://quay.example"',
    ):
        assert part in html


def test_a_case_in_markdown_has_all_in_order_and_hostile_texts_as_texts() -> None:
    second = Evidence(kind=EvidenceKind.LEAD, title="A lead", at=AT, by="bo", lines=["first", "then"])
    many = Evidence(
        kind=EvidenceKind.VIEW,
        title="Rows",
        at=AT,
        by="bo",
        figures=Figures(columns=["n"], rows=[[n] for n in range(50)]),
    )
    text = as_markdown(
        case(title="Slow | at nine", conclusion="It was the index.", evidence=[*case().evidence, second, many]), UTC
    )
    order = [
        "# Slow \\| at nine",
        "## Conclusion",
        "It was the index.",
        "## 1.",
        "pictures/1.svg",
        "figures/1.csv",
        "## 2. A lead",
        "1. first",
        "2. then",
        "## 3. Rows",
        "| 39 |",
        "10 more rows",
        "## Comments",
    ]
    places = [text.index(part) for part in order]
    assert places == sorted(places)
    assert "| 40 |" not in text
    assert SHOWN_ROWS == 40
    assert "\n# <" not in text


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"format": "a list"}, "file"),
        ({"version": 2}, "file"),
        ({"state": "lost"}, "state"),
        ({"made": "noon"}, "made"),
        ({"title": "x" * 201}, "title"),
        ({"evidence": [1]}, "file"),
        ({"evidence": {"a": 1}}, "evidence"),
        ({"comments": [{}] * 1001}, "comments"),
        ({"evidence": [{"kind": "view", "title": "a", "at": 1, "link": "https://elsewhere.example"}]}, "link"),
        ({"evidence": [{"kind": "view", "title": "a", "at": 1, "link": "//elsewhere.example"}]}, "link"),
        ({"evidence": [{"kind": "view", "title": "a", "at": 1, "svg": "<html/>"}]}, "svg"),
        ({"evidence": [{"kind": "view", "title": "a", "at": 1, "figures": {"columns": ["a"], "rows": [[1, 2]]}}]}, "figures"),
    ],
)  # fmt: skip
def test_what_is_no_case_is_refused_by_the_part_at_fault(change: dict[str, Any], field: str) -> None:
    with pytest.raises(BadInput) as refused:
        from_plain(to_plain(case()) | change)
    assert refused.value.field == field


@pytest.mark.parametrize(
    "text",
    ["", "<html></html>", "[]", "null", "{", "[" * 100_000, '<script type="application/json" id="case">{</script>'],
)
def test_a_file_without_a_case_is_refused(text: str) -> None:
    with pytest.raises(BadInput) as refused:
        from_page(text)
    assert refused.value.field == "file"


@pytest.mark.parametrize(
    "svg",
    [
        "", "<svg/>", "<html xmlns='http://www.w3.org/2000/svg'/>", "no picture", 5, SVG + "x" * LARGEST_SVG, SVG[:40],
        '<!DOCTYPE svg [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>',
    ],
)  # fmt: skip
def test_what_is_no_picture_is_refused(svg: Any) -> None:
    with pytest.raises(BadInput):
        checked_svg(svg)


@pytest.mark.parametrize("value", ["=1+1", "+1", "-1", "@a", "\t=1", "\r=1"])
def test_no_cell_is_a_formula(value: str) -> None:
    assert harmless(value) == f"'{value}"
    assert harmless(-1) == -1
    assert harmless("plain") == "plain"
