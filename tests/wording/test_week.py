"""What the board says: sentences that read, for one name and for many, to a manager and to a driver."""

import pytest

from fleet_rival.core.season.attention import KINDS
from fleet_rival.wording.week import ACTIONS, OPEN_WORDS, asked_words, joined, need_words, prepared_words

ONE, TWO, MANY = (
    ["Ysolde Farrand"],
    ["Ysolde Farrand", "Corin Ashgrove"],
    ["Ysolde", "Corin", "Ilmar", "Nerys", "Amparo"],
)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("drivers", [ONE, TWO, MANY])
def test_each_need_is_a_sentence_with_an_action(kind: str, drivers: list[str]) -> None:
    words = need_words(kind, drivers, "Harbour Spark Cup", "Port Skerrow, Fishmarket", "Wrenfield EC-2")
    assert words[0].isupper() and not words.endswith(".") and "None" not in words and "  " not in words
    assert len(words) < 130 and ACTIONS[kind]
    # A verb for one, another for several.
    assert not (drivers == ONE and (" have " in words or " are " in words))
    assert not (
        drivers == TWO and (" has " in words or "Ashgrove is " in words) and kind not in ("no_target", "no_references")
    )


def test_a_driver_is_asked_for_what_is_theirs_to_do_and_spoken_to_as_you() -> None:
    asked = {
        kind: asked_words(kind, "Harbour Spark Cup", "Port Skerrow, Fishmarket", "Wrenfield EC-2") for kind in KINDS
    }
    others = {"rig_taken", "rig_closed", "no_entries", "no_track", "no_target", "no_references"}
    assert {kind for kind, words in asked.items() if words is None} == others
    assert all("they" not in words.lower().split() for words in asked.values() if words)


def test_each_thing_that_can_be_open_in_a_cell_has_few_words() -> None:
    # Missed practice isn't a need of its own: the plan is made anew.
    assert OPEN_WORDS.keys() == (set(KINDS) | {"missed_block"}) - {
        "no_entries",
        "no_track",
        "no_target",
        "no_references",
    }
    assert all(len(words.split()) <= 4 for words in OPEN_WORDS.values())


def test_names_are_joined_and_many_are_counted() -> None:
    assert (joined([]), joined(ONE), joined(TWO)) == ("nobody", "Ysolde Farrand", "Ysolde Farrand and Corin Ashgrove")
    assert joined(MANY) == "Ysolde, Corin and 3 others"


@pytest.mark.parametrize(
    ("counts", "layout", "target", "words"),
    [
        ((0, 0, 0), False, False, "track not known here"),
        ((0, 0, 0), True, True, "nobody entered"),
        ((8, 8, 8), True, True, "8 entered; 8 know the track, 8 this car on it"),
        ((3, 1, 0), True, False, "3 entered; 1 knows the track, none this car on it; no target"),
        ((3, 0, 0), True, True, "3 entered; none know the track, none this car on it"),
    ],
)
def test_how_prepared_we_are_is_said_with_the_numbers(
    counts: tuple[int, int, int], layout: bool, target: bool, words: str
) -> None:
    assert prepared_words(*counts, has_layout=layout, has_target=target) == words
