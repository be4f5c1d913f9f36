"""The likely best of n laps: against drawing, and whether its odds come true."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.ideals.best_of import Place, best_of, best_of_run, cold_offset, moved, odds_of


@pytest.mark.parametrize("clean_rate", [1.0, 0.8, 0.45])
def test_percentiles_are_those_of_what_was_drawn_from(clean_rate: float) -> None:
    rng = np.random.default_rng(3)
    times = [int(value) for value in rng.gamma(6, 150_000, 1500) + 80_000_000]
    for row in best_of(times, clean_rate):
        laps = rng.gamma(6, 150_000, (40_000, row.laps)) + 80_000_000
        laps[rng.random(laps.shape) >= clean_rate] = np.inf
        best = laps.min(axis=1)
        for share, value in ((0.1, row.p10_us), (0.5, row.p50_us), (0.9, row.p90_us)):
            if value is None:
                assert share > 1 - (1 - clean_rate) ** row.laps - 0.01
            else:
                assert abs(np.mean(best <= value) - share) < 0.045
                assert odds_of(times, clean_rate, row.laps, round(value)) == pytest.approx(share, abs=0.005)


def test_the_odds_come_true_for_drivers_whose_truth_is_known() -> None:
    rng = np.random.default_rng(11)
    below = []
    for _ in range(250):
        practice = [int(value) for value in rng.normal(82e6, 3e5, 40)]
        future = rng.normal(82e6, 3e5, (200, 3)).min(axis=1)
        middle = next(row for row in best_of(practice, 1.0) if row.laps == 3).p50_us
        assert middle is not None
        below.append(float(np.mean(future <= middle)))
    assert np.mean(below) == pytest.approx(0.5, abs=0.03)


@given(st.lists(st.integers(60_000_000, 70_000_000), min_size=5, max_size=60), st.integers(1, 20))
def test_more_laps_never_make_it_worse_and_nothing_beats_the_fastest(times: list[int], clean_twentieths: int) -> None:
    rows = best_of(times, clean_twentieths / 20)
    for name in ("p10_us", "p50_us", "p90_us"):
        values = [getattr(row, name) for row in rows]
        known = [value for value in values if value is not None]
        # Once it can be told, it can be told for more laps too, and falls.
        assert values == [None] * (len(values) - len(known)) + known
        assert all(later <= earlier + 1e-6 for earlier, later in itertools.pairwise(known))
        assert all(min(times) <= value <= max(times) for value in known)


@given(st.lists(st.integers(60_000_000, 70_000_000), min_size=8, max_size=60), st.floats(0.05, 0.9), st.integers(1, 20))
def test_odds_of_neighbours_that_resemble_each_other_rise_with_laps_and_target(
    times: list[int], alike: float, clean_twentieths: int
) -> None:
    rate = clean_twentieths / 20
    targets = sorted([min(times) - 100_000, (min(times) + max(times)) // 2, max(times) - 1, max(times)])
    table = [[odds_of(times, rate, laps, target, alike) for laps in (1, 2, 5, 10)] for target in targets]
    assert all(0 <= odds <= 1 for row in table for odds in row)
    assert all(later >= earlier - 1e-9 for row in table for earlier, later in itertools.pairwise(row))
    assert all(
        more >= less - 1e-9 for row, better in itertools.pairwise(table) for less, more in zip(row, better, strict=True)
    )


def test_odds_from_few_laps_are_drawn_to_the_middle_and_from_many_they_are_the_formula() -> None:
    rng = np.random.default_rng(7)
    many = [int(value) for value in rng.normal(82e6, 3e5, 20_000)]
    target = 82_000_000 - 450_000
    assert odds_of(many, 0.9, 3, target, 1e-9) == pytest.approx(odds_of(many, 0.9, 3, target), abs=0.005)
    few = many[:25]
    assert odds_of(few, 1.0, 1, min(few) - 150_000, 0.5) > odds_of(few, 1.0, 1, min(few) - 150_000)
    assert odds_of(few, 1.0, 1, max(few) - 1, 0.5) < 1


def test_each_place_in_the_run_counts_with_its_own_failures() -> None:
    sure, never = Place((80_000_000, 80_200_000), 0.0), Place((80_000_000, 80_200_000), 0.95)
    rows = best_of_run([never, sure, never])
    assert rows[0].p50_us is None
    assert rows[1].p50_us is not None
    assert [row.laps for row in rows] == [1, 2, 3]


def test_warm_laps_are_moved_by_what_cold_ones_cost() -> None:
    offset = cold_offset([83_000_000, 83_200_000, 82_900_000], [82_000_000, 82_100_000, 82_050_000])
    assert offset == 950_000
    assert moved([82_000_000], offset) == (82_950_000,)


def test_ten_thousand_laps_are_no_trouble() -> None:
    times = [int(value) for value in np.random.default_rng(5).normal(82e6, 3e5, 10_000)]
    few = (81_900_000, 82_300_000)
    rows = best_of_run([Place(few, 0.0), Place(tuple(times), 0.1)])
    assert rows[1].p50_us is not None and best_of(times, 0.9)[0].p50_us == pytest.approx(82e6, abs=60_000)
