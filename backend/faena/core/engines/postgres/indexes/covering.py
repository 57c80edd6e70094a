"""Which columns of a table a plan needs at all, so that an index could carry them along."""

import re
from collections.abc import Collection, Iterator

from faena.core.plans.model import Step, walk

# What a table's rows have beside their columns, and no index has.
_BEYOND = frozenset({"*", "ctid", "xmin", "xmax", "cmin", "cmax", "tableoid"})
_WORD = r'(\*|"(?:[^"]|"")+"|[a-z_][\w$]*)'
_LITERAL = re.compile(r"'(?:[^']|'')*'")
# Without another table a server leaves the name before a column out where it tells what a step puts out.
_BARE = re.compile(rf'(?<![\w."$]){_WORD}(?![\w"$(])')


def columns_needed(root: Step, scan: Step, known: Collection[str], settled: str = "") -> frozenset[str] | None:
    """Of the `known` columns of the scanned table, those the plan makes use of; None where it does not tell, or needs
    whole rows. The `settled` column is one whose condition the index itself answers: it counts only where others use it.

    Only plans made under VERBOSE tell. What a scan itself puts out counts only where nothing stands above it: below
    other steps a server often hands whole rows up, since that costs it nothing.
    """
    alias = scan.alias or scan.table
    if "Output" not in root.details or not re.fullmatch(r"[a-z_][\w$]*", alias):
        return None
    named = re.compile(rf'(?<![\w."$]){re.escape(alias)}\.{_WORD}')
    alone = sum(1 for _, step in walk(root) if step.table or step.alias) == 1
    words = set[str]()
    for owner, text in _texts(root, scan):
        plain = _LITERAL.sub("''", text)
        found = set(named.findall(plain))
        if alone:
            found.update(_BARE.findall(plain.replace("(*)", "()")))
        words |= found - {settled} if owner is scan else found
    needed = {word.strip('"') for word in words}
    return None if needed & _BEYOND else frozenset(needed & set(known))


def _texts(root: Step, scan: Step) -> Iterator[tuple[Step | None, str]]:
    """Each with the step whose condition or key it is; None for what is put out."""
    for _, step in walk(root):
        for text in (*step.conditions.values(), *(key for keys in step.keys.values() for key in keys)):
            yield step, text
        if step is not scan or scan is root:
            output = step.details.get("Output", "")
            for text in map(str, output) if isinstance(output, (list, tuple)) else [str(output)]:
                yield None, text
