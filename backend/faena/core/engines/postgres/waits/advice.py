"""For groups of wait events: the kind, the usual causes, where to look next, and what the wait rules out."""

from dataclasses import dataclass

from faena.core.waits.kinds import WaitKind


@dataclass(frozen=True, slots=True)
class Advice:
    """Sentences for the screen. `rules_out` are causes of slowness that a session in this wait does not suffer now."""

    kind: WaitKind
    causes: tuple[str, ...]
    look_next: tuple[str, ...]
    rules_out: tuple[str, ...]


_K = WaitKind

ADVICE: dict[str, Advice] = {
    "row_lock": Advice(
        _K.LOCK,
        (
            "Another transaction changed or locked the same row and has not ended.",
            "A transaction was left open: by a console, a batch job, or an application that waits for something else.",
            "Many sessions update one popular row, so that they can only go one after the other.",
        ),
        (
            "Pick the value in the column “held by”: that program holds what the others need.",
            "See whether the holder is running, waiting itself, or idle in its transaction.",
        ),
        ("disk", "memory", "too few cores", "a missing index in the waiting statement"),
    ),
    "table_lock": Advice(
        _K.LOCK,
        (
            "A schema change, an index build, a VACUUM FULL, TRUNCATE or LOCK TABLE needs the table for itself.",
            "That one waits for a long transaction, and every later session queues after it.",
        ),
        (
            "Pick “held by”, then look at the statement of that program.",
            "Check how old the oldest transaction is: it is often the true root.",
        ),
        ("disk", "memory", "too few cores", "row conflicts"),
    ),
    "extend": Advice(
        _K.LOCK,
        ("Many sessions insert into one table at once, and each must make the file longer.",),
        ("Look which table takes the inserts; fewer, larger inserts or partitions spread the growth.",),
        ("row conflicts", "slow reads"),
    ),
    "page_lock": Advice(
        _K.LOCK,
        ("Concurrent inserts into an index type that locks pages.",),
        ("Look at the statement and the indexes of its table.",),
        ("disk", "too few cores"),
    ),
    "advisory": Advice(
        _K.LOCK,
        ("The application takes a lock of its own making, and another session holds it.",),
        ("Find the holder in “held by”; what the lock means, only the application's code says.",),
        ("disk", "memory", "too few cores", "row conflicts"),
    ),
    "transaction_end": Advice(
        _K.LOCK,
        (
            "CREATE INDEX CONCURRENTLY, REINDEX CONCURRENTLY or the like waits until older transactions are over.",
            "A long report or a forgotten transaction keeps it waiting.",
        ),
        ("Look for the oldest transaction in “held by”.",),
        ("disk", "memory", "too few cores"),
    ),
    "serializable": Advice(
        _K.OTHER_PROCESS,
        ("A read-only deferrable transaction waits for a snapshot that cannot fail.",),
        ("Look for long serializable transactions that write.",),
        ("disk", "row locks"),
    ),
    "data_read": Advice(
        _K.DATA_IO,
        (
            "The pages needed are not in shared buffers: large scans, a cold cache, or memory too small for the data in use.",
            "A missing index makes the statement read far more pages than it returns rows.",
            "The disk is slow now: a neighbour, a backup or a maintenance job loads it.",
        ),
        (
            "Open the statement: reads per call show whether there are more reads or slower ones.",
            "Look at who else reads: pick the wait, then compare programs.",
        ),
        ("locks", "the client", "too few cores (for this session)"),
    ),
    "data_write": Advice(
        _K.DATA_IO,
        (
            "A checkpoint or a backend writes changed pages because shared buffers are full of them.",
            "Bulk changes, or a table that is being extended.",
        ),
        ("Look at checkpoint settings and at the statement that changes most pages.",),
        ("locks", "the client"),
    ),
    "temp_file": Advice(
        _K.DATA_IO,
        ("A sort, hash or materialised result does not fit in work_mem and spills to disk.",),
        (
            "Open the statement: temporary blocks per call.",
            "Sort less (an index in that order, a tighter filter) or raise work_mem for this one user.",
        ),
        ("locks", "slow reads of tables"),
    ),
    "small_file": Advice(
        _K.DATA_IO,
        ("A small file that the server keeps about itself is read or written; rarely long.",),
        ("If it lasts, the disk itself is in trouble: look at other I/O waits at the same time.",),
        ("locks", "the client"),
    ),
    "slru_io": Advice(
        _K.DATA_IO,
        (
            "Transaction status pages are read from or written to disk: very many transactions, or very old ones still of interest.",
        ),
        ("Look for long transactions, many subtransactions (savepoints) or row locks shared by many.",),
        ("locks", "the client"),
    ),
    "wal": Advice(
        _K.COMMIT,
        (
            "Commits wait until their log record is on disk; very many small commits, or a slow or shared log disk.",
            "A delay at commit (commit_delay) or a log disk behind a network.",
        ),
        (
            "Look at calls per second of the statement: single-row commits can be gathered into larger transactions.",
            "Compare with the usual write latency of the disk.",
        ),
        ("locks", "a missing index", "too few cores"),
    ),
    "wal_buffers": Advice(
        _K.COMMIT,
        ("Many sessions write log records at once and queue for room in the log buffers.",),
        ("Look at log volume per statement; bulk loads and wide updates are the usual source.",),
        ("row locks", "slow reads"),
    ),
    "sync_rep": Advice(
        _K.COMMIT,
        ("The commit waits until a synchronous standby confirms it; the standby or the network to it is slow.",),
        ("Look at the standby's lag, and whether each of these commits needs that promise.",),
        ("locks", "a missing index", "the local disk"),
    ),
    "wal_file": Advice(
        _K.COMMIT,
        ("Log files are created, copied or read, for archiving, replication or recovery.",),
        ("Look at log volume and archiving; a busy log disk shows up in commits too.",),
        ("row locks",),
    ),
    "buffer_content": Advice(
        _K.ENGINE,
        (
            "Many sessions want the same page at the same moment: a popular row, the end of an index with rising keys, a counter.",
        ),
        ("Look which table and index the statement hammers; spread the keys or gather the writes.",),
        ("disk", "row locks (though the same hot row can cause both)"),
    ),
    "buffer_mapping": Advice(
        _K.ENGINE,
        ("Pages are exchanged in shared buffers at a high rate: the data in use does not fit.",),
        ("Look at blocks read per call, and at the size of shared_buffers.",),
        ("row locks", "the client"),
    ),
    "lock_manager": Advice(
        _K.ENGINE,
        ("Very many table locks are taken and released: queries over many partitions or indexes, at a high rate.",),
        ("Look for statements that touch many partitions without pruning, and at calls per second.",),
        ("disk", "waiting for somebody's transaction"),
    ),
    "snapshot": Advice(
        _K.ENGINE,
        ("Very many transactions start and end per second, or there are very many connections.",),
        ("Look at the number of sessions: a smaller pool often does more work.",),
        ("disk", "row locks"),
    ),
    "xact_status": Advice(
        _K.ENGINE,
        (
            "Status of many transactions is looked up: long transactions beside many short ones, savepoints, or rows locked by many at once.",
        ),
        ("Look for the oldest transaction, for savepoints in loops, and for foreign keys to one popular row.",),
        ("slow reads of tables",),
    ),
    "serial_engine": Advice(
        _K.ENGINE,
        ("Bookkeeping of serializable transactions.",),
        ("Ask whether all of these transactions need the serializable level.",),
        ("disk",),
    ),
    "parallel_engine": Advice(
        _K.ENGINE,
        ("Workers of one parallel query coordinate shared memory.",),
        ("Look at the plan: many short parallel queries cost more than they save.",),
        ("row locks",),
    ),
    "catalogue": Advice(
        _K.ENGINE,
        ("Schema changes, temporary tables or statistics resets make all sessions renew what they know of tables.",),
        ("Look for DDL and temporary tables at a high rate.",),
        ("row locks", "slow reads of tables"),
    ),
    "engine": Advice(
        _K.ENGINE,
        ("A short internal lock that protects the server's own memory; normally held for microseconds.",),
        ("If it makes up a visible share, look at how many sessions are active at once and what they have in common.",),
        ("row locks",),
    ),
    "statistics": Advice(
        _K.ENGINE,
        ("Sessions report their activity figures to shared memory.",),
        ("Rarely a cause; look at the number of connections and objects.",),
        ("row locks", "disk"),
    ),
    "replication_engine": Advice(
        _K.ENGINE,
        ("Bookkeeping of replication.",),
        ("Look at the number of slots, subscriptions and their lag.",),
        ("row locks",),
    ),
    "parallel_wait": Advice(
        _K.OTHER_PROCESS,
        (
            "A parallel query's leader or worker waits for its partners: an uneven split, or workers that could not start.",
        ),
        ("Open the statement and its plan; the load is where the partners are.",),
        ("row locks", "the client"),
    ),
    "checkpoint": Advice(
        _K.OTHER_PROCESS,
        ("A statement waits for a checkpoint, which CREATE DATABASE, a backup start and some others need.",),
        ("Look for a checkpoint under way and the disk's write load.",),
        ("row locks",),
    ),
    "replication_wait": Advice(
        _K.OTHER_PROCESS,
        ("Replication processes wait for each other.",),
        ("Look at slots and lag.",),
        ("row locks", "too few cores"),
    ),
    "recovery": Advice(
        _K.OTHER_PROCESS,
        ("Recovery on a standby waits: for log, for a command, or for queries that conflict with it.",),
        ("Look at long queries on the standby and at its lag.",),
        ("row locks",),
    ),
    "process": Advice(
        _K.OTHER_PROCESS,
        ("The session waits until another process of the server has started, answered or ended.",),
        ("Look what that process does at the same time.",),
        ("row locks", "slow reads of tables"),
    ),
    "buffer_partner": Advice(
        _K.DATA_IO,
        ("Another session is already reading or writing the very page this one needs.",),
        ("Look at the data reads at the same time: several sessions scan the same table.",),
        ("locks", "the client"),
    ),
    "group_commit": Advice(
        _K.ENGINE,
        ("Many transactions end at the same moment and one process updates their status for all.",),
        ("Look at commits per second and the number of sessions.",),
        ("row locks", "disk"),
    ),
    "client_read": Advice(
        _K.CLIENT,
        (
            "The server waits for the next message of the client, in the middle of a command: data of a COPY, or a slow network.",
        ),
        ("Look at the program and its host: the time is spent there, not in the database.",),
        ("disk", "locks", "too few cores", "a missing index"),
    ),
    "client_write": Advice(
        _K.CLIENT,
        (
            "The client does not take its result fast enough: it works on each row before it fetches the next, or the network is slow.",
            "The result is far larger than needed.",
        ),
        ("Look at rows per call, and at what the program does with them.",),
        ("disk", "locks", "a missing index"),
    ),
    "network": Advice(
        _K.CLIENT,
        ("A network partner has to answer first: a handshake, or a replication connection.",),
        ("Look at the network and at the partner's host.",),
        ("disk", "locks"),
    ),
    "sleep": Advice(
        _K.SLEEP,
        ("The session sleeps because its statement says so: pg_sleep, a throttle, a retry interval or a cost delay.",),
        ("Look at the statement or the setting that asks for the pause.",),
        ("disk", "locks", "too few cores"),
    ),
    "vacuum_delay": Advice(
        _K.SLEEP,
        ("Vacuum pauses so as not to load the disk (vacuum_cost_delay).",),
        ("Nothing to fix, unless vacuum does not keep up with the changes.",),
        ("locks", "too few cores"),
    ),
    "idle_loop": Advice(
        _K.SLEEP,
        ("A background process has nothing to do at the moment.",),
        ("Nothing: this is not load.",),
        ("everything: this process is idle",),
    ),
    "pin": Advice(
        _K.LOCK,
        ("Vacuum or another cleaner needs a page for itself while a query, often an open cursor, keeps it pinned.",),
        ("Look for long-running scans and open cursors on the same table.",),
        ("disk", "too few cores"),
    ),
    "extension": Advice(
        _K.ENGINE,
        ("An extension waits for something that only it knows.",),
        ("Look which extension the statement uses.",),
        ("row locks",),
    ),
    "test_point": Advice(
        _K.SLEEP,
        ("A test build of the server stops here on purpose.",),
        ("Ask who runs a test build.",),
        ("disk", "locks"),
    ),
}
