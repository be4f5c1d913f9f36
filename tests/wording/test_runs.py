"""What is said about runs: the check before one, what changed, what is asked of laps."""

from collections.abc import Sequence
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.questions import Question
from fleet_rival.core.runs.context import Change, RunContext, changes_since, deliberate
from fleet_rival.core.runs.precheck import Check, pre_drive_check
from fleet_rival.core.runs.typed import LETTERS
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.core.words import LAP_QUESTIONS, MISTAKES
from fleet_rival.services.drive.runs.asked import ANSWERS
from fleet_rival.wording.mistakes import MISTAKE_WORDS
from fleet_rival.wording.runs import (
    BECAUSE_WORDS,
    answer_words,
    change_words,
    check_words,
    letters,
    question_words,
    together_words,
)


@pytest.mark.parametrize(
    ("check", "words"),
    [
        (Check("limiter", "unseen"), "Pit limiter: on its button, and off when you leave"),
        (Check("tyre_set", "unseen", "A", "A"), "Tyre set A is on the car"),
        (Check("tyre_set", "changed", "A", "B"), "Tyre set B is on the car, not A any more"),
        (Check("fuel_l", "changed", 40.0, 22.5), "Fuel: 22.5 l, was 40 l"),
        (Check("setting:Brake bias", "first", None, "54"), "Brake bias: 54"),
        (Check("official", "unseen", after=True), "Official conditions: the room is set as the race is"),
    ],
)
def test_a_line_of_the_check_says_what_to_look_at(check: Check, words: str) -> None:
    assert in_units(check_words(check), DEFAULTS) == words


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (Change("setup", "v3", "v4"), "setup v3 → v4"),
        (Change("tyre_age", 0.0, 12.0), "tyre age 0 laps → 12 laps"),
        (Change("official", False, True), "official conditions no → yes"),
        (Change("company", "solo", "pack"), "company alone → in a pack"),
        (Change("options", (), (("T4", "third-gear"),)), "options none → T4 = third gear"),
        (Change("setting:Wing", "3", "4"), "Wing 3 → 4"),
    ],
)
def test_a_change_is_told_with_what_was(change: Change, words: str) -> None:
    assert change_words(change) == words


def test_every_word_that_can_be_chosen_has_words() -> None:
    assert MISTAKE_WORDS.keys() == set(MISTAKES)
    assert {item["letter"] for item in letters()} == LETTERS.keys()
    assert ANSWERS.keys() == set(LAP_QUESTIONS)
    for kind, answers in ANSWERS.items():
        assert all(answer_words(kind, answer) for answer in answers)
        assert question_words(Question(kind, 0, "T5", 400_000)).endswith("?")
    assert set(BECAUSE_WORDS) == {"traffic", "yellow", "tow", "cool", "practice_only"}


texts = st.none() | st.sampled_from(["a", "b"])
numbers = st.none() | st.sampled_from([0.0, 5.0, 12.5])
contexts = st.builds(
    RunContext,
    tyre_set=texts,
    compound=texts,
    tyre_age=numbers,
    fuel_l=numbers,
    energy_kwh=numbers,
    setup=texts,
    assists=texts,
    company=st.none() | st.sampled_from(["solo", "pack"]),
    official=st.none() | st.booleans(),
    options=st.lists(st.tuples(st.sampled_from(["T1", "lap"]), st.sampled_from(["x", "y"])), max_size=2).map(tuple),
    settings=st.dictionaries(st.sampled_from(["Bias", "Wing"]), st.sampled_from(["1", "2"])),
)


def known(context: RunContext, name: str) -> Any:
    return (
        context.settings.get(name.removeprefix("setting:")) if name.startswith("setting:") else getattr(context, name)
    )


@settings(deadline=None, max_examples=150)
@given(contexts, contexts)
def test_changes_are_what_is_known_of_both_and_other_and_turn_round(before: RunContext, after: RunContext) -> None:
    there, back = changes_since(before, after), changes_since(after, before)
    assert {(item.what, item.before, item.after) for item in there} == {
        (item.what, item.after, item.before) for item in back
    }
    for item in there:
        assert known(before, item.what) == item.before != item.after == known(after, item.what)
        assert change_words(item).count("→") == 1
    names = {item.what for item in there}
    for name in ("compound", "setup", "fuel_l", "setting:Bias", "setting:Wing"):
        old, new = known(before, name), known(after, name)
        assert (name in names) == (old is not None and new is not None and old != new)
    assert (together_words(there) is not None) == (len(deliberate(there)) > 1)


@settings(deadline=None, max_examples=150)
@given(contexts, st.none() | contexts)
def test_the_check_asks_for_each_thing_once_and_never_for_what_stayed(
    context: RunContext, last: RunContext | None
) -> None:
    asked: Sequence[Check] = pre_drive_check(context, last, ["Wing", "Bias"])
    keys = [item.key for item in asked]
    assert keys[0] == "limiter" and len(keys) == len(set(keys))
    for item in asked:
        assert check_words(item)
        if item.why == "changed":
            assert last is not None and known(last, item.key) == item.before != item.after == known(context, item.key)
    for name in ("fuel_l", "setup", "assists", "energy_kwh", "setting:Bias"):
        value = known(context, name)
        stayed = last is not None and known(last, name) == value
        assert (name in keys) == (value is not None and not stayed)
    assert ("tyre_set" in keys) == (context.tyre_set is not None) and ("official" in keys) == bool(context.official)
