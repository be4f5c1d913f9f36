"""The plan in words: each kind of block, each way to a gain, each rule and each check, with the numbers they stand
on.
"""

import inspect
import re
from dataclasses import replace

import pytest

from fleet_rival.core.planning import checker
from fleet_rival.core.planning.blocks import BLOCKS
from fleet_rival.core.planning.needs import needed_blocks
from fleet_rival.core.planning.readiness import Check, Evidence, OpenMistake, OpenOption, readiness
from fleet_rival.core.words import BLOCK_KINDS
from fleet_rival.wording.plan import BLOCK_WORDS, RULE_WORDS, block_words, check_words, gain_words

EVERYTHING_OPEN = Evidence(
    66_000_000,
    8,
    gap_us=400_000,
    learning_us=300_000.0,
    falloff_half_us=9_000.0,
    mistakes=(OpenMistake("T6", "late-throttle", 60_000.0, 0.7),),
    options=(OpenOption("T3", ("early", "late"), 40_000.0),),
    differences=("wetness",),
    race_laps=22,
)


def test_every_kind_of_block_has_its_words() -> None:
    assert tuple(BLOCKS) == BLOCK_KINDS and set(BLOCK_WORDS) == set(BLOCK_KINDS)
    assert len(set(BLOCK_WORDS.values())) == len(BLOCK_KINDS)
    assert (
        block_words("corner", "T6:late-throttle") == "T6: throttle too late"
        and block_words("trial", "T3") == "try an option, T3"
    )
    assert block_words("long", "") == "long run"


def test_every_rule_that_can_be_broken_has_its_words() -> None:
    named = set(re.findall(r'Broken\("([a-z-]+)"', inspect.getsource(checker))) | {"break", "seat"}
    assert named == set(RULE_WORDS)


def test_every_gain_says_how_it_comes_about() -> None:
    told = {item.kind: gain_words(item.why, item.numbers, item.gain_us) for item in needed_blocks(EVERYTHING_OPEN)}
    assert (
        told["corner"] == "Worth 0.04 s a lap: the mistake costs 0.06 s a lap, and such work takes 70 % of that away."
    )
    assert told["build"].startswith("Worth 0.15 s a lap: half of what the learning curve still promises")
    assert told["trial"] == (
        "Worth 0.02 s a lap: early or late at T3 is undecided within ±0.04 s; a wrong choice costs half of that on "
        "average."
    )
    assert told["long"] == "Worth 0.05 s a lap: the falloff is known to ±0.009 s a lap, over 11 laps of a stint."
    assert told["review"].startswith("Worth 0.01 s a lap: looking at 0.06 s of mistakes together")
    for kind in ("walk", "qualifying", "rehearsal", "wet"):
        assert "supposed" in told[kind] and told[kind].endswith("as long as nothing is measured."), kind


def test_what_is_beyond_the_target_is_worth_less_and_says_so() -> None:
    ready = replace(EVERYTHING_OPEN, gap_us=-10_000)
    told = next(
        gain_words(item.why, item.numbers, item.gain_us) for item in needed_blocks(ready) if item.kind == "build"
    )
    assert told.endswith(", and less because the target is reached.")
    supposed = next(
        gain_words(item.why, item.numbers, item.gain_us)
        for item in needed_blocks(replace(ready, learning_us=None))
        if item.kind == "build"
    )
    assert "supposed, 0.3 % of a lap" in supposed and supposed.endswith("because the target is reached.")


@pytest.mark.parametrize(
    ("check", "words"),
    [
        (Check("laps", "close", 48, 60, "build"), ("laps driven", "48 of 60 laps")),
        (Check("gap", "open", 680_000, 0, "build"), ("pace", "0.68 s from the target")),
        (Check("gap", "met", -120_000, 0, "build"), ("pace", "0.12 s below the target")),
        (Check("gap", "open", None, 0, "build"), ("pace", "no target, or no lap")),
        (Check("clean_rate", "close", 0.8, 0.85, "corner"), ("clean laps", "80 % of laps clean, 85 % wanted")),
        (Check("spread", "open", 0.91, 0.5, "long"), ("consistency", "spread 0.91 %, 0.50 % wanted")),
        (Check("mistakes", "open", 180_000, 50_000, "corner"), ("open mistakes", "0.18 s a lap in recurring mistakes")),
        (Check("references", "close", 2, 0, "walk"), ("references", "2 corners without a confirmed braking reference")),
        (Check("start", "open", 0, 1, "rehearsal"), ("start rehearsed", "0 of 1 rehearsals")),
    ],
)
def test_checks_show_what_there_is(check: Check, words: tuple[str, str]) -> None:
    assert check_words(check) == words


@pytest.mark.parametrize("evidence", [Evidence(), EVERYTHING_OPEN, Evidence(references_missing=3, laps=90)])
def test_every_check_has_words_with_and_without_a_value(evidence: Evidence) -> None:
    for check in readiness(evidence):
        title, words = check_words(check)
        assert title and words and "{" not in words and "None" not in words
        assert check.block is None or check.block in BLOCK_WORDS
