"""How the command talks: steps with their time, and trouble in one clear sentence."""

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager


class Trouble(Exception):
    """Ends the command with a sentence that says what is wrong and what to do. Everything started is stopped first."""


def say(text: str) -> None:
    print(text, flush=True)


@contextmanager
def step(name: str) -> Iterator[Callable[[str], None]]:
    """Print the name, do the work, print the seconds it took. What it yields says in between how far the work is."""
    print(f"  {name} ", end="", flush=True)
    begun = time.monotonic()
    try:
        yield lambda words: print(f"{words} ", end="", flush=True)
    except BaseException:
        print("✗", flush=True)
        raise
    print(f"✓ {time.monotonic() - begun:.1f} s", flush=True)


def warn(text: str) -> None:
    print(f"faena: {text}", file=sys.stderr, flush=True)
