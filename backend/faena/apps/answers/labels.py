"""Words for the values of dimensions, and statements in a line."""

from collections import Counter
from collections.abc import Iterable, Sequence

from faena.apps.requests import selectors as requests
from faena.apps.servers.engines import profile_by_id
from faena.apps.statements import selectors as statements
from faena.core.numbers import whole_number
from faena.core.privacy import Normalised
from faena.core.requests.sums import certain, likely
from faena.core.sampling.dimensions import NO_ENDPOINT, NO_STATEMENT, NOBODY, Dimension
from faena.core.sql.texts import gist
from faena.core.waits.kinds import WaitKind

LABEL_CHARACTERS = 60  # beyond it a select list gives way to the tables, which tell statements apart


def lines(server_id: int, query_ids: Iterable[int | None], characters: int = 200) -> dict[int, Normalised]:
    """Texts of statements in a line, as far as they were learned."""
    wanted = {one for one in query_ids if one}
    return {i: gist(text.text, characters) for i, text in statements.texts(server_id, wanted).items()}


def opens_of(server_id: int, dimension: Dimension, values: Iterable[str]) -> dict[str, str]:
    """By value, the number under which its own page opens: of statements and of endpoints, as far as they have one."""
    match dimension:
        case Dimension.STATEMENT:
            return {v: v for v in values if whole_number(v) is not None}
        case Dimension.ENDPOINT:
            known = requests.endpoints_by_value(server_id)
            return {v: str(known[certain(v)].id) for v in values if certain(v) in known}
        case _:
            return {}


def labels_of(server_id: int, dimension: Dimension, values: Sequence[str]) -> dict[str, tuple[str, str]]:
    """Short and full words for values."""
    match dimension:
        case Dimension.KIND:
            return {v: (WaitKind(v).label,) * 2 for v in values}
        case Dimension.STATEMENT:
            ids = [i for v in values if (i := whole_number(v)) is not None]
            texts = statements.texts(server_id, ids)
            known = {str(i): (gist(t.text, LABEL_CHARACTERS), t.text) for i, t in texts.items()}
            none = ("no statement", "The server gave no identifier: a utility command, or a background process.")
            fallback = {v: (f"statement {v}", "Its text is not known (yet).") for v in values}
            return {**fallback, **known, NO_STATEMENT: none, "others": ("others", "all other statements")}
        case Dimension.WAIT:
            waits = profile_by_id(server_id).waits
            return {v: waits.label(v) for v in values}
        case Dimension.HELD_BY:
            return {v: ("not blocked", "waits for no other session") if v == NOBODY else (v, v) for v in values}
        case Dimension.ENDPOINT:
            return _endpoints(server_id, values)
        case _:
            return {v: (v or "none", v or "none") for v in values}


def _endpoints(server_id: int, values: Sequence[str]) -> dict[str, tuple[str, str]]:
    """An endpoint goes without its service where no other service has one of that name."""
    known = requests.endpoints_by_value(server_id)
    often = Counter(one.name for one in known.values())
    told = {
        NO_ENDPOINT: ("not known", "No trace has told yet, or none will: what this session works for is not known.")
    }
    for value in values:
        of = known.get(certain(value))
        if of is None:
            told.setdefault(value, (value, value))
            continue
        name = of.name if often[of.name] == 1 else certain(value)
        sure = value == certain(value)
        full = (
            value if sure else f"{value}: its request has not ended, and in a day no other endpoint ran its statement"
        )
        told[value] = (name if sure else likely(name), full)
    return {value: told[value] for value in values}
