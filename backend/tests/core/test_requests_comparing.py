"""Requests beside others: what came, what went, what is run more often; and what may stand beside a window."""

import pytest
from faena.core.errors import BadInput, BadWindow
from faena.core.requests.comparing import Beside, Change, Use, calls_of, changes, read_beside, statements_of
from faena.core.requests.layers import Layer
from faena.core.requests.request import requests_of
from faena.core.requests.span import NANOSECONDS, Span, SpanKind
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from hypothesis import given
from hypothesis import strategies as st

WINDOW = Window(start=EpochMs(1_790_000_000_000), end=EpochMs(1_790_000_900_000))
USES = st.builds(Use, runs=st.floats(0, 100), ms=st.floats(0, 1e4))
SIDES = st.dictionaries(st.sampled_from("abcdef"), USES)


@pytest.mark.parametrize(
    ("now", "before", "wanted"),
    [
        (1.0, 0.0, Change.ADDED),
        (0.0, 1.0, Change.GONE),
        (77.0, 1.0, Change.MORE),
        (1.0, 77.0, Change.FEWER),
        (1.2, 1.0, Change.SAME),
        (0.02, 0.0, Change.SAME),  # one request in fifty is no habit
        (0.3, 0.1, Change.SAME),  # three times as often, and still seldom
        (0.06, 0.004, Change.ADDED),
        (0.0, 0.0, Change.SAME),
    ],
)
def test_what_came_went_or_is_run_more_often(now: float, before: float, wanted: Change) -> None:
    (found,) = changes({"a": Use(runs=now)}, {"a": Use(runs=before)})
    assert found.change is wanted


@given(SIDES, SIDES)
def test_the_other_way_round_all_is_reversed(now: dict[str, Use], before: dict[str, Use]) -> None:
    opposite = {
        Change.ADDED: Change.GONE,
        Change.GONE: Change.ADDED,
        Change.MORE: Change.FEWER,
        Change.FEWER: Change.MORE,
    }
    there = {one.what: one for one in changes(now, before)}
    back = {one.what: one for one in changes(before, now)}
    assert there.keys() == back.keys() == now.keys() | before.keys()
    for what, one in there.items():
        assert back[what].change is opposite.get(one.change, one.change)
        assert back[what].by_ms == -one.by_ms
    assert [abs(one.by_ms) for one in there.values()] == sorted(
        (abs(one.by_ms) for one in there.values()), reverse=True
    )


def span(own: int, above: int, name: str, start: int, ms: int, **attributes: str) -> Span:
    kind = SpanKind.CLIENT if above else SpanKind.SERVER
    return Span(
        trace=b"t" * 16, id=own.to_bytes(8), parent=above.to_bytes(8) if above else b"", name=name, kind=kind,
        start=start * NANOSECONDS, end=(start + ms) * NANOSECONDS, attributes={k.replace("_", "."): v for k, v in attributes.items()},
    )  # fmt: skip


def test_a_request_counts_its_statements_and_calls_each_with_its_time() -> None:
    runs = [span(2 + i, 1, "SELECT", 10 * i, 3, db_system="postgresql", db_statement=f"SELECT {i}") for i in range(4)]
    call = span(
        9, 1, "GET", 50, 20, server_address="authority", http_request_method="GET", url_full="http://authority/x"
    )
    (request,) = requests_of([span(1, 0, "GET /x", 0, 100, http_route="/x"), *runs, call])
    ((_, ran),) = statements_of(request).items()
    assert ran == Use(runs=4, ms=12)
    (((layer, _), called),) = calls_of(request).items()
    assert (layer, called) == (Layer.EXTERNAL, Use(runs=1, ms=20))


@pytest.mark.parametrize(
    ("text", "earlier_ms", "version"),
    [
        ("", 900_000, ""),
        ("hour", MS_PER_HOUR, ""),
        ("day", 24 * MS_PER_HOUR, ""),
        ("week", 168 * MS_PER_HOUR, ""),
        ("version:3.0", 0, "3.0"),
    ],
)
def test_what_may_stand_beside_a_window(text: str, earlier_ms: int, version: str) -> None:
    window = Window(start=EpochMs(WINDOW.start - earlier_ms), end=EpochMs(WINDOW.end - earlier_ms))
    assert read_beside(text, WINDOW) == Beside(window=window, version=version)


def test_any_other_window_may_stand_beside_it() -> None:
    assert read_beside("5~9", WINDOW).window == Window(start=EpochMs(5), end=EpochMs(9))
    assert read_beside("version:a~b", WINDOW).version == "a~b"


@pytest.mark.parametrize(
    "text", ["month", "version:", "5", "5~", "a~b", "9~5", "-1~5", "٣~٩", "1" * 30 + "~" + "9" * 30]
)
def test_nonsense_is_told_as_such(text: str) -> None:
    with pytest.raises((BadInput, BadWindow)):
        read_beside(text, WINDOW)
