"""The kinds of root that a lead can come to."""

from faena.core.labels import Labelled


class LeadKind(Labelled):
    """What is at fault, at the end of a chain of causes."""

    IDLE_TRANSACTION = "idle_transaction", "transaction left open", "A transaction that nobody works on holds locks."
    LOCK_CHAIN = "lock_chain", "blocking transaction", "A transaction at work holds locks for long."
    HOT_ROW = "hot_row", "contended row", "Many short transactions change the same rows one after the other."
    ADVISORY_LOCK = "advisory_lock", "advisory lock", "Sessions wait for a lock that only the programs give a meaning."
    DEADLOCK_PATTERN = "deadlock_pattern", "deadlocks", "Transactions lock the same things in opposite order."
    MISSING_INDEX = "missing_index", "missing index", "A statement reads through a table for a few of its rows."
    DEFEATED_INDEX = (
        "defeated_index",
        "index that cannot be used",
        "A function or cast on the column defeats its index.",
    )
    DEEP_PAGING = "deep_paging", "paging by OFFSET", "Rows are made only to be counted off."
    PLAN_CHANGE = "plan_change", "changed plan", "A statement runs by another plan than before, and takes longer."
    VOLUME_GROWTH = "volume_growth", "grown data", "The same work costs more because there are more rows."
    RUNAWAY_STATEMENT = "runaway_statement", "runaway statement", "Few executions keep the cores busy for very long."
    CPU_SATURATION = "cpu_saturation", "not enough cores", "More sessions want to run than there are cores."
    DISK_SATURATION = "disk_saturation", "overloaded disk", "Sessions wait for reads and writes of data."
    NEIGHBOUR = "neighbour", "neighbour on the disk", "Another server loads the disk that this one shares."
    COMMIT_RATE = "commit_rate", "too many commits", "Sessions wait for the WAL at each of many small commits."
    SPILL = "spill", "work spilled to disk", "Sorts and joins write temporary files, for want of memory."
    REPEATED_STATEMENT = (
        "repeated_statement",
        "repeated statement",
        "One statement is run once for each row of another.",
    )
    CONFLICT_RETRIES = (
        "conflict_retries",
        "serialization failures",
        "Transactions fail for each other and are repeated.",
    )
    MAINTENANCE = "maintenance", "maintenance", "A maintenance command blocks others, or takes their disk."
    SLOW_CLIENT = "slow_client", "slow client", "Sessions wait for a client to take its rows."
    CONNECTION_STORM = "connection_storm", "connection storm", "Clients connect anew all the time, or too many of them."
    HELD_BACK_VACUUM = "held_back_vacuum", "held back vacuum", "An old snapshot keeps dead rows from being removed."
    INTERNAL_CONTENTION = (
        "internal_contention",
        "contention inside the server",
        "Sessions wait for the server's own locks.",
    )
    REPLICA_CONFLICT = (
        "replica_conflict",
        "conflict on a replica",
        "Replay and readers of a replica stand in each other's way.",
    )
    HOST_VERSION = "host_version", "one host differs", "One client host runs other statements than its like."
    EXTERNAL_LAYER = "external_layer", "slow external calls", "Requests wait for another service, not for the database."
    CACHE_MISSING = "cache_missing", "cache no longer asked", "Requests that asked a cache before ask the database."
    OTHER = "other", "other", "A load that no rule explains."
