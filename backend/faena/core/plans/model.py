"""A plan as steps. Times in milliseconds, sizes in the server's blocks or kilobytes as it tells them."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import NamedTuple

from faena.core.errors import BadInput

MAX_STEPS = 20_000  # refuse rather than stall: reading happens inside a web request


class BadPlan(BadInput):
    """Not a plan that we can read; the message says where reading stopped and what would be understood."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason, field="plan")


class Actual(NamedTuple):
    """What a step did. Times and rows are means over `loops`, which counts every process that ran it."""

    loops: float
    rows: float
    startup_ms: float | None = None  # None: timing was off
    total_ms: float | None = None


class Blocks(NamedTuple):
    """Blocks a step and all below it touched; times None unless I/O timing was on."""

    hit: int = 0
    read: int = 0
    dirtied: int = 0
    written: int = 0
    temp_read: int = 0
    temp_written: int = 0
    read_ms: float | None = None
    write_ms: float | None = None


class Step(NamedTuple):
    """One step. A tuple as Execution is one: a plan can have thousands, and reading one must not take long.

    `relation` is what hangs it to its parent: Outer, Inner, InitPlan, SubPlan, Member, Subquery.

    `conditions` by the plan's own names: Filter, Index Cond, Hash Cond, Join Filter … ; `details` is everything else that
    was said, so that nothing is lost.
    """

    kind: str
    relation: str = ""
    label: str = ""  # name of an InitPlan, SubPlan or CTE
    table: str = ""
    schema: str = ""
    alias: str = ""
    index: str = ""  # type: ignore[assignment]  # hides the method of tuples, which nobody calls on a step
    join: str = ""  # Inner, Left, Semi, Anti …
    strategy: str = ""
    parallel: bool = False
    cost_start: float | None = None
    cost_total: float | None = None
    rows_planned: float | None = None
    width: int | None = None
    actual: Actual | None = None
    never: bool = False  # planned, and never executed
    conditions: Mapping[str, str] = MappingProxyType({})
    keys: Mapping[str, tuple[str, ...]] = MappingProxyType({})  # Sort Key, Group Key, Presorted Key
    removed_filter: float = 0.0  # rows thrown away, mean over loops
    removed_join: float = 0.0
    removed_recheck: float = 0.0
    sort_method: str = ""
    sort_kb: float | None = None
    sort_on_disk: bool = False
    hash_batches: int | None = None
    hash_kb: float | None = None
    disk_kb: float | None = None
    heap_fetches: float | None = None
    heap_exact: float | None = None
    heap_lossy: float | None = None
    workers_planned: int | None = None
    workers_launched: int | None = None
    subplans_removed: int = 0
    blocks: Blocks | None = None
    details: Mapping[str, object] = MappingProxyType({})
    children: tuple["Step", ...] = ()

    @property
    def executed(self) -> bool:
        return self.actual is not None and self.actual.loops > 0

    @property
    def rows(self) -> float | None:
        """Rows in all, over all loops and processes; None when it was not run or did not count."""
        return None if self.actual is None else self.actual.rows * self.actual.loops

    @property
    def target(self) -> str:
        """What it reads, in words: table, alias where it differs, index."""
        name = f"{self.schema}.{self.table}" if self.schema and self.schema != "public" else self.table
        alias = f" {self.alias}" if self.alias and self.alias != self.table else ""
        index = f"{self.index} on " if self.index and name else self.index
        return f"{index}{name}{alias}".strip()


@dataclass(frozen=True, slots=True, kw_only=True)
class Trigger:
    """`calls` times fired, `ms` in all. `constraint` is the one that it checks, `table` what was changed."""

    name: str
    ms: float
    calls: int
    table: str = ""
    constraint: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Jit:
    functions: int
    total_ms: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A plan and what was said around it. `form` is how it was written: text, json, yaml or xml."""

    root: Step
    form: str
    statement: str = ""
    query_id: int | None = None
    planning_ms: float | None = None
    execution_ms: float | None = None
    triggers: tuple[Trigger, ...] = ()
    jit: Jit | None = None
    settings: Mapping[str, str] = field(default_factory=dict)

    @property
    def analysed(self) -> bool:
        """Whether it was run, and not only planned."""
        return self.root.actual is not None or self.root.never


def walk(root: Step) -> Iterator[tuple[int, Step]]:
    """Pre-order (depth, step). A stack, because the depth is the input's choice, not ours."""
    stack = [(0, root)]
    while stack:
        depth, step = stack.pop()
        yield depth, step
        stack.extend((depth + 1, child) for child in reversed(step.children))
