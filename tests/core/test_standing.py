"""Where a driver stands: the board's figures follow from the analysis, the group is the race's, and a trend compares
what it can.
"""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.order import identify
from fleet_rival.core.settings import Settings
from fleet_rival.core.standing import Standing, standings_of, trend, which
from fleet_rival.core.track import Sector, Track

TRACK = Track("Quernholm", "Short", "oval", 1000.0, (Sector("S1", 0.0), Sector("S2", 500.0)), ())
MONDAY = datetime(2031, 4, 7, 18, tzinfo=UTC)


def run_of(
    seconds: Sequence[float], session: str = "1", begins: datetime | None = MONDAY, **facts: object
) -> list[Lap]:
    """An out lap and flying laps with halves as sectors."""
    laps = []
    for number, lap_seconds in enumerate([seconds[0] + 10, *seconds]):
        time_us = round(lap_seconds * 1_000_000)
        moment = begins + timedelta(seconds=80 * number) if begins else None
        parts = {"S1": time_us // 2, "S2": time_us - time_us // 2}
        laps.append(
            Lap(
                "Ysolde Farrand",
                number,
                time_us,
                session,
                1,
                kind="flying" if number else "out",
                started_at=moment,
                sectors=parts,
            )
        )
    return [replace(lap, **facts) for lap in laps]  # type: ignore[arg-type]


def standing(*runs: Sequence[Lap], settings: Settings | None = None) -> tuple[Standing, ...]:
    settings = settings or Settings()
    laps = [lap for _, lap in identify([lap for run in runs for lap in run]).laps]
    return standings_of(analyse(TRACK, laps, settings).drivers["Ysolde Farrand"], settings)


def test_figures_are_those_of_the_analysis() -> None:
    (item,) = standing(
        run_of([63.0, 61.0, 60.5, 60.7, 60.9, 60.6]),
        run_of([62.0, 60.4, 60.8, 60.7, 60.6, 60.5], "2", MONDAY + timedelta(days=1)),
    )
    assert (item.laps, item.runs, item.clean, item.best_us) == (14, 2, 10, 60_400_000)
    assert item.ideal_us is not None and item.ideal_us <= 60_400_000
    assert item.clean_rate == 1.0 and item.sure == "thin"
    assert [(one.label, one.laps, one.clean, one.best_us) for one in item.sessions] == [
        ("1", 6, 5, 60_500_000),
        ("2", 6, 5, 60_400_000),
    ]
    assert item.sessions[0].median_us == 60_700_000


def test_a_race_in_the_wet_asks_for_laps_in_the_wet_and_takes_the_main_group_where_there_are_none() -> None:
    dry, wet = run_of([60.0] * 8), run_of([70.0, 69.0, 69.5], "2", MONDAY + timedelta(days=1), wetness="wet")
    race = run_of([59.0] * 9, "3", MONDAY + timedelta(days=2), session_kind="race")
    items = standing(dry, wet, race)
    for wetness, best in (("wet", 69_000_000), ("dry", 60_000_000), ("damp", 59_000_000)):
        chosen = which(items, wetness)
        assert chosen is not None and chosen.best_us == best, wetness
    assert which((), "dry") is None


def test_what_a_lap_uses_is_the_median_fall_between_neighbours() -> None:
    laps = [replace(lap, fuel_l=40.0 - 2.0 * number, energy_kwh=None) for number, lap in enumerate(run_of([60.0] * 6))]
    laps[4] = replace(laps[4], fuel_l=None)  # a gap breaks the chain and makes no wrong figure
    (item,) = standing(laps)
    assert (item.fuel_l_per_lap, item.energy_kwh_per_lap) == (2.0, None)
    refuelled = [replace(lap, fuel_l=10.0 + number) for number, lap in enumerate(run_of([60.0] * 6))]
    assert standing(refuelled)[0].fuel_l_per_lap is None


def test_conditions_are_those_that_most_laps_and_the_last_session_tell() -> None:
    noon, night = datetime(2031, 6, 1, 12), datetime(2031, 6, 1, 23)
    first = run_of([60.0] * 4, track_temp_c=20.0, air_temp_c=15.0, session_local=noon)
    second = run_of([60.0] * 6, "2", MONDAY + timedelta(days=1), track_temp_c=26.0, session_local=night)
    (item,) = standing(first, second)
    assert (item.track_temp_c, item.air_temp_c, item.session_local) == (26.0, 15.0, night)


@pytest.mark.parametrize(
    ("hours", "laps", "gained"),
    [(-1, 12, None), (12, 6, 100_000), (48, 0, None)],
)
def test_a_trend_tells_what_is_new_and_compares_only_what_both_sides_have(
    hours: int, laps: int, gained: int | None
) -> None:
    (item,) = standing(run_of([60.5] * 6), run_of([60.4] * 6, "2", MONDAY + timedelta(days=1)))
    found = trend(item, MONDAY + timedelta(hours=hours))
    assert (found.laps, found.gained_us) == (laps, gained)


def test_a_session_without_a_time_is_taken_for_an_old_one() -> None:
    (item,) = standing(run_of([60.5] * 6, begins=None), run_of([60.9] * 6, "2"))
    found = trend(item, MONDAY - timedelta(hours=1))
    assert (found.laps, found.best_before_us, found.gained_us) == (6, 60_500_000, 0), "slower is no negative gain"


@settings(max_examples=40, deadline=None)
@given(st.lists(st.integers(58_000, 64_000), min_size=2, max_size=12), st.integers(1, 11))
def test_the_best_before_and_since_make_up_the_best_of_all(times: list[int], cut: int) -> None:
    runs = [run_of([time / 1000], str(number), MONDAY + timedelta(hours=number)) for number, time in enumerate(times)]
    (item,) = standing(*runs)
    found = trend(item, MONDAY + timedelta(hours=min(cut, len(times) - 1)))
    known = [best for best in (found.best_before_us, found.best_since_us) if best is not None]
    assert min(known) == item.best_us == min(times) * 1000
    assert found.laps == len(times) - min(cut, len(times) - 1)
