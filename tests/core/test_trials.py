"""A figure beside others: setups that are tried, tyres that fall off in one corner, and one habit, in one evening."""

from dataclasses import replace

import pytest

from fleet_rival.bench.trials import EVENINGS, Evening, practice, trials_found, trials_table
from fleet_rival.core.corners.clinic import clinic_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

SEED = 411


def recurring(track: Track, laps: list[Lap]) -> set[str]:
    clinic = clinic_of(track, judge(track, laps, Settings()), range(len(laps)), {}, Settings())
    return {item.corner for item in clinic.mistakes if item.recurring}


@pytest.mark.parametrize("evening", EVENINGS, ids=[evening.name for evening in EVENINGS])
def test_what_is_there_is_told_and_nothing_else(evening: Evening) -> None:
    [seen] = trials_found(3, SEED, [evening])
    assert seen.sets == 3 and not seen.false_mistakes and not seen.false_trades
    if evening.habit is not None:
        assert seen.found == 3
    elif evening.trade:
        assert seen.found >= 2


@pytest.mark.parametrize("noise", ["normal", "heavy tails", "neighbours correlated"])
def test_a_setup_that_loses_a_corner_by_far_is_no_mistake_of_it(noise: str) -> None:
    track, laps = practice(Evening("two wings", setups=2, effect=0.0), noise, SEED)
    lost = [
        replace(item, segments={**item.segments, "T5": item.segments["T5"] + 300_000}, time_us=item.time_us + 300_000)
        if item.setup == "v2"
        else item
        for item in laps
    ]
    assert not recurring(track, lost), "27 of 54 laps lose 0.3 s at T5, all of them with the other wing"
    # The same loss on every other lap, whatever the setup, is one.
    habit = [
        replace(item, segments={**item.segments, "T5": item.segments["T5"] + 300_000}, time_us=item.time_us + 300_000)
        if item.number % 3 == 0
        else item
        for item in laps
    ]
    assert recurring(track, habit) == {"T5"}


def test_a_setup_of_few_laps_is_judged_like_the_others() -> None:
    track, laps = practice(Evening("one wing", habit=5), "normal", SEED)
    few = [replace(item, setup="v9") if item.run == 6 and item.number > 7 else item for item in laps]
    assert recurring(track, few) == recurring(track, laps) == {"T5"}


def test_what_tyres_do_to_two_neighbours_is_no_trade_and_a_trade_on_old_tyres_is_one() -> None:
    worn = Evening("worn", laps=72, runs=3, tyres=(3, 4), trade=-0.75)
    found = trials_found(3, SEED, [worn])[0]
    assert found.found == 3 and not found.false_trades


def test_the_table_says_what_was_asked() -> None:
    told = trials_table(trials_found(1, SEED, [EVENINGS[0], EVENINGS[3]]))
    assert "| three setups, no habit | 1 | – | 0 | 0 | no false mistake in 59 of 60 |" in told
    assert "| three setups and a habit | 1 | 1 | 0 | 0 |" in told


def test_a_setup_and_an_option_that_are_tried_in_one_evening_are_each_taken_out() -> None:
    """However few laps each pair of them has: 54 laps with three setups and three ways to drive T5 are six each."""
    track, laps = practice(Evening("wings and lines", setups=3, effect=0.0, habit=8), "normal", SEED)
    wings, lines = {"v1": 0, "v2": 200_000, "v3": 350_000}, {"high": 0, "low": 250_000, "late": 400_000}
    tried = []
    for item in laps:
        line = list(lines)[item.number % 3]
        lost = wings[str(item.setup)] + lines[line]
        segments = {**item.segments, "T5": item.segments["T5"] + lost}
        tried.append(replace(item, segments=segments, time_us=item.time_us + lost, options=(("T5", line),)))
    assert recurring(track, tried) == {"T8"}
