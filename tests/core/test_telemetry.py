"""What is read from traces: times at boundaries against the exact ones, faults of recordings, and what traces add to
laps.
"""

from dataclasses import replace
from functools import cache
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.ideals import ideals_of
from fleet_rival.core.laps.lap import Crossing, Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.cutting import CutLap, cut
from fleet_rival.core.telemetry.filling import fill_laps
from fleet_rival.core.telemetry.laps import cut_at_line
from fleet_rival.core.telemetry.trace import Trace, even_times
from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.driving import DrivenLap, Stint, drive_lap
from fleet_rival.simulator.places import CARS, PLACES
from fleet_rival.simulator.practice import survey
from fleet_rival.simulator.road import Road, lay_out
from fleet_rival.simulator.soiling import SOILS, soil
from tests.making import lap, track

KINDS = ("harbour", "hills", "cinder")


@cache
def place(kind: str) -> tuple[Road, CarModel, Track]:
    road, car = lay_out(PLACES[kind][0].pieces), CARS[kind][0]
    made = survey(road, car, "Quernholm", "Long", "street", PLACES[kind][0].sector_corners)
    # Driven to the very end: a length that is rounded would be another truth.
    return road, car, replace(made, length_m=road.length_m, centreline_step_m=None, centreline_xy_m=())


@cache
def driven(kind: str, wander: int = 1) -> DrivenLap:
    road, car, layout = place(kind)
    return drive_lap(road, car, layout, Stint(0.97, wander=wander))


def trace(channels: dict[str, np.ndarray], number: int = 1, run: int | None = 1) -> Trace:
    return Trace("Ysolde Farrand", "1", run, number, channels)


def worst_ms(kind: str, found: CutLap) -> float:
    """How far any segment's time is from the exact one, in milliseconds."""
    exact = driven(kind)
    parts = {part.code: part for part in place(kind)[2].segment_parts}
    return max(
        (
            abs(time / 1e6 - float(np.diff(exact.moments([parts[code].start_m, parts[code].end_m]))[0])) * 1e3
            for code, time in found.segments.items()
        ),
        default=0.0,
    )


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("rate", "limit_ms"), [(10, 3.0), (25, 3.0), (60, 1.0), (360, 1.0), (1000, 1.0)])
def test_times_at_boundaries_are_those_that_were_driven(kind: str, rate: int, limit_ms: float) -> None:
    layout = place(kind)[2]
    found = cut(layout, trace(driven(kind).samples(rate)))
    assert found.stretches == () and found.rate_hz == pytest.approx(rate, rel=0.05)
    assert found.segments.keys() == {part.code for part in layout.segment_parts}
    assert found.sectors.keys() == {part.code for part in layout.sector_parts}
    assert worst_ms(kind, found) <= limit_ms
    assert found.time_us is not None and abs(found.time_us / 1e6 - driven(kind).time_s[-1]) * 1e3 <= limit_ms
    assert sum(found.segments.values()) == sum(found.sectors.values()) == found.time_us


def test_times_hold_from_uneven_beats_too() -> None:
    rng = np.random.default_rng(7)
    clean = driven("harbour").samples(120)
    some = np.sort(rng.choice(len(clean["time_s"]), len(clean["time_s"]) // 2, replace=False))
    found = cut(place("harbour")[2], trace({name: values[some] for name, values in clean.items()}))
    assert worst_ms("harbour", found) <= 1.0


def test_a_rounded_clock_is_told_from_one_that_is_uneven() -> None:
    beat = np.arange(600) / 60
    assert np.abs(even_times(np.round(beat, 3)) - beat).max() < 1e-4
    uneven = np.round(beat + np.random.default_rng(1).uniform(0, 0.005, 600), 3)
    assert (even_times(uneven) == uneven).all()


@settings(max_examples=120, deadline=None)
@given(st.sampled_from(KINDS), st.sampled_from((10, 25, 60, 360, 1000)), st.sampled_from(SOILS), st.integers(0, 10_000))
def test_each_fault_is_named_where_it_is_and_the_rest_still_counts(kind: str, rate: int, fault: str, seed: int) -> None:
    layout = place(kind)[2]
    soiled = soil(driven(kind).samples(rate), fault, np.random.default_rng(seed))
    found = cut(layout, trace(dict(soiled.channels)))
    near = max(3.0, 2.2 * 80 / rate)
    [told] = [item for item in found.stretches if not item.channels]
    assert (told.reason, told.time_holds) == (soiled.reason, soiled.time_holds)
    assert abs(told.start_m - soiled.start_m) <= near and abs(told.end_m - soiled.end_m) <= near
    assert worst_ms(kind, found) <= (3.0 if rate < 60 else 1.0)
    # Only parts that the fault touches are lost.
    touched = {
        part.code
        for part in layout.segment_parts
        if part.start_m <= soiled.end_m + near and part.end_m >= soiled.start_m - near
    }
    assert {part.code for part in layout.segment_parts} - found.segments.keys() <= touched
    assert (found.time_us is None) == (not soiled.time_holds or fault == "begins_late")


def test_a_missing_channel_and_its_holes_cost_only_what_needs_it() -> None:
    clean = driven("harbour").samples(60)
    holed = {**clean, "brake_pct": clean["brake_pct"].copy(), "x_m": clean["x_m"].copy()}
    holed["brake_pct"][1000:1100] = np.nan
    holed["x_m"][2000:2003] += 400
    del holed["gear"]
    found = cut(place("harbour")[2], trace(holed))
    assert {(item.reason, item.channels) for item in found.stretches} == {
        ("not_a_number", ("brake_pct",)),
        ("teleport", ("x_m", "y_m")),
    }
    assert len(found.segments) == 10 and worst_ms("harbour", found) <= 1.0


@pytest.mark.parametrize("late", [-9, 0, 9])
def test_recorders_that_count_a_lap_early_or_late_or_never_give_the_same_laps(late: int) -> None:
    layout = place("harbour")[2]
    clean = driven("harbour").samples(60)
    count, length = len(clean["time_s"]), layout.length_m
    lap_time = float(driven("harbour").time_s[-1])
    twice = {name: np.concatenate([values, values, values]) for name, values in clean.items()}
    # One clock for three laps, as the recorder had it.
    for number in (1, 2):
        twice["time_s"][number * count : (number + 1) * count] += number * lap_time
    counted = []
    for number, first in enumerate((0, count + late, 2 * count + late), 1):
        after = (count + late, 2 * count + late, 3 * count)[number - 1]
        part = {name: values[first:after].copy() for name, values in twice.items()}
        part["time_s"] -= part["time_s"][0]
        counted.append(trace(part, number))
    for traces in (counted, [trace(twice)]):
        laps = list(cut_at_line(traces, length))
        assert [item.lap for item in laps] == [1, 2, 3]
        found = cut(layout, laps[1])
        # The step from one clock to the next is taken to be a usual one; here the last of a lap is shorter.
        assert found.stretches == () and found.time_us is not None and abs(found.time_us / 1e6 - lap_time) < 0.02
        assert (
            worst_ms(
                "harbour",
                replace(
                    found, segments={code: time for code, time in found.segments.items() if code not in ("L0", "T9")}
                ),
            )
            <= 1.0
        )


def timed(number: int, **changed: object) -> Lap:
    exact = round(float(driven("harbour").time_s[-1]) * 1000) * 1000
    facts: dict[str, object] = {
        "driver": "Ysolde Farrand",
        "session": "1",
        "run": 1,
        "number": number,
        "time_us": exact,
        **changed,
    }
    return Lap(**facts)  # type: ignore[arg-type]


def test_a_lap_files_times_win_and_traces_fill_what_it_lacks() -> None:
    layout = place("harbour")[2]
    laps = [timed(1, segments={"T3": 9_999_000}), timed(2, time_us=70_000_000), timed(3), timed(3, run=2), timed(4)]
    samples = driven("harbour").samples(60)
    other = {**samples, "speed_kmh": samples["speed_kmh"] + 1}
    traces = [
        trace(samples, 1),
        trace(samples, 2),
        trace(samples, 3, None),
        trace(samples, 4),
        trace(samples, 4),
        trace(samples, 9),
    ]
    found = fill_laps(layout, laps, traces)
    assert found.laps[0].segments["T3"] == 9_999_000 and len(found.laps[0].segments) == 10
    assert sum(found.laps[4].segments.values()) == found.laps[4].time_us == laps[4].time_us
    assert found.laps[0].crossings["T1"].speed_kmh > 20 and found.laps[0].crossings["line"].offset_m is not None
    assert [found.laps[index] for index in (1, 2, 3)] == laps[1:4]
    assert {(number, why) for _, _, number, why in found.strange} == {(2, "differs"), (3, "ambiguous"), (9, "unknown")}
    twice = fill_laps(layout, laps, [trace(samples, 1), trace(other, 1)])
    assert twice.laps == tuple(laps) and twice.strange == (("Ysolde Farrand", "1", 1, "twice"),)


speeds = st.sampled_from([None, 80.0, 80.9, 82.0, 90.0])
offsets = st.sampled_from([None, 0.0, 1.0, 3.0])


@st.composite
def laps_with_crossings(draw: st.DrawFn) -> tuple[Track, list[Lap]]:
    """Up to five laps of three segments whose boundaries are crossed at speeds and offsets that fit, nearly fit,
    don't, or are unknown.
    """
    layout = track(2, tuple(draw(st.sets(st.integers(0, 1)))), sectors=1)
    made = []
    for number in range(1, draw(st.integers(1, 5)) + 1):
        crossings = {}
        for code in ("L0", "T1", "T2", "line"):
            if (speed := draw(speeds)) is not None:
                crossings[code] = Crossing(speed, draw(offsets))
        times = [draw(st.integers(1, 6)) for _ in range(3)]
        made.append(
            replace(lap(number, *times, layout=layout, run=draw(st.sampled_from([1, 1, 2]))), crossings=crossings)
        )
    return layout, made


def allowed(before: Lap, after: Lap, leaving: str, entering: str, closed: bool) -> bool:
    """The definition, word by word."""
    left, entered = before.crossings.get(leaving), after.crossings.get(entering)
    if left is None or entered is None:
        return not closed
    near = left.offset_m is None or entered.offset_m is None or abs(left.offset_m - entered.offset_m) <= 1.5
    return entered.speed_kmh <= left.speed_kmh + 1.0 and near


@settings(max_examples=150, deadline=None)
@given(laps_with_crossings())
def test_laps_are_joined_where_speeds_and_offsets_allow_it_as_brute_force_does(case: tuple[Track, list[Lap]]) -> None:
    layout, laps = case
    judged = judge(layout, laps, Settings(cold_laps=0, cool_lap_pct=1e6, spoiled_floor_s=1e6))
    found = ideals_of(layout, judged, range(len(judged)))
    codes, closed = ["L0", "T1", "T2"], layout.closed_boundaries(layout.segment_parts)
    best: dict[str, int | None] = {"linked_qualifying": None, "linked_race": None}
    for chosen in product(range(len(judged)), repeat=3):
        one = [judged[index].lap for index in chosen]
        if not all(
            chosen[k] == chosen[k - 1] or allowed(one[k - 1], one[k], codes[k], codes[k], k in closed) for k in (1, 2)
        ):
            continue
        total = sum(item.segments[code] for item, code in zip(one, codes, strict=True))
        follows = judged[chosen[2]].next_lap == chosen[0] or allowed(one[2], one[0], "line", "L0", 0 in closed)
        for name, counts in (("linked_qualifying", True), ("linked_race", follows)):
            if counts and (best[name] is None or total < best[name]):  # type: ignore[operator]
                best[name] = total
    assert {name: found.time_us(name) for name in best} == best
