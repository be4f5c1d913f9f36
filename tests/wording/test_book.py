"""The track book in sentences."""

from typing import Any

import pytest

from fleet_rival.core.book.card import CardLine
from fleet_rival.core.book.checks import Check
from fleet_rival.core.book.corner import Kerb, Lane, Limit, Passing, Trait
from fleet_rival.core.book.importance import Importance
from fleet_rival.core.book.references import Reference
from fleet_rival.core.words import BOOK_CHECKS, COSTS, POINTS, REFERENCE_KINDS, REFERENCE_SIDES, THROTTLES, TRAITS
from fleet_rival.wording.book import YARDS, card_words, check_words, importance_words, plain_card, reference_words


def told(point: Any = "braking", kind: Any = "board", thing: str = "second board", **values: Any) -> str:
    return reference_words(Reference("k", "T1", point, kind, thing, **values))


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({}, "Brake at the second board"),
        ({"side": "left", "offset_m": 5.0}, "Brake 5 m after the second board on the left"),
        ({"side": "above", "offset_m": -12.5, "thing": "bridge"}, "Brake 12.5 m before the bridge overhead"),
        ({"offset_m": 0.0}, "Brake at the second board"),
        (
            {"offset_words": "end of the second drain cover", "thing": "second drain cover"},
            "Brake at the end of the second drain cover",
        ),
        ({"offset_words": "just short of it", "thing": "drain cover"}, "Brake just short of it, drain cover"),
        ({"offset_words": "where the wall ends", "thing": ""}, "Brake where the wall ends"),
        ({"thing": "a gap in the trees"}, "Brake at a gap in the trees"),
        ({"thing": "100 board"}, "Brake at 100 board"),
        ({"thing": "Ada's tree"}, "Brake at Ada's tree"),
        ({"kind": "sound", "thing": "echo"}, "Brake when you hear the echo"),
        ({"kind": "feel", "thing": "second bump"}, "Brake when you feel the second bump"),
        ({"kind": "sequence", "thing": "count of two"}, "Brake after the count of two"),
        ({"kind": "horizon", "thing": "mast comes free of the roof"}, "Brake when the mast comes free of the roof"),
        ({"thing": "", "car": "C", "gear": 2, "brake_peak_pct": 80.0}, "Brake: 2nd gear, 80 % brake"),
        ({"car": "C", "gear": 1, "harder_than": "T5"}, "Brake at the second board, 1st gear, harder than in T5"),
        ({"point": "pick-up", "thing": "door", "car": "C", "throttle": "squeezed"}, "Throttle at the door, squeezed"),
        ({"point": "lift", "thing": "", "car": "C", "throttle": "held"}, "Lift: throttle held"),
    ],
)
def test_a_reference_is_a_sentence_that_can_be_read_out(values: dict[str, Any], words: str) -> None:
    assert told(**values) == words


@pytest.mark.parametrize("point", POINTS)
def test_each_point_kind_side_and_throttle_has_words(point: Any) -> None:
    for kind in REFERENCE_KINDS:
        for side in (*REFERENCE_SIDES, None):
            assert told(point, kind, side=side).count("  ") == 0
    for throttle in THROTTLES:
        assert throttle in told(point, car="C", throttle=throttle)


def test_who_thinks_in_miles_hears_of_yards() -> None:
    assert (
        reference_words(Reference("k", "T1", "braking", "board", "board", offset_m=45.72), YARDS)
        == "Brake 50 yd after the board"
    )


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({}, "About 6.1 s at full throttle after it, over 410 m to T4: the longest of 9."),
        ({"rank": 2}, "About 6.1 s at full throttle after it, over 410 m to T4: the 2nd longest of 9."),
        ({"seconds": None}, "At full throttle after it for 410 m to T4: the longest of 9."),
        (
            {"level": "low"},
            "By hand; derived high. About 6.1 s at full throttle after it, over 410 m to T4: the longest of 9.",
        ),
        ({"stretch_m": 0.0, "rank": 9}, "It runs straight into T4: nothing is fed by it."),
        ({"feeds": "T3"}, "About 6.1 s at full throttle after it, over 410 m round to itself: the longest of 9."),
    ],
)
def test_why_a_corner_matters(values: dict[str, Any], words: str) -> None:
    usual: dict[str, Any] = {
        "code": "T3",
        "level": "high",
        "derived": "high",
        "stretch_m": 410.0,
        "seconds": 6.13,
        "feeds": "T4",
        "rank": 1,
    }
    assert importance_words(Importance(**{**usual, **values}), 9) == words


@pytest.mark.parametrize(
    ("check", "words"),
    [
        (Check("no-braking", "T1"), "Nobody has written what to brake by."),
        (Check("only-proposed", "T1", references=("a",)), "What to brake by is proposed, and not confirmed."),
        (Check("only-proposed", "T1", references=("a", "b")), "2 proposals to brake by, none confirmed."),
        (Check("weak-braking", "T1", values=("wears",)), "What one brakes by may be gone: it wears in or out."),
        (Check("two-gears", "T1", values=("2", "3")), "Two gears for one apex: 2nd and 3rd."),
        (Check("two-gears", "T1", values=("1", "2", "3")), "3 gears for one apex: 1st, 2nd and 3rd."),
        (Check("harder", "T1", "T5"), "Said to need more brake than T5, and T5 more than this one."),
        (
            Check("harder", "T1", "T5", values=("60", "85")),
            "Said to need more brake than T5, but 60 % here and 85 % there.",
        ),
        (Check("limits-unknown", "T1"), "Nobody has read where the limits are."),
        (Check("limits-old", "T1", values=("A", "B")), "The limits were read by the rules “A”; the week has “B”."),
        (
            Check("limits-old", "T1", values=("", "B")),
            "The limits were read by rules without a version; the week has “B”.",
        ),
        (Check("pit-exit", None), "Nobody has written how the pit exit goes."),
    ],
)
def test_what_is_to_be_seen_to(check: Check, words: str) -> None:
    assert check_words(check) == words


def test_each_kind_of_check_has_words() -> None:
    values = {"two-gears": ("2", "3"), "limits-old": ("A", "B"), "weak-braking": ("wears",)}
    assert all(check_words(Check(kind, "T1", "T2", ("a",), values.get(kind, ()))).endswith(".") for kind in BOOK_CHECKS)


def line(**values: Any) -> CardLine:
    usual = {
        "go_by": (),
        "traits": (),
        "never": (),
        "limits": (),
        "passing": (),
        "lanes": (),
        "linked": "",
        "is_flat": False,
    }
    return CardLine("T1", "Boiler", "high", **{**usual, **values})


def test_a_line_of_the_card_says_what_to_do_and_what_to_mind() -> None:
    assert card_words(line()) == "Nothing written yet."
    assert card_words(line(is_flat=True)) == "Flat."
    go_by = (
        Reference("a", "T1", "braking", "tree", "oak", state="confirmed"),
        Reference("b", "T1", "apex", "kerb", "kerb end"),
    )
    assert (
        card_words(line(go_by=go_by, linked="T2"))
        == "Brake at the oak. Apex at the kerb end (proposed). Give it up for T2."
    )
    own = Reference("c", "T1", "apex", "kerb", "kerb end", driver="Ada")
    assert card_words(line(go_by=(own,))) == "Apex at the kerb end."
    minds = line(
        traits=(Trait("crest", "entry"), Trait("blind")),
        never=(Kerb("exit", "never"),),
        limits=(Limit("over the line", "wheels", "void"),),
    )
    assert (
        card_words(minds)
        == "Mind: crest (entry); blind; stay off the kerb at the exit; the limit over the line voids the lap."
    )
    far = line(limits=(Limit("exit, over the kerb", "wheels", "strike"),))
    assert card_words(far) == "Mind: the limit at the exit, over the kerb costs a strike."
    way = Passing("either", "low", "it closes", "yield when alongside")
    lanes = (Lane("middle", "middle", why="the first is polished"), Lane("start", "inside", "first groove"))
    assert (
        card_words(line(lanes=lanes))
        == "First laps inside, first groove; middle of the race middle (the first is polished)."
    )
    assert card_words(line(passing=(way,))) == "Pass on either side, low risk: it closes. Yield when alongside."


def test_each_trait_and_cost_has_words() -> None:
    for kind in TRAITS:
        assert card_words(line(traits=(Trait(kind),))).startswith("Mind: ")
    for cost in COSTS:
        assert cost.split("-")[0][:4] in card_words(line(limits=(Limit("exit", "", cost),))) or cost == "slow-down"


def test_the_plain_card_is_a_line_a_corner() -> None:
    assert (
        plain_card("Quernholm", [("T1 Boiler", "Flat."), ("T2", "Brake.")])
        == "Quernholm\n\nT1 Boiler: Flat.\nT2: Brake.\n"
    )
