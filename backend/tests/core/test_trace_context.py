"""Trace contexts in comments: found however they are quoted, and nothing else taken for one."""

import pytest
from faena.core.requests.context import context_of, parts_of
from hypothesis import given
from hypothesis import strategies as st

TRACE, SPAN = "0af7651916cd43dd8448eb211c80319c", "b7ad6b7169203331"
PARENT = f"00-{TRACE}-{SPAN}-01"


@pytest.mark.parametrize(
    "text",
    [
        f"SELECT 1 /*db_driver='psycopg',traceparent='{PARENT}'*/",
        f"/* traceparent: {PARENT} */ SELECT 1",
        f"SELECT 1 -- traceparent=%27{PARENT}%27",
        f'SELECT 1 /*traceparent="{PARENT}",tracestate=a%3D1*/',
    ],
)
def test_it_is_found_in_every_form_that_is_written(text: str) -> None:
    assert context_of(text) == f"{TRACE}-{SPAN}"


@pytest.mark.parametrize(
    "text",
    [
        "SELECT 'traceparent'",
        f"SELECT '{PARENT}'",
        f"SELECT 1 /*traceparent='{PARENT[:-4]}",  # cut off by the server
        f"SELECT 1 /*traceparent='{PARENT.upper()}'*/",
        f"SELECT 1 /*traceparent='00-{TRACE[:-1]}-{SPAN}-01'*/",
    ],
)
def test_what_is_none_or_is_cut_off_is_none(text: str) -> None:
    assert context_of(text) == ""


def test_identifiers_of_nothing_but_zeros_name_no_trace() -> None:
    assert parts_of(f"{TRACE}-{SPAN}") == (bytes.fromhex(TRACE), bytes.fromhex(SPAN))
    assert parts_of(f"{TRACE}-{'0' * 16}") is None
    assert parts_of(f"{'0' * 32}-{SPAN}") is None
    assert parts_of("") is None


@given(st.text(max_size=60), st.binary(min_size=16, max_size=16), st.binary(min_size=8, max_size=8))
def test_whatever_stands_before_it(before: str, trace: bytes, span: bytes) -> None:
    text = f"{before}/*traceparent='00-{trace.hex()}-{span.hex()}-00'*/"
    found = context_of(text)
    assert found if "traceparent" in before else found == f"{trace.hex()}-{span.hex()}"
