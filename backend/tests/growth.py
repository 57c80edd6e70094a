"""How the time of a function grows with its input: doubling what it is given may at most double what it takes.

Processor time of this process, so that others on the machine do not count. A quadratic function takes four times as
long for twice the input; between two and four lies what noise does, so the bound is three.
"""

import time
from collections.abc import Callable, Iterator, Sequence

SIZE = 6_000  # characters; a quadratic function takes a second for them, a linear one milliseconds
TOO_SHORT_S = 0.06  # of which nothing can be told, and need not be
BOUND = 3.0

# What is repeated, alone and behind what makes a reader take it in.
UNITS = (
    "(", ")", "()", "'", "''", '"', "$", "$a$", "$$", "/*", "*/", "--", "--\n", " ", "\n", "\t", "\n\t", ",", "1,", "?,", "(?,",
    "$1 ", "\\", "\\'", "E'\\'", "e''", "[", "[1] ", "{", "}", "{\"a\":", "<a>", "&a ", "a", "a ", "a.", "a(", "1", "1.", "-1",
    "- ", "+", " on ", " using x", " from ", "from (", "select ", "with x as (", "as (", ") as (", "->  ", "Key (", ")=(",
    ": ", ":  ", "=", " = '", "::", " AND ", " OR ", "~~ '%", "x@y ", "LOG:  ", "ERROR:  ", "DETAIL:  ", "duration: 1 ms  ",
    "Process 1 waits for XLock on ", "; blocked by process 1.\n", "Query Text: ", "Plan:", "(cost=", " (actual ", "SubPlan 1\n",
    "é", "\ud800", "\0",
)  # fmt: skip
HEADS = ("", "SELECT ")  # a reader may have others, behind which it takes in what it is given


def inputs(size: int, heads: Sequence[str]) -> Iterator[tuple[str, str]]:
    """(name, text) of about so many characters."""
    for head in heads:
        for unit in UNITS:
            yield f"{head[:20]!r} + {unit!r} …", head + unit * (size // len(unit)) + "y"


def seconds(call: Callable[[str], object], text: str) -> float:
    begun = time.process_time()
    call(text)
    return time.process_time() - begun


def growing_faster(call: Callable[[str], object], heads: Sequence[str] = HEADS) -> list[str]:
    """Inputs for which the function takes more than BOUND times as long when they are twice as large."""
    found = []
    for (name, once), (_, twice) in zip(inputs(SIZE, heads), inputs(2 * SIZE, heads), strict=True):
        if seconds(call, once) < TOO_SHORT_S:
            continue
        # Each pair right after the other, the best of up to four: a machine busy elsewhere slows one and not both.
        ratio = BOUND
        for _ in range(4):
            ratio = seconds(call, twice) / max(seconds(call, once), 1e-3)
            if ratio <= BOUND:
                break
        else:
            found.append(f"{name}: twice the input takes {ratio:.1f} times as long")
    return found
