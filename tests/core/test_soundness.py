"""What can't be believed in a trace, on a car that drives 50 m/s round a lap of 1,000 m: each fault named where it
was put, the rest used.
"""

from dataclasses import asdict

import numpy as np
import orjson
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import LINE_END
from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.core.telemetry.filling import LapFinder, filled
from fleet_rival.core.telemetry.laps import cut_at_line, kinds_by_speed, same_samples
from fleet_rival.core.telemetry.soundness import REASONS, Stretch, examine
from fleet_rival.core.telemetry.trace import Trace
from tests.making import SECOND, track, whole_lap

SPEED_MS, RATE_HZ, LENGTH_M = 50.0, 50.0, 1000.0
LAYOUT = track()
PARTS = {"L0", "T1", "T2", "T3", "T4"}


def even(**changed: np.ndarray) -> dict[str, np.ndarray]:
    """A lap at one speed: 1,001 samples, a metre apart; a circle in the plane."""
    distance = np.arange(0.0, LENGTH_M + 0.5, SPEED_MS / RATE_HZ)
    angle = 2 * np.pi * distance / LENGTH_M
    radius = LENGTH_M / 2 / np.pi
    plain = {
        "time_s": distance / SPEED_MS,
        "distance_m": distance,
        "speed_kmh": np.full(len(distance), SPEED_MS * 3.6),
        "brake_pct": np.zeros(len(distance)),
        "x_m": radius * np.cos(angle),
        "y_m": radius * np.sin(angle),
    }
    return {name: values.copy() for name, values in {**plain, **changed}.items()}


def of(channels: dict[str, np.ndarray], lap: int = 1) -> Trace:
    return Trace("Ysolde Farrand", "1", 1, lap, channels)


def told(channels: dict[str, np.ndarray]) -> list[tuple[str, int, int, bool, tuple[str, ...]]]:
    found = examine(of(channels), LENGTH_M).stretches
    return [(item.reason, round(item.start_m), round(item.end_m), item.time_holds, item.channels) for item in found]


def test_an_even_lap_is_sound_and_cut_exactly() -> None:
    assert told(even()) == []
    found = cut(LAYOUT, of(even()))
    assert found.time_us == 20 * SECOND and set(found.segments) == PARTS
    for part in (*LAYOUT.segment_parts, *LAYOUT.sector_parts):
        assert {**found.segments, **found.sectors}[part.code] == round((part.end_m - part.start_m) / SPEED_MS * SECOND)
    assert found.begins_kmh == found.ends_kmh == pytest.approx(SPEED_MS * 3.6) and found.rate_hz == pytest.approx(
        RATE_HZ
    )


def test_a_clock_that_repeats_says_nothing_and_one_that_falls_is_told() -> None:
    again = {name: np.insert(values, 301, values[300]) for name, values in even().items()}
    assert told(again) == [] and cut(LAYOUT, of(again)).time_us == 20 * SECOND
    stands = even()
    stands["time_s"][300:304] = stands["time_s"][300]
    assert told(stands) == [("clock", 300, 304, False, ())]
    falls = even()
    falls["time_s"][400:] -= 5.0
    [(reason, start, end, holds, _)] = told(falls)
    # All that lies between is unknown: the clock was there before.
    assert (reason, start, end, holds) == ("clock", 399, 650, False)
    found = cut(LAYOUT, of(falls))
    assert found.time_us is None and set(found.segments) == {"L0", "T1", "T4"}


def test_a_car_that_rolls_back_is_counted_on_from_where_it_was() -> None:
    # Forward to 500 m, back by 20 m over eight seconds, and on: what was driven twice counts once it is new again.
    forward, back = np.arange(0.0, 501.0), np.linspace(500.0, 480.0, 400)[1:]
    on = np.arange(481.0, LENGTH_M + 1)
    distance = np.concatenate([forward, back, on])
    speed = np.concatenate([np.full(len(forward), SPEED_MS), np.full(len(back), 2.5), np.full(len(on), SPEED_MS)])
    channels = {"time_s": np.arange(len(distance)) / RATE_HZ, "distance_m": distance, "speed_kmh": speed * 3.6}
    [(reason, start, end, holds, _)] = told(channels)
    assert reason == "falling_distance" and start == 480 and 500 <= end <= 502 and holds
    kept = distance[examine(of(channels), LENGTH_M).keep]
    assert (np.diff(kept) > 0).all() and kept[-1] == LENGTH_M
    found = cut(LAYOUT, of(channels))
    assert (
        found.time_us == pytest.approx((len(distance) - 1) / RATE_HZ * SECOND, abs=2)
        and sum(found.sectors.values()) == found.time_us
    )


def test_places_that_leap_cost_the_places_alone() -> None:
    leaps = even()
    leaps["x_m"][600:620] += 80.0
    assert told(leaps) == [("teleport", 599, 620, True, ("x_m", "y_m"))]
    for_good = even()
    for_good["y_m"][700:] -= 300.0
    assert told(for_good) == [("teleport", 699, 700, True, ("x_m", "y_m"))]
    assert cut(LAYOUT, of(leaps)).segments == cut(LAYOUT, of(even())).segments


def test_channels_that_fall_silent_are_named_together() -> None:
    silent = even()
    for name in ("brake_pct", "x_m"):
        silent[name][200:220] = np.nan
    assert ("not_a_number", 199, 220, True, ("brake_pct", "x_m")) in told(silent)
    silent["speed_kmh"][:] = np.nan
    assert cut(LAYOUT, of(silent)).crossings == {}


def test_ends_that_lack_are_told_and_cost_their_parts_alone() -> None:
    late = {name: values[30:] for name, values in even().items()}
    assert told(late) == [("begins_late", 0, 30, True, ())]
    early = {name: values[:-40] for name, values in even().items()}
    assert told(early) == [("ends_early", 960, 1000, False, ())]
    for lacking, part in ((late, "L0"), (early, "T4")):
        found = cut(LAYOUT, of(lacking))
        assert found.time_us is None and set(found.segments) == PARTS - {part}
    assert LINE_END not in cut(LAYOUT, of(early)).crossings


@pytest.mark.parametrize(("samples", "reason"), [(0, "gap"), (3, "not_a_number")])
def test_next_to_nothing_is_nothing(samples: int, reason: str) -> None:
    channels = {name: values[:samples] for name, values in even().items()}
    assert told(channels) == [(reason, 0, 1000, False, ())]
    assert cut(LAYOUT, of(channels)).time_us is None


@given(
    st.sampled_from(REASONS),
    st.floats(0, 1e5),
    st.floats(0, 1e5),
    st.booleans(),
    st.lists(st.sampled_from(["x_m", "gear"]), unique=True),
)
def test_a_stretch_comes_back_from_json(
    reason: str, start: float, end: float, holds: bool, channels: list[str]
) -> None:
    stretch = Stretch(reason, start, end, holds, tuple(channels))
    assert Stretch.from_plain(orjson.loads(orjson.dumps(asdict(stretch)))) == stretch


@pytest.mark.parametrize(
    ("begins", "ends", "kinds"),
    [
        ([], [], []),
        ([50.0, 180.0, 182.0], [181.0, 182.0, 40.0], ["out", "flying", "in"]),
        ([180.0, 50.0, 181.0, 182.0], [180.0, 45.0, 182.0, 180.0], ["flying", "outin", "flying", "flying"]),
        # Nothing to hold it against: one lap is what it is.
        ([50.0], [52.0], ["flying"]),
        # What isn't known counts as fast.
        ([None, 180.0, float("nan")], [180.0, None, 60.0], ["flying", "flying", "in"]),
    ],
)
def test_kinds_are_told_by_the_speed_over_the_line(
    begins: list[float | None], ends: list[float | None], kinds: list[str]
) -> None:
    assert kinds_by_speed(begins, ends) == kinds


def test_a_known_time_ends_the_last_parts_and_no_others() -> None:
    found = cut(LAYOUT, of(even()))
    ended = found.ending_at(20 * SECOND + 700)
    assert ended.time_us == 20 * SECOND + 700 and ended.ending_at(20 * SECOND) == found
    moved = {
        code
        for code, time in {**ended.segments, **ended.sectors}.items()
        if time != {**found.segments, **found.sectors}[code]
    }
    assert moved == {"T4", "S3"} and sum(ended.segments.values()) == sum(ended.sectors.values()) == ended.time_us


def test_a_lap_keeps_its_own_times_and_another_laps_trace_is_known() -> None:
    found = cut(LAYOUT, of(even()))
    own = whole_lap(1, 20.0005, sectors={"S1": 5 * SECOND})
    after = filled(own, found)
    assert after is not None and after.sectors["S1"] == 5 * SECOND and after.time_us == own.time_us
    assert sum(after.segments.values()) == own.time_us and LINE_END in after.crossings
    assert filled(whole_lap(1, 20.4), found) is None
    # A trace without a time of its own fills what it knows.
    short = cut(LAYOUT, of({name: values[:-40] for name, values in even().items()}))
    after = filled(whole_lap(1, 25.0), short)
    assert after is not None and set(after.segments) == PARTS - {"T4"}


def test_a_trace_finds_its_lap_by_run_only_where_it_must() -> None:
    finder = LapFinder(
        [
            whole_lap(1, 20, session="1", run=1),
            whole_lap(1, 21, session="1", run=2),
            whole_lap(2, 20, session="1", run=2),
        ]
    )
    assert finder.find("Ysolde Farrand", "1", None, 1) == [0, 1]
    assert finder.find("Ysolde Farrand", "1", 2, 1) == [1]
    # A run that is counted otherwise in the file doesn't matter where one lap alone has the number.
    assert finder.find("Ysolde Farrand", "1", 7, 2) == [2]
    assert finder.find("Ysolde Farrand", "2", 1, 1) == finder.find("Corin Ashgrove", "1", 1, 1) == []


def test_samples_that_agree_are_the_same_however_they_were_rounded() -> None:
    rounded = {name: np.round(values, 3) for name, values in even().items()}
    assert same_samples(of(even()), of(rounded))
    other = even()
    other["distance_m"][500] += 1.0
    assert not same_samples(of(even()), of(other))
    assert not same_samples(of(even()), of({name: values[:-1] for name, values in even().items()}))


def test_laps_that_nobody_counted_are_counted_at_the_line() -> None:
    many = {name: np.concatenate([values[:-1]] * 3) for name, values in even().items()}
    many["time_s"] = np.arange(len(many["time_s"])) / RATE_HZ
    laps = list(cut_at_line([of(many)], LENGTH_M))
    assert [item.lap for item in laps] == [1, 2, 3]
    cuts = [cut(LAYOUT, item) for item in laps]
    # The last one ends a sample before the line, near enough to tell when it was crossed.
    assert [found.time_us for found in cuts] == [pytest.approx(20 * SECOND, abs=2)] * 3
