"""The house stays one in which people find their way: no module past 400 lines, no function past 60."""

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import HOME

MOST_LINES, MOST_OF_A_FUNCTION = 400, 60
MODULES = [path for path in sorted((HOME / "fleet_rival").rglob("*.py")) if "migrations" not in path.parts]


def length_of(node: ast.FunctionDef | ast.AsyncFunctionDef) -> int:
    """Lines of a function's code: what explains it isn't counted."""
    first = node.body[0]
    explained = first.end_lineno - first.lineno + 1 if ast.get_docstring(node) and first.end_lineno else 0
    return (node.end_lineno or node.lineno) - node.lineno + 1 - explained


def too_long(path: Path) -> Iterator[str]:
    text = path.read_text()
    if (count := text.count("\n")) > MOST_LINES:
        yield f"{path.relative_to(HOME)}: {count} lines"
    comments = {number for number, line in enumerate(text.splitlines(), 1) if line.strip().startswith("#")}
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            inside = comments & set(range(node.lineno, (node.end_lineno or 0) + 1))
            if (count := length_of(node) - len(inside)) > MOST_OF_A_FUNCTION:
                yield f"{path.relative_to(HOME)}: {node.name} has {count} lines"


def test_no_module_and_no_function_has_grown_past_its_purpose() -> None:
    assert len(MODULES) > 400
    assert not [line for path in MODULES for line in too_long(path)]


@pytest.mark.parametrize(
    "text", ["x = 1\n" * (MOST_LINES + 1), "def f():\n" + "    x = 1\n" * MOST_OF_A_FUNCTION + "    return x\n"]
)
def test_what_is_looked_for_would_be_found(tmp_path: Path, text: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tests.cli.test_house.HOME", tmp_path)
    (tmp_path / "long.py").write_text(text)
    assert list(too_long(tmp_path / "long.py"))


def handed_on(path: Path) -> Iterator[tuple[str, str]]:
    """Functions that a module hands on, and what their docstrings say."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    names = next((node.value for node in tree.body if isinstance(node, ast.Assign) and is_all(node)), None)
    public = set(ast.literal_eval(names)) if names is not None else set()
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and node.name in public:
            yield f"{path.relative_to(HOME)}: {node.name}", ast.get_docstring(node) or ""


def is_all(node: ast.Assign) -> bool:
    return any(isinstance(target, ast.Name) and target.id == "__all__" for target in node.targets)


def test_half_of_what_core_hands_on_shows_an_example_and_everything_is_explained() -> None:
    core, services = (
        [told for path in MODULES if part in path.parts for told in handed_on(path)] for part in ("core", "services")
    )
    assert len(core) > 200 and len(services) > 400
    assert not [name for name, text in [*core, *services] if not text]
    assert sum(">>>" in text for _, text in core) >= len(core) / 2
