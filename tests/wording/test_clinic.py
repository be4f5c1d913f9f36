"""Mistakes, causes and work in sentences: each number where it belongs, each kind and fact with words of its own,
nothing about persons.
"""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.corners.audit import BrakeScatter, Sides
from fleet_rival.core.corners.inputs import Cause
from fleet_rival.core.corners.priorities import SharedMistake
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.slips import Found, Slip
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.when import RunRate, Share, Trend, When
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.core.words import MISTAKES
from fleet_rival.wording.clinic import (
    audit_words,
    card_text,
    corner_words,
    evidence,
    mistake_words,
    rate_words,
    seconds,
    shared_words,
    standing_words,
    trend_words,
    when_words,
)
from fleet_rival.wording.exercises import SHIPPED, mark_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS

NAMES = {"T6": "Lantern Steps", "T7": None}


def mistake(
    kind: str = "late-throttle", slips: int = 8, passes: int = 40, loss: float = 310_000.0, behind: float = 0.0
) -> Mistake:
    made = tuple(
        Slip(Found(index, "T6", loss, round(loss), True, None, None), kind, "telemetry", None, behind, "T6", kind)
        for index in range(slips)
    )
    rate = slips / passes if passes else 0.0
    return Mistake("T6", kind, made, passes, 3, rate, 0.0, 1.0, loss, behind, 0.0, recurring=True)


class TestAMistake:
    def test_says_where_how_often_and_what_it_costs(self) -> None:
        told = mistake_words(mistake(), NAMES, 22.0)
        assert told == (
            "The throttle comes too late at T6 Lantern Steps on one lap in five: 0.31 s each time, 0.06 s a lap, "
            "1.4 s in the race."
        )
        assert (
            mistake_words(mistake(), {}, None)
            == "The throttle comes too late at T6 on one lap in five: 0.31 s each time, 0.06 s a lap."
        )

    @pytest.mark.parametrize(
        ("behind", "words"),
        [
            (80_000.0, " and 0.08 s behind it,"),
            (-40_000.0, ", of which 0.04 s come back,"),
            (19_000.0, "0.31 s each time, 0"),
        ],
    )
    def test_says_what_comes_behind_it_where_that_is_more_than_noise(self, behind: float, words: str) -> None:
        assert words in mistake_words(mistake(behind=behind), NAMES, None)

    @pytest.mark.parametrize("kind", MISTAKES)
    def test_each_kind_has_a_sentence_a_name_and_an_exercise(self, kind: str) -> None:
        told = mistake_words(mistake(kind), NAMES, None)
        assert "T6 Lantern Steps" in told and told[0].isupper() and told.endswith(".")
        assert MISTAKE_WORDS[kind] and SHIPPED[kind].work and SHIPPED[kind].title

    def test_no_word_more_and_none_less_than_there_are_kinds(self) -> None:
        assert list(MISTAKE_WORDS) == list(SHIPPED) == list(MISTAKES)
        sentences = {mistake_words(mistake(kind), NAMES, None) for kind in MISTAKES}
        assert len(sentences) == len(set(MISTAKE_WORDS.values())) == len(MISTAKES)

    def test_laps_and_passes_are_spoken_of_never_persons(self) -> None:
        texts = [mistake_words(mistake(kind), NAMES, 20.0) for kind in MISTAKES]
        texts += [text for item in SHIPPED.values() for text in (item.title, item.cause, item.feel, item.work)]
        for text in (*texts, *MISTAKE_WORDS.values()):
            assert not re.search(r"\b(he|she|his|her|bad|lazy|careless|poor|stupid|weak)\b", text, re.IGNORECASE), text

    @pytest.mark.parametrize(
        ("slips", "passes", "words"),
        [
            *(
                (0, 40, "on no lap"),
                (3, 0, "on no lap"),
                (8, 40, "on one lap in five"),
                (20, 40, "on one lap in two"),
                (4, 54, "on 4 of 54 laps"),
            ),
            *(
                (2, 4, "on 2 of 4 laps"),
                (40, 40, "on 40 of 40 laps"),
                (4, 40, "on one lap in ten"),
                (3, 36, "on 3 of 36 laps"),
            ),
        ],
    )
    def test_rates_are_words_where_the_words_are_true(self, slips: int, passes: int, words: str) -> None:
        assert rate_words(slips, passes) == words

    @given(st.integers(1, 200), st.integers(1, 200))
    def test_one_in_so_many_is_true_to_a_tenth(self, slips: int, passes: int) -> None:
        told = rate_words(slips, max(slips, passes))
        if told.startswith("on one lap in "):
            many = ("two", "three", "four", "five", "six", "seven", "eight", "nine", "ten").index(told.split()[-1]) + 2
            assert abs(max(slips, passes) / slips - many) <= 0.1 * many + 1e-9
        else:
            assert told == f"on {slips} of {max(slips, passes)} laps"


class TestEvidence:
    @pytest.mark.parametrize(
        ("facts", "words"),
        [
            ({"brake_shift_m": 9.4}, "Brakes 9 m later than on good passes."),
            (
                {"brake_shift_m": -12.0, "slowest_kmh": -4.2},
                "Brakes 12 m earlier than on good passes, minimum speed 4 km/h lower.",
            ),
            (
                {"pick_up_m": 22.0, "slowest_kmh": 0.4},
                "Throttle 22 m later than on good passes, minimum speed the same.",
            ),
            ({"pick_up_m": -6.0}, "Throttle 6 m earlier than on good passes."),
            ({"pick_up_m": 1.0}, "By its trace."),
            ({"widest_m": 2.21}, "Carried 2.2 m further out."),
            ({"outward_m": 1.9}, "1.9 m from where good passes touch the apex."),
            ({"lock_pct": 44.6}, "Wheels locked by 45 %."),
            ({"slip_pct": 18.0}, "Wheels spinning by 18 %."),
            ({"against_deg": 31.0}, "Wheel 31° against the corner."),
            ({"gear": 3.0, "good_gear": 2.0}, "Gear 3 where good passes have 2."),
            ({"gear": 2.0}, "Down to gear 2 while braking and turning."),
            ({"limiter_s": 0.42}, "0.4 s at the limiter."),
            ({"slowest_kmh": 6.0}, "Minimum speed 6 km/h higher."),
            ({}, "By its trace."),
        ],
        ids=lambda value: "-".join(value) if isinstance(value, dict) else "",
    )
    def test_each_fact_has_words(self, facts: dict[str, float], words: str) -> None:
        assert in_units(evidence(Cause("other", 0.0, facts), "telemetry"), DEFAULTS) == words

    @pytest.mark.parametrize("source", ["file", "person", "times", "telemetry"])
    def test_without_a_cause_it_says_what_it_is_known_by(self, source: str) -> None:
        assert evidence(None, source).endswith(".")
        assert len({evidence(None, other) for other in ("file", "person", "times", "telemetry")}) == 4


def share(slips: int, chance: float) -> Share:
    return Share(slips, 10, 2, 30, chance)


NONE = share(0, 1.0)


def test_circumstances_are_told_where_they_are_clear() -> None:
    when = When(share(6, 0.001), NONE, share(4, 0.02), share(5, 0.4))
    assert when_words(when) == [
        "More often in the first laps of a run: 6 of 10 passes, else 2 of 30.",
        "More often after something else went wrong: 4 of 10 passes, else 2 of 30.",
    ]
    assert when_words(When(NONE, NONE, NONE, NONE)) == []
    crowded = When(NONE, share(7, 0.001), NONE, share(7, 0.001))
    assert [words.split(":")[0] for words in when_words(crowded)] == [
        "More often late in a run",
        "More often with others close",
    ]


def runs(*rates: tuple[int, int]) -> tuple[RunRate, ...]:
    return tuple(RunRate("2", number, passes, slips) for number, (slips, passes) in enumerate(rates, 1))


@pytest.mark.parametrize(
    ("trend", "words"),
    [
        (Trend(runs((4, 10), (0, 9), (0, 8)), 0.01, True, True, False), "Closed: not once in the last 17 passes."),
        (Trend(runs((4, 10), (1, 9)), 0.2, True, True, False), "Closed: over the last runs it costs next to nothing."),
        (Trend(runs((4, 10), (0, 9), (3, 9)), 0.5, True, False, True), "It was gone, and came back."),
        (
            Trend(runs((5, 10), (4, 10), (1, 10), (0, 10)), 0.01, True, False, False),
            "Getting better: 9 of 20 passes at first, 1 of 20 since session 2, run 3.",
        ),
        (
            Trend(runs((0, 10), (1, 10), (4, 10), (5, 10)), 0.01, False, False, False),
            "Getting worse: 1 of 20 passes at first, 9 of 20 since session 2, run 3.",
        ),
        (Trend(runs((3, 10), (2, 10)), None, False, False, False), "No clear change from run to run."),
        (Trend(runs((3, 10), (2, 10)), 0.6, True, False, False), "No clear change from run to run."),
    ],
)
def test_trends(trend: Trend, words: str) -> None:
    assert trend_words(trend) == words


def test_standing_losses_name_who_does_it_best_only_where_that_is_told() -> None:
    loss = StandingLoss("T6", 170_000, "Corin Ashgrove", 10.0, 9.0, 0.01, "over-slow")
    told = standing_words(loss, NAMES, 20.0, "Corin Ashgrove")
    assert (
        told
        == "Every lap loses 0.17 s at T6 Lantern Steps against Corin Ashgrove: slower than needed; 3.4 s in the race."
    )
    assert "Corin" not in standing_words(loss, NAMES, None, None) and "the best of the team" in standing_words(
        loss, NAMES, None, None
    )
    assert standing_words(StandingLoss("T7", 50_000, "x", 1.0, 1.0, 0.0), NAMES, None, None).endswith(
        "against the best of the team."
    )


def test_what_half_the_team_does_is_a_question() -> None:
    told = shared_words(SharedMistake("T6", "early-brake", ("A", "B", "C"), 5), NAMES)
    assert (
        told.startswith("T6 Lantern Steps: braked too early with 3 of 5 drivers.")
        and told.endswith("?")
        and "A" not in told.split(".")[0][3:4]
    )


def test_a_reference_in_words() -> None:
    item = BrakeScatter("T6", 812.0, 7.4, 20, others_m=2.1, unused=True)
    assert (
        audit_words(item, None, NAMES)
        == "Braking for T6 Lantern Steps scatters by 7.4 m, elsewhere by 2.1 m: its reference isn’t really used."
    )
    told = audit_words(item, Sides(9.0, 12, 2.0, 12, -6.2, 0.01), NAMES)
    assert told.endswith("confirmed or changed 9.0 m, since then 2.0 m; it is braked for 6 m earlier.")
    assert "which may be chance" in audit_words(item, Sides(9.0, 12, 8.0, 12, 0.2, 0.4), NAMES)
    assert audit_words(item, Sides(9.0, 12, None, 3, None, None), NAMES).endswith(
        "braked for 3 times, before 12 times: too few to compare."
    )


def test_a_card_is_a_dozen_lines_at_most() -> None:
    items = [("Sentence one.", "Brake at the post", "Ten laps.", "8 of 10 without it")] * 3
    text = card_text("Ysolde Farrand: Quay, Car", items)
    assert (
        len(text.splitlines()) == 10
        and text.splitlines()[1] == "1. Sentence one."
        and "Passed with 8 of 10 without it." in text
    )
    assert "nothing confirmed yet" in card_text("x", [("Sentence.", None, "Ten.", "all")])
    assert card_text("x", []).splitlines()[1].startswith("Nothing recurs")


def test_small_words() -> None:
    assert (seconds(-310_000), seconds(1_234_000, 1), seconds(0)) == ("−0.31 s", "1.2 s", "0.00 s")
    assert (corner_words("T6", NAMES), corner_words("T7", NAMES), corner_words("L0", NAMES)) == (
        "T6 Lantern Steps",
        "T7",
        "L0",
    )
    assert mark_words(10, 8).startswith("8 of 10") and mark_words(5, 5) != mark_words(10, 5)
