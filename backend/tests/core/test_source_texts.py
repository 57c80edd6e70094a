"""What a reader of the source overlooks and no linter says."""

import ast
from pathlib import Path

import faena
import pytest

SOURCE = Path(faena.__file__).parent


@pytest.mark.parametrize("package", sorted(path.name for path in SOURCE.iterdir() if (path / "__init__.py").exists()))
def test_no_quantifier_of_a_pattern_is_taken_for_a_value(package: str) -> None:
    """In an f-string `\\d{1,9}` is the tuple (1, 9): the pattern matches nothing, and whoever has another way goes slow."""
    found = [
        f"{path.relative_to(SOURCE)}:{node.lineno}"
        for path in (SOURCE / package).rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FormattedValue) and _is_quantifier(node.value)
    ]
    assert found == [], "double the braces"


def _is_quantifier(value: ast.expr) -> bool:
    return isinstance(value, ast.Tuple) or (isinstance(value, ast.Constant) and isinstance(value.value, int))
