"""A race as its laps tell it: which laps are a start's, what they used, and slips beside practice."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.race.driven import driven_race, laps_of_start, used_in
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Corner, Sector, Track

START = datetime(2031, 4, 9, 20, 0, tzinfo=UTC)
TRACK = Track(
    "Port Sable",
    "Breakwater",
    "street",
    2000.0,
    (Sector("S1", 0.0),),
    (Corner("T1", 300.0, 350.0, 400.0, direction="left"), Corner("T2", 1200.0, 1250.0, 1300.0, direction="right")),
)


def lap(number: int, kind: str = "race", at: datetime = START, loss: int = 0, **more: object) -> Lap:
    """A lap of a minute with a loss in T1, in microseconds."""
    wobble = (number * 7919) % 40_000
    segments = {"L0": 10_000_000 + wobble, "T1": 25_000_000 + loss + wobble // 2, "T2": 25_000_000 + wobble // 3}
    facts = {
        "driver": "Ida",
        "session": kind,
        "session_kind": kind,
        "run": 1,
        "number": number,
        "kind": "flying",
        "company": "solo",
    }
    return Lap(
        **{
            **facts,
            "time_us": sum(segments.values()),
            "segments": segments,
            "started_at": at + timedelta(minutes=number),
            **more,
        }
    )  # type: ignore[arg-type]


def test_laps_belong_to_the_start_that_they_follow() -> None:
    late = START + timedelta(hours=2)
    laps = [
        lap(1, "qualifying", START - timedelta(minutes=30)),
        lap(1, "qualifying", START - timedelta(hours=4)),
        lap(1, "race", START - timedelta(minutes=5)),
        lap(2, "race", START),
        lap(3, "race", late - timedelta(minutes=8)),
        lap(4, "practice", START),
        replace(lap(5), started_at=None),
    ]
    qualifying, race = laps_of_start(laps, START, late)
    assert qualifying == laps[:1] and race == laps[2:4]
    assert laps_of_start(laps, late)[1] == [laps[4]]


def test_what_a_lap_used_needs_its_neighbour() -> None:
    tank = {1: 40.0, 2: 38.0, 3: 36.5, 5: 33.0, 6: 60.0, 7: 57.5}
    laps = [lap(number, fuel_l=left) for number, left in tank.items()]
    assert used_in(laps, "fuel_l") == [2.0, 1.5, 2.5] and used_in(laps, "energy_kwh") == []


def test_a_race_beside_its_practice() -> None:
    practice = [
        lap(number, "practice", START - timedelta(days=1), loss=400_000 if number == 9 else 0)
        for number in range(1, 31)
    ]
    spoilt = {4, 9, 13, 17, 18}
    race = [
        lap(
            number,
            loss=500_000 if number in spoilt else 0,
            energy_kwh=30 - 1.25 * number,
            strikes=("T2",) if number == 6 else (),
        )
        for number in range(1, 21)
    ]
    race[0] = replace(
        race[0],
        time_us=race[0].time_us + 4_000_000,
        segments={**race[0].segments, "L0": race[0].segments["L0"] + 4_000_000},
    )
    race[10] = replace(race[10], flags=frozenset({"yellow"}), time_us=90_000_000, segments={})
    told = driven_race(
        TRACK,
        "Ida",
        practice,
        [lap(1, "qualifying"), lap(2, "qualifying", valid=False)],
        race,
        Settings(bootstrap_resamples=0),
    )
    assert told.laps == 20 and told.strikes == 1 and told.fuel_l is None
    assert told.energy_kwh == pytest.approx(1.25)
    pace = [item.time_us for number, item in enumerate(race) if number not in (0, 10)]
    assert told.race_lap_us == pytest.approx(sum(pace) / 18)
    assert told.qualifying_us == lap(1, "qualifying").time_us
    assert told.race["T1"][0] == len(spoilt) and told.practice["T1"][0] == 1 and told.practice["T1"][1] >= 25
    # Limits crossed are a slip too, whatever they cost.
    assert told.race["T2"][0] == 1 and told.slips == len(spoilt) + 1
    assert told.figures["energy_kwh"] == told.energy_kwh


def test_no_lap_of_the_race_tells_nothing_of_it() -> None:
    told = driven_race(TRACK, "Ida", [], [lap(1, "qualifying")], [], Settings())
    assert told.laps == 0 and told.qualifying_us is not None and told.race_lap_us is None and told.slips is None


def test_two_laps_are_no_pace() -> None:
    told = driven_race(TRACK, "Ida", [], [], [lap(1), lap(2)], Settings())
    assert told.race_lap_us is None and told.falloff_us is None and told.laps == 2
