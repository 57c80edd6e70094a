"""Which statements may be handed to EXPLAIN, and as what: what is not known to be safe never reaches a watched server.

A statement is parsed and written anew from its tree, and what was written is cut into tokens by our own lexer and held
against an allow list: two readers have to agree on what is called. The server sees the new text alone.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from faena.core.engines.postgres.plans.allowed import ESTIMATED_ONLY, FUNCTIONS, SYNTAX
from faena.core.errors import BadInput
from faena.core.sql.lexer import Kind, Token, tokens_of
from faena.core.sql.texts import storable

MAX_CHARACTERS = 50_000
MAX_TOKENS = 8_000
MAX_DEPTH = 40  # of brackets; the parser goes down several calls for each
MAX_SUBSCRIPTS = 40  # the parser's time for these grows faster than their number
_PLACE = re.compile(r"\$(\d{1,5})")
_STATEMENTS = (exp.Query, exp.Insert, exp.Update, exp.Delete, exp.Merge, exp.Values)
_WRITES = (exp.Insert, exp.Update, exp.Delete, exp.Merge)
_PARAMETER = "faena_parameter_"


class Unexplainable(BadInput):
    """Not one statement of the kind that has a plan, or one that is not known to be safe."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason, field="statement")


@dataclass(frozen=True, slots=True, kw_only=True)
class Relation:
    """A table as the statement names it; `schema` empty where it does not say."""

    schema: str
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Explainable:
    """One statement that can be explained. `places` is the highest $n in it; `writes` that running it changes data.

    `functions` are the names it calls, for the server to be asked about; `fields` the names behind a dot, since x.f can
    mean f(x); `relations` the tables, views among them.
    """

    places: int
    writes: bool
    functions: frozenset[str]
    fields: frozenset[str]
    relations: frozenset[Relation]
    tree: exp.Expr = field(repr=False)

    def text(self, schemas: Mapping[Relation, str]) -> str:
        """The statement written anew, each table with the schema that it was found in."""
        tree = self.tree.copy()
        for table in _tables(tree):
            schema = schemas.get(_relation(table))
            if schema:
                table.set("db", exp.to_identifier(schema, quoted=True))
        return _written(tree)


def explainable(statement: str) -> Explainable:
    """Raises Unexplainable: several statements, none, one without a plan, one that cannot be read, or is not known safe."""
    text = statement.strip().rstrip("; \n").strip()
    if not text:
        raise Unexplainable("there is no statement to explain")
    _measured(text)
    tree = _one(text)
    if not isinstance(tree, _STATEMENTS):
        raise Unexplainable(
            "only SELECT, VALUES, INSERT, UPDATE, DELETE and MERGE have a plan; this statement is another"
        )
    _refuse_nodes(tree)
    written = _written(tree)
    functions = _called(written, _own_names(tree))
    if unknown := sorted(functions - FUNCTIONS):
        raise Unexplainable(
            f"{unknown[0]}() is not among the functions that are known to be harmless, and planning could run it; "
            "take it out to ask for the plan of the rest"
        )
    return Explainable(
        places=max((int(n) for n in _PLACE.findall(written)), default=0),
        writes=next(tree.find_all(*_WRITES), None) is not None,
        functions=frozenset(functions),
        fields=_fields(written),
        relations=frozenset(_relation(table) for table in _tables(tree)),
        tree=tree,
    )


def runnable(statement: str) -> Explainable:
    """As `explainable`, for a statement that will be run, in a transaction that cannot write. Raises Unexplainable."""
    found = explainable(statement)
    if found.writes:
        raise Unexplainable("this statement changes data, and only what reads is run; ask for the estimate")
    if long := sorted(found.functions & ESTIMATED_ONLY):
        raise Unexplainable(f"{long[0]}() can make any number of rows, so it is not run; ask for the estimate")
    return found


def _measured(text: str) -> None:
    """Raises Unexplainable for what would keep the parser busy, or what we are not sure to read as the server does."""
    if len(text) > MAX_CHARACTERS:
        raise Unexplainable(f"a statement of more than {MAX_CHARACTERS} characters is not explained")
    if storable(text) != text:
        raise Unexplainable("this statement holds a character that no server reads; type it again")
    found = tokens_of(text)
    if not found.whole:
        raise Unexplainable("this statement cannot be read to its end, so it is not handed on")
    depth = deepest = subscripts = 0
    for kind, start, end in found.tokens:
        if kind is Kind.SIGN:
            depth += text[start] in "([{"
            depth -= text[start] in ")]}"
            subscripts += text[start] == "["
            deepest = max(deepest, depth)
        elif text[start] in "uU" and text[start + 1 : start + 2] == "&" and end - start > 2:
            raise Unexplainable("names and texts with U& are not handed on; write them as they are")
    if len(found.tokens) > MAX_TOKENS or deepest > MAX_DEPTH or subscripts > MAX_SUBSCRIPTS:
        raise Unexplainable("this statement is too long or nested too deeply to be read here, so it is not handed on")


def _one(text: str) -> exp.Expr:
    """$n become names, so that they come through parsing and writing as they are."""
    try:
        named = _PLACE.sub(lambda place: f":{_PARAMETER}{place[1]}", text)
        found = [one for one in sqlglot.parse(named, dialect="postgres") if one is not None]
    except (SqlglotError, RecursionError, AttributeError, IndexError, KeyError, TypeError, ValueError):
        raise Unexplainable("this statement cannot be read, so it is not handed on") from None
    if len(found) != 1:
        raise Unexplainable(f"one statement is explained at a time; this holds {len(found)}")
    return found[0]


def _written(tree: exp.Expr) -> str:
    try:
        text = tree.sql(dialect="postgres", comments=False, normalize_functions=False)
    except (SqlglotError, RecursionError, AttributeError, KeyError, TypeError, ValueError):
        raise Unexplainable("this statement cannot be rewritten, so it is not handed on") from None
    return re.sub(rf"(?::|%\(){_PARAMETER}(\d{{1,5}})(?:\)s)?", r"$\1", text)


def _refuse_nodes(tree: exp.Expr) -> None:
    """What an allow list of functions does not see. Raises Unexplainable."""
    for node in tree.walk():
        match node:
            case exp.Into():
                raise Unexplainable("SELECT INTO makes a table; explain the SELECT without it")
            case exp.Lock():
                raise Unexplainable("FOR UPDATE and FOR SHARE lock rows; explain the SELECT without them")
            case exp.Command():
                raise Unexplainable("a part of this statement cannot be read, so it is not handed on")
            case exp.Operator():
                raise Unexplainable("OPERATOR(…) can name any function; write the operator itself")
            case exp.DataType() if node.this is exp.DataType.Type.USERDEFINED:
                raise Unexplainable("a cast to a type of your own runs its functions; take it out")
            case exp.Table() if not isinstance(node.this, exp.Identifier | exp.Func):
                raise Unexplainable("a part of FROM is neither a table nor a known function; take it out")


def _tables(tree: exp.Expr) -> list[exp.Table]:
    """Tables and views, without names of WITH and without functions in FROM."""
    own = {cte.alias for cte in tree.find_all(exp.CTE)}
    return [
        one
        for one in tree.find_all(exp.Table)
        if isinstance(one.this, exp.Identifier) and (one.name not in own or one.db)
    ]


def _relation(table: exp.Table) -> Relation:
    """Names without quotes are in small letters for the server."""

    def folded(name: exp.Expr | None) -> str:
        if not isinstance(name, exp.Identifier):
            return ""
        return name.name if name.args.get("quoted") else name.name.lower()

    if table.args.get("catalog"):
        raise Unexplainable("a table of another database cannot be asked about here")
    return Relation(schema=folded(table.args.get("db")), name=folded(table.this))


def _own_names(tree: exp.Expr) -> frozenset[str]:
    """Names that may stand before a bracket and are none of functions: of WITH, and aliases with columns."""
    own = {cte.alias.lower() for cte in tree.find_all(exp.CTE)}
    own |= {alias.name.lower() for alias in tree.find_all(exp.TableAlias) if alias.args.get("columns")}
    return frozenset(own | {into.this.name.lower() for into in tree.find_all(exp.Schema) if into.this})


def _called(text: str, own: frozenset[str]) -> set[str]:
    """Names before an opening bracket in the text that the server will see. Raises Unexplainable for what hides one."""
    told = [token for token in tokens_of(text).tokens if token.kind not in (Kind.SPACE, Kind.COMMENT)]
    found = set[str]()
    target = -1  # the last token of a table that is written to, which its columns stand behind
    for i, (before, token, after) in enumerate(zip([None, *told], told, told[1:], strict=False)):
        name = text[token.start : token.end]
        if name.lower() == "into":
            target = i + 1
        elif i == target and text[after.start] == ".":
            target = i + 2
        if text[after.start] != "(" or token.kind not in (Kind.WORD, Kind.NAME):
            continue
        bare = name[1:-1].lower() if token.kind is Kind.NAME else name.lower()
        if i == target or (bare in own and not _is_dot(text, before)):
            continue
        if token.kind is Kind.NAME or _is_dot(text, before):
            raise Unexplainable(
                "functions are named without quotes and without a schema; only the server's own are asked about"
            )
        if bare not in SYNTAX:
            found.add(bare)
    return found


def _is_dot(text: str, token: Token | None) -> bool:
    return token is not None and text[token.start] == "."


def _fields(text: str) -> frozenset[str]:
    """Names behind a dot."""
    told = [token for token in tokens_of(text).tokens if token.kind not in (Kind.SPACE, Kind.COMMENT)]
    return frozenset(
        text[token.start : token.end].strip('"').lower()
        for before, token in pairwise(told)
        if _is_dot(text, before) and token.kind in (Kind.WORD, Kind.NAME)
    )


def parameter_values(parameters: str) -> list[str | None]:
    """Values of "$1 = 'a', $2 = NULL" as a server logs them, in their order. Raises BadInput when it cannot be read."""
    values: list[str | None] = []
    at = 0
    piece = re.compile(r"\s*+\$(\d{1,5}) = (NULL|'((?:[^']++|'')*+)')(?:,|$)", re.DOTALL)
    end = len(parameters.rstrip())
    while at < end:
        match = piece.match(parameters, at)
        if match is None or int(match[1]) != len(values) + 1:
            raise BadInput(f"the parameters cannot be read from character {at} on", field="parameters")
        values.append(None if match[2] == "NULL" else match[3].replace("''", "'"))
        at = match.end()
    return values
