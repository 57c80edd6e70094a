"""The kinds of changes there are, with their words."""

from faena.core.labels import Labelled


class ChangeKind(Labelled):
    """What changed. The first are found by Faena; a deploy and a note are told by people and pipelines."""

    INDEX_MADE = "index_made", "index made"
    INDEX_DROPPED = "index_dropped", "index dropped"
    INDEX_REBUILT = "index_rebuilt", "index rebuilt"
    INDEX_INVALID = "index_invalid", "index not valid", "being built, or left over when its building failed"
    TABLE_MADE = "table_made", "table made"
    TABLE_DROPPED = "table_dropped", "table dropped"
    TABLE_ALTERED = "table_altered", "table altered"
    TABLE_REWRITTEN = (
        "table_rewritten",
        "table rewritten",
        "by VACUUM FULL, CLUSTER, TRUNCATE or a change of a column's type",
    )
    TABLE_GREW = "table_grew", "table grew", "by more than it usually does in a day"
    SETTING = "setting", "setting changed"
    ROLE_SETTING = "role_setting", "setting of a role changed"
    STATISTICS = "statistics", "statistics refreshed"
    STATISTICS_MISSING = "statistics_missing", "statistics missing", "never gathered, or most rows changed since"
    PLAN_SWITCH = "plan_switch", "plan switched"
    RESTART = "restart", "server restarted"
    VERSION = "version", "server version"
    EXTENSION = "extension", "extension"
    CORES = "cores", "cores"
    ROLE = "role", "primary or replica"
    STATEMENT_NEW = "statement_new", "new statement"
    STATEMENT_GONE = "statement_gone", "statement gone"
    PROGRAM_NEW = "program_new", "new program"
    PROGRAM_GONE = "program_gone", "program gone"
    CLIENT_NEW = "client_new", "new client host"
    CLIENT_GONE = "client_gone", "client host gone"
    REPLICA_ATTACHED = "replica_attached", "replica attached"
    REPLICA_LOST = "replica_lost", "replica lost"
    DEPLOY = "deploy", "deploy"
    NOTE = "note", "note"


# What makes before and after those of two servers.
OF_THE_SERVER = (ChangeKind.VERSION, ChangeKind.CORES, ChangeKind.ROLE)
