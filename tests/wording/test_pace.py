"""Words about pace and options: a true sentence for each way that it can go."""

from dataclasses import replace

import pytest

from fleet_rival.core.corners.beside import Pair
from fleet_rival.core.effects import Tyres
from fleet_rival.core.ledger import Proposal
from fleet_rival.core.options import OptionTrial, Shift, Verdict
from fleet_rival.core.options.odds import Odds
from fleet_rival.core.options.results import Side
from fleet_rival.core.pace.falloff import Cliff, Falloff
from fleet_rival.core.pace.learning import LearningCurve
from fleet_rival.core.pace.looks import SetupChange
from fleet_rival.core.pace.slope import Slope
from fleet_rival.wording.pace import (
    falloff_by_part_words,
    falloff_words,
    learning_words,
    pair_words,
    part_eats_words,
    proposal_words,
    setup_change_words,
    surer_words,
    team_eaters_words,
    trial_words,
    verdict_words,
)

HIGH = Side("high", 27, 0, 10e6, 30_000.0, 10e6, 0.0, 0.1)
LOW = Side("low", 27, 0, 10e6, 145_000.0, 10e6, 0.0, 0.1)
TRIAL = OptionTrial("T9", HIGH, LOW, 20)
NET = Slope(31_000.0, 22_000.0, 40_000.0, 0.2, 30, 3)
TOLD = {"tyre_us_per_lap": "fuel and tyre age rise together in every run"}


def test_falloff_is_said_with_its_sign_interval_and_what_cant_be_told() -> None:
    words = falloff_words(Falloff(NET, reasons=TOLD))
    assert words[0] == "Each further lap costs 0.031 s (0.022 s to 0.040 s), told by 30 laps in 3 runs."
    assert words[1] == "The tyres' part can't be told: fuel and tyre age rise together in every run."
    faster = falloff_words(Falloff(replace(NET, value=-31_000.0, low=-40_000.0, high=-22_000.0), reasons=TOLD))
    assert faster[0] == "Each further lap is 0.031 s faster (0.022 s to 0.040 s), told by 30 laps in 3 runs."
    neither = falloff_words(Falloff(replace(NET, low=-5_000.0, runs=1), -9_000.0, -20_000.0, 2_000.0))
    assert (
        neither[0]
        == "No falloff to be told apart from none: +0.031 s a lap (−0.005 to +0.040), told by 30 laps in 1 run."
    )
    assert neither[1] == "The tyres' part of it is −0.009 s a lap (−0.020 to +0.002)."
    cliff = falloff_words(Falloff(NET, cliff=Cliff(13.0, "tyre_age", 20_000.0, 170_000.0, 9.0), reasons=TOLD))
    assert cliff[2] == "A cliff at a tyre age of 13 laps: from there 0.170 s a lap instead of +0.020."
    assert falloff_words(Falloff(None, reasons={"us_per_lap": "no run of 5 clean laps"})) == [
        "Falloff can't be told: no run of 5 clean laps."
    ]


@pytest.mark.parametrize(
    ("winner", "value", "more", "words"),
    [
        ("first", 120_000.0, None, "high, by 0.120 s."),
        ("second", -120_000.0, None, "low, by 0.120 s."),
        ("equal", 2_000.0, None, "Equal for practical purposes: take the safer, low."),
        ("not_yet", -20_000.0, 14, "Not yet: about 14 more of each. So far low is 0.020 s ahead."),
        (
            "not_yet",
            20_000.0,
            None,
            "Not yet: it would take more of each than anybody drives. So far high is 0.020 s ahead.",
        ),
    ],
)
def test_each_verdict_is_one_sentence(winner: str, value: float, more: int | None, words: str) -> None:
    assert verdict_words(TRIAL, Verdict(winner, Shift(value, value - 1, value + 1), "low", more)) == words


def test_what_decides_is_said_where_it_isnt_time() -> None:
    shift = Shift(60_000.0, 40_000.0, 80_000.0)
    assert verdict_words(TRIAL, Verdict("first", shift, "high", because="failures")) == (
        "high, by 0.060 s, since low fails more often."
    )
    assert verdict_words(TRIAL, Verdict("first", shift, "high", because="scatter")) == (
        "high, which repeats better: as quick as low on average, it scatters by 0.030 s instead of 0.145 s."
    )


def test_no_verdict_says_why() -> None:
    reason = "3 and 9 that worked; 4 of each are needed"
    assert verdict_words(replace(TRIAL, reason=reason), None) == f"No verdict: {reason}."


def test_what_comes_off_or_not_is_told_as_odds() -> None:
    odds = Odds("low", 0.33, 0.22, 0.46, -70_000.0, 300_000.0)
    told = trial_words(replace(TRIAL, shift=Shift(180_000.0, 120_000.0, 240_000.0), comes_off=odds))
    assert told[0] == "low comes off 33 % of the time (22 % to 46 %): 0.07 s faster then, 0.30 s slower otherwise."
    assert not any("low less high" in line for line in told), "a middle that no pass is like"
    plain = trial_words(replace(TRIAL, shift=Shift(180_000.0, 120_000.0, 240_000.0)))
    assert plain[0] == "low less high is +0.180 s (+0.120 to +0.240)."


def test_where_tyres_go_off_is_named_where_it_stands_out() -> None:
    cost = {"L0": 2_000.0, "T1": 30_000.0, "T2": 3_000.0}
    low = {code: value - 4_000.0 for code, value in cost.items()}
    shares = {code: value / 35_000.0 for code, value in cost.items()}
    assert falloff_by_part_words(Tyres(NET, cost, low, cost, shares), [10e6, 10e6, 10e6], moved=False) == (
        "It shows most at T1 (86 % of it)."
    )
    high = {code: value + 4_000.0 for code, value in cost.items()}
    worn = Tyres(None, cost, low, high, shares)
    assert part_eats_words(worn, "T1", 1 / 3, eats=True) == (
        "A further lap costs 0.030 s here (0.026 to 0.034), 86 % of the falloff on 33 % of the lap. "
        "This corner eats tyres: spare them here."
    )
    assert part_eats_words(worn, "T2", 1 / 3, eats=False) == (
        "No falloff told apart from none: +0.003 s a lap (−0.001 to +0.007)."
    )
    assert team_eaters_words([("T1", 0.86)], 1) == "By one driver’s laps tyres fall off most at T1 (86 % of it)."
    assert team_eaters_words([], 3) == "By 3 drivers’ laps tyres fall off alike all round the lap."
    flat = dict.fromkeys(cost, 10_000.0)
    even = Tyres(NET, flat, dict.fromkeys(cost, 8_000.0), flat, dict.fromkeys(cost, 1 / 3))
    assert falloff_by_part_words(even, [10e6] * 3, moved=True) == (
        "With the track's part taken out each further lap costs +0.031 s (+0.022 to +0.040). "
        "It shows alike all round the lap."
    )


def test_cold_laps_are_proposed_with_what_speaks_for_them() -> None:
    why = "laps 2 to 4 of a run are 1.10, 0.70 and 0.20 s slower than the ones behind them"
    assert proposal_words(Proposal("cold_laps", 3, why)) == (
        f"L{why[1:]}: tyres are ready after 3 laps. The falloff leaves them out already."
    )


def test_what_is_hidden_by_the_tyres_age_is_said() -> None:
    change = SetupChange(
        "base", "stiff", 0.0, 500_000.0, 300_000.0, 700_000.0, 5.0, 15.0, "tyre_age", hidden=True, runs=(1, 1)
    )
    assert setup_change_words(change) == (
        "Better than it looks: stiff after base: as fast as before by the clock, on tyres of 15 laps instead of 5; "
        "with all else taken out worth 0.50 s a lap (+0.300 to +0.700 s)."
    )
    plain = replace(change, raw_us=200_000.0, gain_us=-200_000.0, low_us=-300_000.0, high_us=-100_000.0, hidden=False)
    assert setup_change_words(plain).endswith(
        "0.20 s slower by the clock, on tyres of 15 laps instead of 5; with all else taken out 0.20 s a lap slower "
        "(−0.300 to −0.100 s)."
    )
    untold = replace(plain, gain_us=None, low_us=None, high_us=None, reason="one run of each")
    assert setup_change_words(untold).endswith("How much of it is the setup can't be told: one run of each.")


@pytest.mark.parametrize(
    ("clean", "words"),
    [
        (1, "Thin: 1 clean lap; 11 more make it likely."),
        (20, "Likely: 20 clean laps; 10 more make it firm."),
        (30, "Firm: 30 clean laps."),
    ],
)
def test_what_would_make_it_surer(clean: int, words: str) -> None:
    assert surer_words(clean, 12, 30) == words


def test_learning_and_teaching() -> None:
    curve = LearningCurve((), 88_000_000.0, 6_000_000.0, 0.5, 49, "")
    assert (
        learning_words(curve, 88_500_000)
        == "The run medians come down towards 1:28.000; about 49 more laps to a median of 1:28.500."
    )
    assert (
        learning_words(replace(curve, remain=0), 90_000_000)
        == "The run medians come down towards 1:28.000; the target of 1:30.000 is reached."
    )
    assert learning_words(LearningCurve((), reason="2 runs, 4 are needed"), None) == "2 runs, 4 are needed."
    assert pair_words(Pair("Corin", "Ysolde", ("T1", "T4"), 310_000.0)) == (
        "Ysolde could show Corin T1, T4: 0.31 s a lap beyond what is between them as a rule."
    )
