"""The trace context that an application writes into a comment of its SQL, so that a session can be told its request."""

import re

# W3C trace context as key and value in a comment, whatever quotes stand around it: version, trace, span, flags.
# What is captured is trace and span. Written so that Python and PostgreSQL read it alike.
TRACEPARENT = "traceparent[=:].{0,4}?[0-9a-f]{2}-([0-9a-f]{32}-[0-9a-f]{16})-[0-9a-f]{2}"
_FORM = re.compile(TRACEPARENT)


def context_of(text: str) -> str:
    """Trace and span as 32 and 16 hexadecimal digits with a hyphen between; empty where the text carries none.

    A server cuts long texts off (track_activity_query_size), and then a comment at the end is lost.
    """
    found = _FORM.search(text)
    return found[1] if found else ""


def parts_of(context: str) -> tuple[bytes, bytes] | None:
    """Identifiers of trace and span; None where it is none that could be in a trace."""
    trace, _, span = context.partition("-")
    if len(trace) != 32 or len(span) != 16:
        return None
    names = bytes.fromhex(trace), bytes.fromhex(span)
    return names if any(names[0]) and any(names[1]) else None
