"""Conditions on statements, as a person builds them: a measure against a number, a name that is or is not."""

import operator
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from faena.core.errors import BadInput

NUMBERS = (
    "total_ms", "mean_ms", "calls", "rows", "stddev_ms", "plan_ms", "blocks_hit", "blocks_read", "read_ms", "temp_written",
    "wal_bytes", "share", "errors", "change", "sessions", "on_cpu", "disk_read_rate", "disk_write_rate",
)  # fmt: skip
NAMES = ("user", "database", "table")
_COMPARE: Mapping[str, Callable[[float, float], bool]] = {
    ">=": operator.ge, "<=": operator.le, ">": operator.gt, "<": operator.lt, "=": operator.eq,
}  # fmt: skip
_NUMBER = re.compile(rf"({'|'.join(NUMBERS)})\s*(>=|<=|>|<|=)\s*(-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?)")
_NAME = re.compile(rf"({'|'.join(NAMES)})\s*(=|!=)\s*(.{{1,200}})", re.DOTALL)


@dataclass(frozen=True, slots=True)
class NumberCondition:
    """A figure that a statement lacks (a spread of one call) fulfils no condition."""

    field: str
    sign: str
    bound: float

    def fits(self, value: float | None) -> bool:
        return value is not None and _COMPARE[self.sign](value, self.bound)


@dataclass(frozen=True, slots=True)
class NameCondition:
    field: str
    wanted: bool
    name: str


Condition = NumberCondition | NameCondition


def read_conditions(written: Iterable[str]) -> list[Condition]:
    """From "mean_ms >= 10" or "user != report". Raises BadInput naming the one that cannot be read."""
    found: list[Condition] = []
    for one in written:
        if number := _NUMBER.fullmatch(one.strip()):
            found.append(NumberCondition(number[1], number[2], float(number[3])))
        elif name := _NAME.fullmatch(one.strip()):
            found.append(NameCondition(name[1], name[2] == "=", name[3].strip()))
        else:
            raise BadInput(
                f"{one!r:.60} is no condition; write one of {', '.join(NUMBERS)} with >= <= > < = and a number, or one of "
                f"{', '.join(NAMES)} with = or != and a name",
                field="where",
            )
    return found


def of_field(conditions: Sequence[Condition], field: str) -> tuple[list[str], list[str]]:
    """Names of a field that are wanted, and that are not."""
    named = [one for one in conditions if isinstance(one, NameCondition) and one.field == field]
    return [one.name for one in named if one.wanted], [one.name for one in named if not one.wanted]
