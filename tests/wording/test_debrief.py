"""A race afterwards in sentences: numbers with their units, and no word about a person."""

import pytest

from fleet_rival.core.corners.season import over_season
from fleet_rival.core.race.afterwards import FIGURES, Calibration, Compared, CornerPressure, Expected, Repeated
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.wording import debrief as words


def item(figure: str, value: float, half: float, happened: float) -> Compared:
    return Compared(figure, Expected(value, value - half, value + half, 0.9), happened)


@pytest.mark.parametrize(
    ("compared", "told"),
    [
        (item("qualifying_us", 65.4e6, 1e5, 65.45e6), "Qualifying lap: 1:05.450, as expected (1:05.300 to 1:05.500)."),
        (
            item("qualifying_us", 65.4e6, 1e5, 66e6),
            "Qualifying lap: 1:06.000, slower than expected (1:05.300 to 1:05.500).",
        ),
        (
            item("race_lap_us", 65.4e6, 1e5, 65e6),
            "Mean lap of the race: 1:05.000, faster than expected (1:05.300 to 1:05.500).",
        ),
        (item("falloff_us", 30_000, 5_000, 52_000), "Falloff a lap: 0.052 s, more than expected (0.025 s to 0.035 s)."),
        (item("fuel_l", 2.5, 0.1, 2.3), "Fuel a lap: 2.30 l, less than expected (2.40 l to 2.60 l)."),
        (item("energy_kwh", 1.2, 0.1, 1.25), "Energy a lap: 1.25 kWh, as expected (1.10 kWh to 1.30 kWh)."),
        (item("slips", 3, 2, 7), "Laps with a slip: 7, more than expected (1 to 5)."),
        (item("strikes", 1.5, 1.5, 0), "Strikes: 0, as expected (0 to 3)."),
    ],
)
def test_a_figure_before_and_after(compared: Compared, told: str) -> None:
    assert in_units(words.compared_words(compared), DEFAULTS) == told


def test_every_figure_has_a_name() -> None:
    assert words.FIGURE_WORDS.keys() == set(FIGURES)


def test_a_corner_in_practice_and_in_the_race() -> None:
    assert words.corner_words(CornerPressure("T5", 1, 30, 6, 20, 0.01), "Ropewalk") == (
        "T5 Ropewalk went wrong more often in the race: 6 of 20 passes in the race, 1 of 30 in practice."
    )
    assert words.corner_words(CornerPressure("T5", 9, 30, 0, 20, 0.01), None).startswith(
        "T5 went wrong less often in the race: 0 of 20"
    )
    assert words.corner_words(CornerPressure("T5", 1, 30, 1, 20, 0.9), None).endswith("which may be chance.")


def test_a_season_in_a_sentence() -> None:
    told = words.calibration_words(Calibration("race_lap_us", 8, 2, 7.2, 0.004, 0.0027))
    assert told == (
        "Mean lap of the race: 2 of 8 races came within what practice foretold; 7.2 should have. The intervals are too "
        "narrow."
        " On average it was 0.40 % more; 0.27 % more is taken into account."
    )
    assert words.calibration_words(Calibration("slips", 1, 1, 0.9, None, 0.0)) == (
        "Laps with a slip: 1 of 1 race came within what practice foretold; 0.9 should have."
    )
    assert "0.10 % less; 0.05 % less is" in words.calibration_words(Calibration("fuel_l", 4, 4, 3.6, -0.001, -0.0005))


def test_lessons_that_are_proposed() -> None:
    assert (
        words.consumption_lesson(item("energy_kwh", 1.0, 0.05, 1.1))
        == "A lap of the race uses 1.10 kWh, 10 % more than practice tells"
    )
    assert (
        words.falloff_lesson(item("falloff_us", 30_000, 5_000, 52_000))
        == "Tyres fall off 0.052 s a lap in the race; practice told 0.030 s"
    )
    assert (
        words.pace_lesson(item("race_lap_us", 65e6, 1e5, 65.5e6))
        == "A lap of the race is 0.50 s slower than practice tells"
    )
    assert (
        words.pace_lesson(item("qualifying_us", 65e6, 1e5, 64.5e6))
        == "The lap of qualifying is 0.50 s faster than practice tells"
    )
    assert (
        words.incident_lesson(Repeated("T1", "contact", (1, 1, 1), 5), "Customs")
        == "Contact at T1 Customs on the first lap in 3 of 5 starts"
    )
    assert words.incident_lesson(Repeated("T1", "spin", (1, None), 5), None) == "Spun at T1 in 2 of 5 starts"


def test_a_season_of_a_driver_by_series() -> None:
    weeks: list[tuple[float | None, float | None, float | None]] = [
        (0.31, 0.95, -0.231),
        (None, None, None),
        (0.23, 1.0, 0.05),
    ]
    assert words.season_words("Harbour evenings", weeks) == (
        "Harbour evenings, 3 weeks: spread 0.31 → 0.23 %, clean rate 95 → 100 %, gap to the target −0.23 → 0.05 %."
    )
    assert words.season_words("Harbour evenings", [(0.2, None, None), (None, None, None)]).endswith(
        "too few clean laps tell."
    )


def test_what_was_closed_and_came_again() -> None:
    told = words.mistakes_words(over_season([{"lock-up": 1.0, "slide": 1.0, "other": 1.0}, {}, {"slide": 2.0}]))
    assert told == ["Closed: locked wheels.", "Came again: slid."]
    assert words.mistakes_words([]) == []
