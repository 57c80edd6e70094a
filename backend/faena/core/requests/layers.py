"""Which layer a span's time belongs to: own code, database, cache, external or queue."""

import re
from typing import Final

from faena.core.labels import Labelled
from faena.core.requests.span import Span, SpanKind


class Layer(Labelled):
    """Where the time of a request goes."""

    OWN = "own", "own code"
    DATABASE = "database", "database"
    CACHE = "cache", "cache"
    EXTERNAL = "external", "external"
    QUEUE = "queue", "queue", "waiting for a free connection, or for a message"


# As the semantic conventions name them, today and before.
SQL_SYSTEMS: Final = frozenset([
    "actian.ingres", "aws.redshift", "cache", "clickhouse", "cloudscape", "cockroachdb", "databricks", "db2",
    "derby", "duckdb", "edb", "filemaker", "firebird", "firebirdsql", "firstsql", "gcp.spanner", "greenplum", "h2",
    "h2database", "hanadb", "hive", "hsqldb", "ibm.db2", "ibm.informix", "ibm.netezza", "informix", "ingres",
    "instantdb", "interbase", "intersystems.cache", "intersystems_cache", "mariadb", "maxdb", "microsoft.sql_server",
    "mssql", "mssqlcompact", "mysql", "netezza", "oracle", "oracle.db", "other_sql", "pervasive", "pointbase",
    "postgresql", "progress", "redshift", "sap.hana", "sap.maxdb", "snowflake", "spanner", "sqlite", "sybase",
    "teradata", "tidb", "trino", "vertica", "yugabytedb",
])  # fmt: skip
CACHES: Final = frozenset(("redis", "memcached", "valkey"))
_WAITS, _FOR = frozenset(("wait", "waiting", "acquire", "checkout")), frozenset(("pool", "connection", "queue"))
_RECEIVING: Final = ("messaging.operation", "messaging.operation.type", "messaging.operation.name")
CALLS: Final = ("http.", "rpc.", "messaging.", "url.")
_WORD = re.compile(r"[^\W\d_]+")
STATEMENT: Final = ("db.query.text", "db.statement")


def layer_of(span: Span, top: Span) -> Layer:
    """The layer of a span of the request that begins with `top`; the first rule that fits decides."""
    topmost = span is top
    if topmost and span.kind in (SpanKind.SERVER, SpanKind.CONSUMER):
        return Layer.OWN
    if not topmost and span.service == top.service and not span.text(*STATEMENT) and _queues(span):
        return Layer.QUEUE
    if system := span.text("db.system.name", "db.system").lower():
        if system in SQL_SYSTEMS:
            return Layer.DATABASE
        return Layer.CACHE if system in CACHES else Layer.EXTERNAL
    if span.service != top.service:
        return Layer.EXTERNAL
    calls = span.kind in (SpanKind.CLIENT, SpanKind.PRODUCER) or (span.kind is SpanKind.UNSPECIFIED and not topmost)
    if calls and any(key.startswith(CALLS) for key in span.attributes):
        return Layer.EXTERNAL
    return Layer.OWN


def _queues(span: Span) -> bool:
    """Whether it waits for its turn: for a connection of a pool, or for a message to come."""
    words = {word.lower() for word in _WORD.findall(span.name)}
    if words & _WAITS and words & _FOR:
        return True
    if "db.client.connection.pool.name" in span.attributes:
        return True
    return any(span.attributes.get(key) == "receive" for key in _RECEIVING)
