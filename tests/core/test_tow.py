"""A slipstream told by traces: the laps that had one, and no other; and nothing where it can't be told."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from fleet_rival.core.laps.lap import Lap, Pull
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.laps.tow import towed
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.filling import fill_laps
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.tracks import read_track
from tests.making import lap, track

PLAIN = Settings()
DATA = Path(__file__).parents[1] / "data"


def pulled(entry: float, gain: float, *, first: int = 10, steps: int = 6, **facts: object) -> Lap:
    """A lap with one stretch at full throttle."""
    speeds = tuple(float(value) for value in np.linspace(entry, entry + gain, steps + 1))
    return replace(lap(1, 10, 20, 25, 30), pulls={"T1": Pull(first, speeds)}, **facts)  # type: ignore[arg-type]


def alone(count: int, seed: int = 3) -> list[Lap]:
    """Who comes faster gains less, with a little scatter."""
    rng = np.random.default_rng(seed)
    entries = rng.uniform(100, 110, count)
    return [pulled(float(entry), float(60 - 0.5 * (entry - 100) + rng.normal(0, 0.3))) for entry in entries]


def told(laps: list[Lap], crowded: list[bool] | None = None) -> list[int]:
    return [index for index, had in enumerate(towed(laps, crowded or [False] * len(laps), PLAIN)) if had]


def test_more_speed_from_the_same_entry_is_a_tow_and_more_from_a_slower_one_is_not() -> None:
    laps = [*alone(30), pulled(105, 57.5 + 4), pulled(105, 57.5 + 1.2), pulled(101, 59.5), pulled(70, 90)]
    assert told(laps) == [30], "1.2 km/h are too few, a slow entry explains its gain, a much slower one says nothing"


@pytest.mark.parametrize(
    ("laps", "why"),
    [
        ([*alone(6), pulled(105, 70)], "too few to know what is usual"),
        ([*alone(30), pulled(105, 70, first=14, steps=2)], "the stretch isn't covered"),
        ([replace(item, company="pack") for item in alone(30)] + [pulled(105, 70)], "nobody was alone"),
        ([replace(item, pulls={}) for item in alone(30)], "no traces"),
    ],
)
def test_nothing_is_told_where_it_cannot_be(laps: list[Lap], why: str) -> None:
    assert told(laps) == [], why


def test_laps_that_are_known_not_to_be_alone_do_not_make_the_rule() -> None:
    laps = [*alone(12), *(pulled(105, 66) for _ in range(11))]
    assert told(laps, [False] * 12 + [True] * 11) == list(range(12, 23))


def test_what_somebody_said_stands_over_the_rule_and_the_rule_says_that_it_is_one() -> None:
    layout = track()
    laps = [
        replace(item, number=number, time_us=85_000_000)
        for number, item in enumerate([*alone(30), pulled(105, 64), pulled(105, 64)], 1)
    ]
    laps[31] = replace(laps[31], said={"tow": False})
    judged = {item.lap.number: item for item in judge(layout, laps, PLAIN)}
    assert judged[31].marks == {"tow": True} and not judged[31].eligible
    assert "tow" not in judged[32].marks and judged[32].overruled == {"tow"}
    counted = {item.lap.number: item for item in judge(layout, laps, Settings(with_tow=1))}
    assert counted[31].marks == {"tow": True} and counted[31].clean and counted[31].may_be_best


@pytest.mark.parametrize("folder", ["street-101", "oval-102"])
def test_the_examples_tows_are_found_without_being_said_and_nothing_else_is(folder: str) -> None:
    place = DATA / folder
    layout = read_track(next(place.glob("*.track.json")).read_bytes())
    laps = [
        item
        for _, item in read_laps(
            next(path for path in place.glob("*.laps.csv") if "semicolon" not in path.name).read_bytes(), layout
        ).laps
    ]
    true = {item.identity for item in laps if "tow" in item.flags}
    files = [TelemetryFile(path, path.name) for path in sorted(place.glob("*.parquet"))]
    unsaid = [replace(item, flags=item.flags - {"tow"}) for item in laps]
    filled = fill_laps(layout, unsaid, (trace for file in files for trace in file.laps()))
    found = set()
    for driver in {item.driver for item in laps}:
        found |= {
            item.lap.identity
            for item in judge(layout, [one for one in filled.laps if one.driver == driver], PLAIN)
            if "tow" in item.marks
        }
    traced = {item.identity for item in filled.laps if item.pulls}
    assert found <= true
    if folder == "street-101":
        # On the oval nobody is at full throttle long enough for a tow to show.
        assert found == true & traced and found
