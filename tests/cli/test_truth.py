"""Made-up drivers whose truth is known: a few of those of `./fleet bench --truth`."""

from fleet_rival.bench.truth import falloff_held, odds_told, truth_tables


def test_intervals_and_odds_are_about_as_right_as_they_say() -> None:
    held, told = falloff_held(60, 5), odds_told(25, 5)
    assert held[-1].kind == told[-1].kind == "all together" and held[-1].drivers == 60
    assert held[-1].held >= 0.87 and held[-1].width <= 1.45 and 1 <= told[-1].ratio <= 1.12
    assert falloff_held(10, 5) == falloff_held(10, 5)
    assert truth_tables(held, told).count("(aim") == 3
