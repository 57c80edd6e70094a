"""The second port to a watched server, beside Source: what can be asked of it on somebody's behalf."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from faena.core.plans.schema import SchemaFacts


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckStep:
    """`ok` None: not reached because an earlier step failed. `needed` False: Faena works without, but sees less."""

    name: str
    ok: bool | None
    found: str
    remedy: str = ""
    needed: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class LogNeed:
    """`ok` False: `remedy` is the exact statement that mends it. `cost` in words, empty where there is none to speak of."""

    name: str
    ok: bool
    found: str
    remedy: str = ""
    cost: str = ""


class Ending(StrEnum):
    """What is to be ended."""

    STATEMENT = "statement"  # its transaction goes on, or is aborted, and keeps its locks until it ends
    SESSION = "session"


@dataclass(frozen=True, slots=True, kw_only=True)
class Ended:
    """`answer` is the server's, in words. `freed` and `still` are those who waited behind it before."""

    answer: str
    done: bool
    freed: Sequence[int]
    still: Sequence[int]


class Inquiry(Protocol):
    """One server, or one database of it. Each question opens a connection of its own; all raise SourceError.

    Of a server without a capability (see profile.py) the question for it is never put.
    """

    def check(self) -> Sequence[CheckStep]:
        """Try the connection step by step. What the server says is in the steps, never an exception."""
        ...

    def explain(self, statement: str, values: Sequence[str | None] | None, *, run: bool, foreign: bool) -> str:
        """A plan as the engine writes it; `values` for the statement's parameters, None: for none in particular.

        `run` measures it once without being able to write; `foreign`: tables of other servers may be asked about.
        Raises BadInput for a statement that is not asked about.
        """
        ...

    def end(self, pid: int, started_s: int, what: Ending, at_least_ms: int) -> Ended:
        """End a statement or a session that is still the same. Raises SourceRefused where it is protected or another."""
        ...

    def schema(self, names: Sequence[str] | None = None) -> SchemaFacts:
        """Its tables and indexes with their statistics; only the tables of some names where they are given."""
        ...
