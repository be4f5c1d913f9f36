"""What a place asks of a lap is a question of the verdict; marks are looked at and gathered nowhere else."""

import ast
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.laps import verdict
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import FLAGS, MARKS
from tests.conftest import HOME
from tests.making import lap, track

WORDS = frozenset({*MARKS, *FLAGS})
PLACES = [
    path
    for path in sorted((HOME / "fleet_rival").rglob("*.py"))
    if not {"migrations", "bench", "simulator", "demo", "wording"} & set(path.parts)
    and not path.is_relative_to(HOME / "fleet_rival" / "core" / "laps")
    and path != HOME / "fleet_rival" / "core" / "words.py"
]


def word(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and node.value in WORDS


def looked_at(tree: ast.AST) -> Iterator[int]:
    """Lines on which a mark is looked for among a lap's, or several are gathered."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare) and word(node.left):
            of = node.comparators[0]
            if isinstance(of, ast.Attribute) and of.attr in ("marks", "against", "flags"):
                yield node.lineno
        if isinstance(node, ast.Set) and len(node.elts) > 1 and all(word(item) for item in node.elts):
            yield node.lineno


def test_no_other_place_looks_at_marks_or_copies_sets_of_them() -> None:
    found = [f"{path.relative_to(HOME)}:{line}" for path in PLACES for line in looked_at(ast.parse(path.read_text()))]
    assert not found


@pytest.mark.parametrize(
    "code", ['"tow" in lap.flags', 'x = {"yellow", "pit"} & item.marks.keys()', '"cold" not in item.marks']
)
def test_what_is_looked_for_would_be_found(code: str) -> None:
    assert list(looked_at(ast.parse(code)))


def judged(flags: frozenset[str], *, valid: bool) -> JudgedLap:
    layout = track(3)
    facts = {"layout": layout, "flags": flags, "valid": valid, "kind": "flying"}
    laps = [lap(1, 9.0, 9.0, 9.0, 9.0, layout=layout, kind="out"), lap(2, 5.0, 5.0, 5.0, 5.0, **facts)]
    return judge(layout, laps, Settings())[1]


@given(st.frozensets(st.sampled_from(FLAGS)), st.booleans())
def test_questions_agree_with_each_other(flags: frozenset[str], valid: bool) -> None:
    item = judged(flags, valid=valid)
    assert verdict.is_guests(item.lap) == (verdict.GUEST in flags)
    assert verdict.is_slow_on_purpose(item.lap) == ("cool" in flags)
    if verdict.Use.CLEAN in verdict.uses(item):
        assert verdict.was_free(item) and verdict.race_goes_on(item) and not verdict.failed(item)
        assert verdict.was_driven_through(item)
    if verdict.tells_of_the_track(item):
        assert not verdict.is_cold(item) and verdict.race_goes_on(item)
    alone = [mark for mark in MARKS if verdict.is_only(item, mark)]
    assert len(alone) == (1 if len(item.marks) == 1 else 0)
