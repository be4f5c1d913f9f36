"""Each closed set of words stands once, in `core.words`: who writes one again is told here."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from typing import get_args

from fleet_rival.core import words
from tests.conftest import HOME

TYPES = {
    name: get_args(value)
    for name, value in vars(words).items()
    if name[0].isupper() and not name.isupper() and get_args(value)
}
TUPLES = {name: value for name, value in vars(words).items() if name.isupper() and isinstance(value, tuple)}
SETS = {frozenset(values): name for name, values in TYPES.items() if len(values) > 2}
PYTHON = [
    path
    for path in sorted((HOME / "fleet_rival").rglob("*.py"))
    if path != Path(words.__file__) and not {"migrations", "bench", "simulator", "demo"} & set(path.parts)
]


def written(tree: ast.AST) -> Iterator[tuple[int, frozenset[str], bool]]:
    """Each list of words in a module: its line, the words, and whether a type is made of them."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Tuple | ast.List | ast.Set):
            strings = [
                item.value for item in node.elts if isinstance(item, ast.Constant) and isinstance(item.value, str)
            ]
            if len(strings) == len(node.elts):
                yield node.lineno, frozenset(strings), False
        if (
            isinstance(node, ast.Subscript)
            and isinstance(node.value, ast.Name)
            and node.value.id == "Literal"
            and isinstance(node.slice, ast.Tuple)
        ):
            yield node.lineno, frozenset(getattr(item, "value", "") for item in node.slice.elts), True


def test_there_are_vocabularies_and_each_tuple_is_one_of_their_types() -> None:
    assert len(TYPES) > 80
    assert set(TUPLES.values()) <= set(TYPES.values())
    assert all(len(set(values)) == len(values) for values in TYPES.values())


def test_no_vocabulary_is_written_again_in_python() -> None:
    again = []
    for path in PYTHON:
        for line, found, is_type in written(ast.parse(path.read_text())):
            if is_type or found in SETS:
                again.append(f"{path.relative_to(HOME)}:{line} {SETS.get(found, sorted(found))}")
    assert not again


def test_no_vocabulary_is_written_again_as_a_type_of_the_front_end() -> None:
    again = []
    for path in sorted((HOME / "frontend" / "src").rglob("*")):
        if path.suffix in (".ts", ".vue") and path.parent.name != "api":
            for found in re.finditer(r"'[^'\n]+'(?: \| '[^'\n]+'){2,}", path.read_text()):
                name = SETS.get(frozenset(re.findall(r"'([^']+)'", found[0])))
                again += [f"{path.relative_to(HOME)} {name}"] if name else []
    assert not again
