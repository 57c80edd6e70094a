"""What a server knows about its tables and indexes: the ground for judging and proposing indexes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnFacts:
    """Statistics as ANALYZE left them. `distinct` below zero is a share of the rows, as the server keeps it."""

    name: str
    type: str
    width: int
    null_share: float = 0.0
    distinct: float = -1.0
    common: Mapping[str, float] = field(default_factory=dict)  # most common values and their shares
    bounds: Sequence[str] = ()  # of the histogram of the others
    correlation: float = 0.0  # of the order on disk with the order of values


@dataclass(frozen=True, slots=True, kw_only=True)
class IndexFacts:
    """One index. `columns` in order, as they are written; counts since `TableFacts.counted_since`.

    `traits` of each column are what makes it serve other comparisons or another order than plain ones: a collation, an
    operator class, where its nulls stand.
    """

    name: str
    columns: tuple[str, ...]
    descending: tuple[bool, ...] = ()  # empty: none is
    traits: tuple[str, ...] = ()  # empty: none has any
    included: tuple[str, ...] = ()
    predicate: str = ""
    method: str = "btree"
    unique: bool = False
    primary: bool = False
    constraint: bool = False
    attached: bool = False  # part of an index of the partitioned table, which cannot be without it
    valid: bool = True
    size_bytes: int = 0
    scans: int = 0
    definition: str = ""

    @property
    def ways(self) -> tuple[bool, ...]:
        """Of each column, whether it descends."""
        return self.descending or (False,) * len(self.columns)

    @property
    def all_traits(self) -> tuple[str, ...]:
        return self.traits or ("",) * len(self.columns)

    def begins_like(self, other: "IndexFacts") -> bool:
        """Whether its first columns are those of `other`, in the same order or in that order backwards."""
        width = len(other.columns)
        turned = {mine != theirs for mine, theirs in zip(self.ways, other.ways, strict=False)}
        return (
            self.columns[:width] == other.columns and self.all_traits[:width] == other.all_traits and len(turned) <= 1
        )

    @property
    def written(self) -> str:
        """Its columns as CREATE INDEX writes them, with what it carries along and where it applies."""
        keys = [
            " ".join(filter(None, (column, trait, "DESC" if down else "")))
            for column, trait, down in zip(self.columns, self.all_traits, self.ways, strict=True)
        ]
        carried = f" INCLUDE ({', '.join(self.included)})" if self.included else ""
        return f"({', '.join(keys)}){carried}{f' WHERE {self.predicate}' if self.predicate else ''}"


@dataclass(frozen=True, slots=True, kw_only=True)
class TableFacts:
    """One table, or partition of the table `partition_of`.

    Counts are since `counted_since`; moments are None where it never happened.
    """

    schema: str
    name: str
    rows: float
    pages: float
    size_bytes: int
    visible_pages: float = 0.0  # whose rows all can see, as VACUUM noted: an index alone answers for them
    columns: Mapping[str, ColumnFacts] = field(default_factory=dict)
    indexes: Sequence[IndexFacts] = ()
    inserted: int = 0
    updated: int = 0
    updated_in_place: int = 0  # HOT: without a new entry in any index
    deleted: int = 0
    dead: int = 0
    changed_since_analyze: int = 0
    analyzed_at: EpochMs | None = None
    vacuumed_at: EpochMs | None = None
    counted_since: EpochMs | None = None
    partition_of: str = ""
    parts: int = 1  # of a partitioned table, as `whole` makes it: how many partitions stand behind it

    @property
    def full_name(self) -> str:
        """For reading; how statements write it is the engine's matter."""
        return self.name if self.schema == "public" else f"{self.schema}.{self.name}"


@dataclass(frozen=True, slots=True, kw_only=True)
class CostSettings:
    """The planner's own units, by their names in the server."""

    seq_page_cost: float = 1.0
    random_page_cost: float = 4.0
    cpu_tuple_cost: float = 0.01
    cpu_index_tuple_cost: float = 0.005
    cpu_operator_cost: float = 0.0025
    effective_cache_pages: float = 524_288.0
    block_size: int = 8192
    keeps_lists: bool = True  # the rows of one key in a B-tree, since version 13


@dataclass(frozen=True, slots=True, kw_only=True)
class ForeignKey:
    """Rows of `table` that point to rows of `references` by `columns`."""

    name: str
    schema: str
    table: str
    columns: tuple[str, ...]
    references: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SchemaFacts:
    """Of one database at one moment. `told_by_plan`: read out of a plan alone, so there are no statistics."""

    at: EpochMs
    database: str
    tables: Sequence[TableFacts]
    costs: CostSettings
    foreign_keys: Sequence[ForeignKey] = ()
    told_by_plan: bool = False

    def table(self, name: str, schema: str = "") -> TableFacts | None:
        """By name; in the schema if one is given, else wherever it is, public first."""
        found = [one for one in self.tables if one.name == name and schema in ("", one.schema)]
        return min(found, key=lambda one: one.schema != "public", default=None)

    def whole(self, partition: TableFacts) -> TableFacts:
        """The partitioned table of a partition, whose indexes are those that all partitions have."""
        parts = [one for one in self.tables if one.partition_of == partition.partition_of]
        shared = [
            index
            for index in partition.indexes
            if all(any(_alike(index, other) for other in one.indexes) for one in parts)
        ]
        return replace(
            partition,
            name=partition.partition_of,
            rows=sum(one.rows for one in parts),
            pages=sum(one.pages for one in parts),
            size_bytes=sum(one.size_bytes for one in parts),
            visible_pages=sum(one.visible_pages for one in parts),
            inserted=sum(one.inserted for one in parts),
            updated=sum(one.updated for one in parts),
            updated_in_place=sum(one.updated_in_place for one in parts),
            indexes=shared,
            partition_of="",
            parts=len(parts),
        )


def _alike(one: IndexFacts, other: IndexFacts) -> bool:
    return (one.method, one.written, one.unique) == (other.method, other.written, other.unique)
