"""What services tell people stands in `wording`: they themselves say only why they refuse and what they have done."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

from tests.conftest import HOME

SERVICES = sorted((HOME / "fleet_rival" / "services").rglob("*.py"))
RECORDS = frozenset(
    {"act_of", "begin_change", "counted", "background", "execute", "debug", "info", "warning", "error", "exception"}
)
"""Calls that record what was done, for the history or the log, or how far it is."""
DONE = re.compile(r"[A-Z][a-z]*(ed|ote|ook) ")
"""How what was done begins."""
FEWEST = 4
"""Words from which a text is a sentence, or a piece of one."""


def sentences(path: Path) -> Iterator[str]:
    tree = ast.parse(path.read_text(encoding="utf-8"))
    allowed: set[int] = set()
    for node in ast.walk(tree):
        name = getattr(getattr(node, "func", None), "attr", getattr(getattr(node, "func", None), "id", ""))
        stands_alone = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        if isinstance(node, ast.Raise) or name in RECORDS or stands_alone:
            allowed |= {id(item) for item in ast.walk(node)}
        if isinstance(node, ast.arg | ast.FunctionDef | ast.AnnAssign):
            kind = getattr(node, "annotation", None) or getattr(node, "returns", None)
            allowed |= {id(item) for item in ast.walk(kind)} if kind is not None else set()
    for node in ast.walk(tree):
        if id(node) in allowed:
            continue
        if isinstance(node, ast.JoinedStr):
            allowed |= {id(item) for item in node.values}
            text = "".join(item.value if isinstance(item, ast.Constant) else "…" for item in node.values)  # type: ignore[misc]
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        else:
            continue
        # Neither a pattern, nor a format, nor a statement.
        if DONE.match(text) or re.search(r"[\\{}%]|^(SET|SELECT|LOCK) ", text):
            continue
        if " " in text and len(re.findall(r"[A-Za-z’']+", text)) >= FEWEST:
            yield f"{path.relative_to(HOME)}:{node.lineno}: {text}"


def test_sentences_of_services_refuse_or_record() -> None:
    assert len(SERVICES) > 100
    assert not [told for path in SERVICES for told in sentences(path)]


def test_a_sentence_elsewhere_is_found(tmp_path: Path) -> None:
    path = HOME / "var" / "sentence.py"
    path.parent.mkdir(exist_ok=True)
    path.write_text('def told(laps: int) -> str:\n    return f"{laps} laps are not enough for it"\n')
    try:
        assert list(sentences(path)) == ["var/sentence.py:2: … laps are not enough for it"]
    finally:
        path.unlink()
