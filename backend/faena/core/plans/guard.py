"""Which statements may be handed to EXPLAIN, and which may even be run to be measured."""

import re
from dataclasses import dataclass

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from faena.core.errors import BadInput

MAX_CHARACTERS = 100_000
# Functions whose effect a rollback does not take back, or that reach beyond the database.
_ESCAPING = re.compile(
    r"^(pg_terminate_backend|pg_cancel_backend|pg_reload_conf|pg_rotate_logfile|pg_switch_wal|pg_promote|pg_read_.*|pg_ls_.*|"
    r"pg_stat_file|pg_write_.*|pg_advisory_lock.*|pg_try_advisory_lock.*|pg_advisory_unlock.*|pg_create_.*_slot|"
    r"pg_drop_replication_slot|pg_logical_.*|pg_replication_.*|pg_backup_.*|pg_start_backup|pg_stop_backup|pg_stat_reset.*|"
    r"pg_stat_statements_reset|pg_file_.*|lo_import|lo_export|dblink.*|postgres_fdw_.*|nextval|setval|set_config|pg_sleep.*|"
    r"pg_notify|query_to_xml.*|cursor_to_xml.*|table_to_xml.*|database_to_xml.*|schema_to_xml.*)$"
)
_PLACE = re.compile(r"\$(\d+)")


@dataclass(frozen=True, slots=True, kw_only=True)
class Explainable:
    """One statement that can be explained. `places` is the highest $n in it; `writes` that running it changes data."""

    text: str
    places: int
    writes: bool


class Unexplainable(BadInput):
    """Not one statement of the kind that has a plan."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason, field="statement")


def explainable(statement: str) -> Explainable:
    """Raises Unexplainable: several statements, none, one without a plan, or one that cannot be read."""
    text = statement.strip().rstrip(";").strip()
    if not text:
        raise Unexplainable("there is no statement to explain")
    if len(text) > MAX_CHARACTERS or "\0" in text:
        raise Unexplainable(f"a statement of more than {MAX_CHARACTERS} characters is not explained")
    tree = _one(text)
    if not isinstance(tree, exp.Query | exp.Insert | exp.Update | exp.Delete | exp.Merge | exp.Values):
        raise Unexplainable(
            "only SELECT, VALUES, INSERT, UPDATE, DELETE and MERGE have a plan; this statement is another"
        )
    if next(tree.find_all(exp.Into), None) is not None:
        raise Unexplainable("SELECT INTO makes a table; explain the SELECT without it")
    writing = tree.find(exp.Insert, exp.Update, exp.Delete, exp.Merge)
    locking = tree.find(exp.Lock)
    places = max((int(n) for n in _PLACE.findall(text)), default=0)
    return Explainable(text=text, places=places, writes=writing is not None or locking is not None)


def _one(text: str) -> exp.Expr:
    try:
        found = [one for one in sqlglot.parse(_PLACE.sub("NULL", text), dialect="postgres") if one is not None]
    except (SqlglotError, RecursionError) as error:
        raise Unexplainable(f"this statement cannot be read, so it is not handed on: {str(error)[:200]}") from None
    if len(found) != 1:
        raise Unexplainable(f"one statement is explained at a time; this holds {len(found)}")
    return found[0]


def runnable(statement: str) -> Explainable:
    """As `explainable`, for a statement that will be run and rolled back. Raises Unexplainable for what escapes that."""
    found = explainable(statement)
    for call in _one(found.text).find_all(exp.Func):
        name = (call.name if isinstance(call, exp.Anonymous) else call.sql_name()).lower()
        if _ESCAPING.match(name):
            raise Unexplainable(
                f"{name}() has effects that rolling back does not undo; take it out, or ask for the estimate"
            )
    return found


def parameter_values(parameters: str) -> list[str | None]:
    """Values of "$1 = 'a', $2 = NULL" as a server logs them, in their order. Raises BadInput when it cannot be read."""
    values: list[str | None] = []
    at = 0
    piece = re.compile(r"\s*\$(\d+) = (NULL|'((?:[^']|'')*)')(?:,|$)", re.DOTALL)
    while at < len(parameters.rstrip()):
        match = piece.match(parameters, at)
        if match is None or int(match[1]) != len(values) + 1:
            raise BadInput(f"the parameters cannot be read from {parameters[at : at + 40]!r} on", field="parameters")
        values.append(None if match[2] == "NULL" else match[3].replace("''", "'"))
        at = match.end()
    return values
