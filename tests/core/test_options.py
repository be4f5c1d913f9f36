"""Trials of options against truths that were put in: who is faster, who fails, and that nothing is told that can't
be.
"""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.options import OptionTrial, option_pairs, option_trial, runs_with
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.settings import Settings
from tests.making import SECOND, lap, track

PLAIN = Settings()
TRACK = track(corners=3)
BASE = (10.0, 20.0, 25.0, 30.0)


def driven(
    order: str,
    gain: float = 0.0,
    *,
    scatter: float = 0.1,
    fails: float = 0.0,
    where: str = "T1",
    seed: int = 1,
    falloff: float = 0.0,
    **facts: object,
) -> list[Lap]:
    """A run of laps, `a` or `b` each; `b` gains so much at T1, and fails with this share, each time by a second."""
    rng = np.random.default_rng(seed)
    laps = [Lap("Ysolde Farrand", 0, 100 * SECOND, run=1, kind="out"), lap(1, *BASE, layout=TRACK)]
    for number, option in enumerate(order, 2):
        times = [time + scatter / 2 * rng.standard_normal() for time in BASE]
        failed = option == "b" and rng.random() < fails
        times[1] += falloff * number - (gain if option == "b" else 0.0) + (1.0 if failed else 0.0)
        more: dict[str, object] = {"strikes": ("T1",)} if failed else {}
        laps.append(lap(number, *times, layout=TRACK, options=((where, option),), **{**facts, **more}))
    return laps


def trial(laps: list[Lap], where: str = "T1", labels: tuple[str, str] = ("a", "b"), **more: int) -> OptionTrial:
    judged = judge(TRACK, laps, PLAIN)
    return option_trial(
        TRACK, judged, [index for index, item in enumerate(judged) if item.flying], where, labels, PLAIN, **more
    )


ALTERNATING = "ab" * 15


def test_the_faster_one_is_told_for_both_and_by_how_much() -> None:
    found = trial(driven(ALTERNATING, 0.3))
    assert (
        found.switches == 29 and found.shift is not None and found.shift.value_us == pytest.approx(-300_000, abs=60_000)
    )
    assert (
        found.shift.low_us < found.shift.value_us < found.shift.high_us < 0
        and found.p_value is not None
        and found.p_value < 0.01
    )
    assert (
        found.race is not None
        and found.qualifying is not None
        and (found.race.winner, found.qualifying.winner) == ("second", "second")
    )
    assert found.odds is not None and found.odds > 0.9 and found.bundle == () and found.fragile is None
    turned = trial(driven(ALTERNATING, 0.3), labels=("b", "a"))
    assert turned.race is not None and turned.race.winner == "first" and turned.shift is not None
    assert turned.shift.value_us == pytest.approx(-found.shift.value_us)


def test_nothing_to_tell_is_not_yet_with_how_many_more_and_enough_is_equal() -> None:
    few = trial(driven("ab" * 5, 0.0, scatter=0.3))
    assert few.race is not None and few.race.winner == "not_yet" and few.race.more is not None and few.race.more > 5
    many = trial(driven("ab" * 60, 0.0, scatter=0.02))
    assert many.race is not None and many.race.winner == "equal" and many.race.safer in ("a", "b")


def test_what_is_faster_and_fails_is_for_qualifying_alone_and_called_fragile() -> None:
    found = trial(driven("ab" * 30, 0.25, fails=0.3))
    assert found.first is not None and found.second is not None and found.second.failed > 4 and found.first.failed == 0
    assert found.second.failure_low < found.second.failed / found.second.n < found.second.failure_high
    assert found.shift is not None and found.shift.high_us < 0 and found.fragile == "b"
    assert found.race is not None and found.race.winner != "second" and found.race.safer == "a"
    assert found.race.shift.value_us > found.shift.value_us, "what a failure costs is in the mean"
    assert found.odds_in_hand is not None and found.odds_in_hand[1] > found.odds_in_hand[0]


@pytest.mark.parametrize(("order", "switches"), [("a" * 15 + "b" * 15, 1), ("a" * 10 + "b" * 10 + "a" * 10, 2)])
def test_order_and_option_cant_be_told_apart_without_switches(order: str, switches: int) -> None:
    found = trial(driven(order, 0.3))
    assert (found.switches, found.race, found.qualifying) == (
        switches,
        None,
        None,
    ) and f"{switches} of the 3 switches" in found.reason
    assert found.shift is not None, "what was driven is shown all the same"


def test_falloff_isnt_the_options_fault() -> None:
    found = trial(driven("aab" * 10, 0.0, falloff=0.05, scatter=0.05))
    assert found.shift is not None and abs(found.shift.value_us) < 40_000


def test_a_whole_lap_option_tells_where_it_wins_and_loses() -> None:
    rng = np.random.default_rng(3)
    laps = [Lap("Ysolde Farrand", 0, 100 * SECOND, run=1, kind="out"), lap(1, *BASE, layout=TRACK)]
    for number in range(2, 32):
        wing = number % 2
        times = [time + 0.02 * rng.standard_normal() for time in BASE]
        times[1] -= 0.2 * wing
        times[3] += 0.3 * wing
        laps.append(lap(number, *times, layout=TRACK, setup="wing 2" if wing else "wing 1"))
    found = trial(laps, "setup", ("wing 1", "wing 2"))
    assert {code: round(shift.value_us / 50_000) for code, shift in found.by_segment.items()} == {
        "L0": 0,
        "T1": -4,
        "T2": 0,
        "T3": 6,
    }
    assert found.race is not None and found.race.winner == "first"


def test_from_which_tyre_age_the_other_is_faster() -> None:
    rng = np.random.default_rng(4)
    laps = [
        Lap("Ysolde Farrand", 0, 100 * SECOND, run=1, kind="out", tyre_age=0.0),
        lap(1, *BASE, layout=TRACK, tyre_age=1.0),
    ]
    for age in range(2, 32):
        saves = age % 2
        times = [time + 0.01 * rng.standard_normal() for time in BASE]
        times[1] += (0.45 + 0.01 * age) if saves else 0.04 * age
        laps.append(lap(age, *times, layout=TRACK, tyre_age=float(age), options=(("T1", "save" if saves else "push"),)))
    found = trial(laps, labels=("push", "save"))
    assert found.from_age == pytest.approx(15, abs=2)


def test_more_than_one_thing_at_once_is_a_bundle() -> None:
    laps = []
    for item in driven(ALTERNATING, 0.2):
        options = dict(item.options)
        laps.append(replace(item, setup=f"sheet {options['T1']}") if options else item)
    assert trial(laps).bundle == ("setup",)


def test_pairs_are_listed_where_two_were_tried() -> None:
    laps = [*driven("aab" * 6), lap(40, *BASE, layout=TRACK, run=2, options=(("T3", "once"),))]
    judged = judge(TRACK, laps, PLAIN)
    assert option_pairs(judged, range(len(judged))) == [("T1", "a", "b")]


@settings(deadline=None, max_examples=25)
@given(
    st.text(alphabet="ab", min_size=0, max_size=24),
    st.sampled_from([0.0, 0.05, 0.5]),
    st.sampled_from([0.0, 0.1]),
    st.integers(0, 99),
)
def test_whatever_was_driven_there_is_an_answer_or_a_reason(order: str, gain: float, scatter: float, seed: int) -> None:
    found = trial(driven(order, gain, scatter=scatter, fails=0.3, seed=seed))
    assert bool(found.reason) == (found.race is None) == (found.qualifying is None)
    for side, count in ((found.first, order.count("a")), (found.second, order.count("b"))):
        assert side is None or side.n <= count
    for verdict in (found.race, found.qualifying):
        if verdict is not None:
            assert verdict.shift.low_us <= verdict.shift.value_us <= verdict.shift.high_us
            assert np.isfinite([verdict.shift.low_us, verdict.shift.value_us, verdict.shift.high_us]).all()


def test_labels_dealt_by_chance_are_rarely_told_apart() -> None:
    told = 0
    for seed in range(40):
        order = "".join(np.random.default_rng(seed).permutation(list(ALTERNATING)))
        race = trial(driven(order, 0.0, seed=seed)).race
        told += race is not None and race.winner in ("first", "second")
    assert told <= 5


def test_an_option_at_a_place_that_the_layout_doesnt_have_is_no_trial() -> None:
    found = trial(driven(ALTERNATING, 0.3, where="T99"), "T99")
    assert found.first is None and found.second is None and found.race is None and found.reason


def test_one_that_hardly_ever_works_loses_by_no_more_than_was_driven() -> None:
    found = trial(driven("ab" * 40, 0.3, fails=0.85))
    assert found.qualifying is not None and found.qualifying.winner == "first"
    assert abs(found.qualifying.shift.value_us) < 5 * SECOND and found.odds is not None and found.odds < 0.5


def test_laps_that_alternate_within_a_run_stand_side_by_side() -> None:
    judged = judge(TRACK, driven("ab" * 6, 0.3), PLAIN)
    runs = clean_runs(judged, range(len(judged)), 1)
    [first], [second] = (runs_with(runs, "T1", label) for label in "ab")
    assert first.numbers == [2, 4, 6, 8, 10, 12] and second.numbers == [3, 5, 7, 9, 11, 13]
    assert sorted((*first.positions, *second.positions)) == list(runs[0].positions) and runs_with(runs, "T1", "c") == []
