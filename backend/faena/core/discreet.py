"""What a log tells, without the values in it: only words known to be the server's own stay, everything else goes.

An error's message, DETAIL and CONTEXT hold values in places that only its own sentence tells: in double quotes stands a
table's name in one and somebody's e-mail address in another. So each sentence that is kept is listed here; of any other,
as those that an application raises itself, the kind of error is told by its code.
"""

import re
from typing import NamedTuple

from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.logged import EventKind, Execution, LogEvent
from faena.core.plans.model import BadPlan
from faena.core.privacy import Normalised
from faena.core.sql.texts import bare_expression, conceal, storable

MOST_READ = 4_000  # characters of a message, and of each line of a context
_NAME = r'"[^"\n]{1,260}"'
_WORDS = r"[a-z][a-z /-]{0,120}"
_OBJECT = "(?:table|view|materialized view|foreign table|sequence|function|procedure|schema|database|relation|index|language|type)"
_LOCKED_THING = r"(?:[a-z]+ )*+(?:[0-9/]++|\([0-9,]++\)|\[[0-9,]++\])(?: of [a-z]+ [0-9]++)*+"

# Sentences whose words are the server's own and whose quoted parts are names of its objects.
_KEPT = re.compile(
    "|".join(
        (
            r"deadlock detected",
            rf"(?:canceling|terminating) {_WORDS}",
            rf"could not serialize access due to {_WORDS}",
            rf"could not obtain lock on (?:row in )?relation {_NAME}",
            rf"process [0-9]+ (?:still waiting for|acquired|avoided deadlock for) [A-Za-z]+ on {_LOCKED_THING}"
            rf"(?: by rearranging queue order)? after [0-9.]+ ms",
            rf"process [0-9]+ detected deadlock while waiting for [A-Za-z]+ on {_LOCKED_THING} after [0-9.]+ ms",
            rf"duplicate key value violates unique constraint {_NAME}",
            rf"(?:insert or update|update or delete) on table {_NAME} violates foreign key constraint {_NAME}(?: on table {_NAME})?",
            rf"null value in column {_NAME}(?: of relation {_NAME})? violates not-null constraint",
            rf"new row for relation {_NAME} violates (?:check|partition) constraint(?: {_NAME})?",
            rf"conflicting key value violates exclusion constraint {_NAME}",
            rf"no partition of relation {_NAME} found for row",
            rf"(?:relation|table|schema|index|view|sequence|type|extension|database|constraint {_NAME} of table) {_NAME} "
            rf"(?:does not exist|already exists|is not currently accepting connections)",
            rf"permission denied for {_OBJECT} (?:{_NAME}|[A-Za-z_0-9]{{1,64}})",
            rf"must be owner of {_OBJECT} (?:{_NAME}|[A-Za-z_0-9]{{1,64}})",
            r"sorry, too many clients already",
            rf"too many connections(?: for (?:role|database) {_NAME})?",
            r"remaining connection slots are reserved for [a-zA-Z_ \"-]{1,120}",
            rf'no pg_hba.conf entry for (?:replication connection from )?host "[0-9A-Fa-f.:\[\]a-z]{{1,60}}", user {_NAME}(?:, database {_NAME})?,? '
            r"(?:SSL off|SSL on|SSL encryption|no encryption|GSS encryption)",
            rf"(?:password|peer|Ident|LDAP|PAM|GSSAPI|certificate|RADIUS) authentication failed for user {_NAME}",
            rf"role {_NAME} (?:is not permitted to log in|does not exist)",
            r"the database system is [a-z ]{1,60}",
            r"(?:server process|[a-z ]{1,40}) \(PID [0-9]+\) (?:was terminated by signal [0-9]+: [A-Za-z ]+|exited with exit code [0-9]+)",
            r"all server processes terminated; reinitializing",
            r"(?:connection to client lost|unexpected EOF on client connection with an open transaction|unexpected EOF on client connection)",
            r"could not (?:extend|write|create|open|resize|fsync)[a-z ]{0,40} \"?[\w/.]{1,200}\"?: No space left on device",
            r"temporary file: path \"[\w/.]{1,200}\", size [0-9]+",
            r"division by zero|out of memory|out of shared memory|numeric field overflow|stack depth limit exceeded",
            r"(?:smallint|integer|bigint|timestamp|date|interval) out of range|cannot take (?:square root|logarithm) of a negative number",
            r"value too long for type [a-z ]{1,40}\([0-9]{1,9}\)",
            r"current transaction is aborted, commands ignored until end of transaction block",
            r"cannot execute [A-Z ]{1,40} in a read-only transaction",
            r"cached plan must not change result type|more than one row returned by a subquery used as an expression",
            r"syntax error at end of input|tuple concurrently (?:updated|deleted)|no results to fetch",
            r"could not (?:receive data from|send data to) client: [A-Za-z ]{1,60}",
        )
    )
)  # fmt: skip
# Sentences that end in a value: kept up to it.
_UP_TO_A_VALUE = re.compile(
    r"(?:invalid input syntax for (?:type )?[a-z_ ]{1,60}|invalid input value for enum [\w.]{1,130}|malformed array literal|"
    r"syntax error at or near|unterminated quoted (?:string|identifier) at or near|date/time field value out of range|"
    r"invalid regular expression|trailing junk after numeric literal at or near|time zone displacement out of range)(?=:? \")"
)
_OUT_OF_RANGE = re.compile(r'value ".*" (is out of range for type [a-z ]{1,40})', re.DOTALL)
_NO_COLUMN = re.compile(
    r"column .*? (does not exist|of relation " + _NAME + " does not exist)"
)  # a value in wrong quotes looks like one
# The kind of an error by its code, as the documentation of the codes names it.
_CONDITIONS = {
    "22": "a value that cannot be taken (data exception)", "23": "a constraint was violated", "25": "the transaction's state does not permit it",
    "26": "a prepared statement that is not known", "28": "the connection was refused", "34": "a cursor that is not known",
    "40": "the transaction was rolled back", "42": "an error in the statement, or no right to it", "53": "the server lacks resources",
    "54": "a limit of the server was exceeded", "55": "an object is not in the state that was needed", "57": "the server or an operator intervened",
    "58": "an error outside of the server", "P0": "an error that the application raised", "XX": "an internal error",
    "08": "the connection failed", "0A": "a feature that is not supported", "3D": "a database that is not known", "3F": "a schema that is not known",
    "2B": "other objects depend on it", "44": "a row outside of its view", "HV": "a foreign server answered with an error",
}  # fmt: skip
HIDDEN = "its words are kept only where parameters are captured"

_DETAIL_KEPT = re.compile(
    "|".join(
        (
            r"Process(?:es)? holding the lock: [0-9, ]+\. Wait queue: [0-9, ]*\.",
            r"Reason code: [A-Za-z ,/-]{1,160}\.?",
            r"User (?:query|transaction|was|query might)[A-Za-z ,.-]{1,160}",
            r"The database (?:system )?is [a-z ]{1,80}\.?",
            r"Connection matched (?:pg_hba\.conf|file \"[\w/.]{1,200}\") line [0-9]+",
            r"(?:Role|User) \"[^\"\n]{1,64}\" (?:does not exist|has no password assigned)\.",
        )
    )
)
_KEY_TAILS = (
    re.compile(r"\) (already exists\.)$"),
    re.compile(rf"\) (is (?:not present in|still referenced from) table {_NAME}\.)$"),
)
_CONTEXT_KEPT = re.compile(
    "|".join(
        (
            rf"while [a-z ]{{1,60}}tuple \([0-9]+,[0-9]+\) (?:in|of|for) (?:relation|index) {_NAME}",
            rf"while [a-z ]{{1,60}} index tuple \([0-9]+,[0-9]+\) in relation {_NAME}",
            r"PL/pgSQL function [^\n\"']{1,260}(?: line [0-9]+)?(?: at [A-Za-z ]{1,60})?",
            rf"SQL function {_NAME} (?:statement [0-9]+|during [a-z]+)",
            r"parallel worker|automatic (?:vacuum|analyze) of table \"[^\"\n]{1,200}\"",
            r"unnamed portal with parameters|portal \"[^\"\n]{1,64}\" with parameters",
        )
    )
)
_COPY_LINE = re.compile(r"COPY [^\s,:]{1,260}, line [0-9]+(?:, column [^\s:]{1,130})?")
_INNER_HEAD = 'SQL statement "'


class Bare(NamedTuple):
    """The texts of an entry without values."""

    message: Normalised
    detail: Normalised
    context: Normalised


def bare_event(one: LogEvent) -> Bare:
    """An entry's texts with the server's own words, and nothing of what applications or people wrote."""
    detail = "" if one.kind is EventKind.DEADLOCK else one.detail  # of a deadlock its parties tell; see there
    return Bare(bare_message(one.message, one.sqlstate), bare_detail(detail), bare_context(one.context))


def bare_message(message: str, sqlstate: str) -> Normalised:
    """The sentence where it is one of the server's own; else what kind of error it is."""
    head = message[:MOST_READ]
    raised = sqlstate[:2] == "P0"  # by an application, which can say anything in the server's words
    if len(message) <= MOST_READ and not raised and _KEPT.fullmatch(head):
        return Normalised(storable(head))
    if found := _UP_TO_A_VALUE.match(head):
        return Normalised(f"{found[0]}: ?" if not found[0].endswith("near") else f"{found[0]} ?")
    if head.startswith('value "') and (ranged := _OUT_OF_RANGE.fullmatch(head)):
        return Normalised(f"value ? {ranged[1]}")
    if head.startswith("column ") and (missing := _NO_COLUMN.fullmatch(head)):
        return Normalised(f"column ? {missing[1]}")
    kind = _CONDITIONS.get(sqlstate[:2], "an error")
    code = f" ({sqlstate})" if re.fullmatch(r"[0-9A-Z]{5}", sqlstate) else ""
    return Normalised(f"{kind}{code}; {HIDDEN}")


def bare_detail(detail: str) -> Normalised:
    """DETAIL where it is known; of a key its columns, without their values."""
    head = detail[:MOST_READ]
    if head.startswith("Failing row contains ("):
        return Normalised("Failing row contains (?).")
    if head.startswith("Key (") and (at := head.find(")=(")) > 0:
        tail = next((found[1] for one in _KEY_TAILS if (found := one.search(detail[-300:]))), "…")
        return Normalised(f"Key ({bare_expression(head[5:at])})=(?) {storable(tail)}")
    found = _DETAIL_KEPT.match(head)
    return Normalised(storable(found[0]) if found else "")


def bare_context(context: str) -> Normalised:
    """CONTEXT line by line: places of rows and functions stay, statements within functions lose their literals."""
    lines: list[str] = []
    rest = context
    while rest and len(lines) < 20:
        if rest.startswith(_INNER_HEAD):
            end = _end_of_inner(rest)
            lines.append(f'{_INNER_HEAD}{" ".join(conceal(rest[len(_INNER_HEAD) : end][:20_000]).split())}"')
            rest = rest[end + 1 :].lstrip("\n")
            continue
        line, _, rest = rest.partition("\n")
        if kept := _CONTEXT_KEPT.match(line[:MOST_READ]) or _COPY_LINE.match(line[:MOST_READ]):
            lines.append(kept[0])
    return Normalised(storable("\n".join(lines)))


def _end_of_inner(text: str) -> int:
    """Where the quoted statement ends: at the last quote before a line that begins another part, else at the end."""
    for word in ('"\nPL/pgSQL', '"\nSQL ', '"\nwhile ', '"\nCOPY '):
        at = text.find(word, len(_INNER_HEAD))
        if at >= 0:
            return at
    return len(text) - 1 if text.endswith('"') else len(text)


def discreet(one: Execution) -> Execution:
    """Statement and parameters gone, the plan without literals. Its statement is known by its identifier."""
    return one._replace(statement="", parameters="", plan=without_literals(one.plan) if one.plan else "")


def without_literals(plan: str) -> str:
    """The same plan written anew without literals; empty when it cannot be read, since then nobody knows what is in it."""
    try:
        return bare_plan(read_plan(plan))
    except BadPlan:
        return ""
