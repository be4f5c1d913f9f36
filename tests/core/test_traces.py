"""Features of passes, laps laid over each other, and layouts found from traces, against what the simulator did."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from fleet_rival.core.telemetry.comparing import aligned, difference
from fleet_rival.core.telemetry.features import FEATURES, pass_features
from fleet_rival.core.telemetry.finding import CantFind, find_track
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Pit
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.tracks import read_track
from fleet_rival.simulator.driving import DrivenLap, Slip, Stint, drive_lap
from tests.conftest import DATA
from tests.core.test_telemetry import place, trace


@cache
def slipped(kind: str | None, loss: float = 0.3, corner: str = "T6", entry: float | None = None) -> DrivenLap:
    road, car, layout = place("harbour")
    return drive_lap(
        road, car, layout, Stint(0.97, slips=(Slip(corner, kind, loss),) if kind else (), wander=4, entry_ms=entry)
    )


def features(kind: str | None) -> dict[str, float]:
    layout = place("harbour")[2]
    found = pass_features(layout, trace(slipped(kind).samples(60)))
    index = [part.code for part in layout.segment_parts].index("T6")
    return {name: float(values[index]) for name, values in found.items()}


def test_each_kind_of_slip_leaves_its_mark_where_it_belongs() -> None:
    good = features(None)
    assert not any(np.isnan(good[name]) for name in FEATURES)
    assert (
        features("early-brake")["brake_onset_m"] < good["brake_onset_m"] - 8
        or features("early-brake")["coasting_s"] > good["coasting_s"] + 0.15
    )
    late = features("late-throttle")
    assert late["full_throttle_m"] > good["full_throttle_m"] + 6 and late["slowest_kmh"] == pytest.approx(
        good["slowest_kmh"], abs=1.5
    )
    assert features("over-slow")["slowest_kmh"] < good["slowest_kmh"] - 3
    # The car is slowest where the foot came off again: the throttle before it is what tells.
    early = features("early-throttle")
    opened = slipped("early-throttle").samples(60)
    before = (opened["distance_m"] < early["slowest_m"]) & (opened["distance_m"] > early["slowest_m"] - 20)
    assert early["slowest_m"] > good["slowest_m"] + 15
    assert opened["throttle_pct"][before].max() > 40 and opened["throttle_pct"][before][-1] < 10
    assert features("wrong-gear")["apex_gear"] == good["apex_gear"] + 1
    assert features("lock-up")["lock_peak_pct"] > 30 > good["lock_peak_pct"]
    assert features("slide")["slip_peak_pct"] > 20 and features("slide")["countersteer_s"] >= 0
    outside = features("missed-apex")["apex_offset_m"] - good["apex_offset_m"]
    assert abs(outside) > 0.5


def test_a_lift_is_a_fall_from_which_the_throttle_comes_back() -> None:
    layout = place("harbour")[2]
    index = [part.code for part in layout.segment_parts].index("T6")
    samples = {name: values.copy() for name, values in slipped(None).samples(60).items()}
    assert pass_features(layout, trace(samples))["lifts"][index] == 0
    samples["throttle_pct"][(samples["distance_m"] > 1180) & (samples["distance_m"] < 1190)] = 60
    assert pass_features(layout, trace(samples))["lifts"][index] == 1


def test_features_need_their_channels_and_leave_out_what_cant_be_used() -> None:
    layout = place("harbour")[2]
    samples = slipped(None).samples(60)
    few = pass_features(layout, trace({name: samples[name] for name in ("time_s", "distance_m", "speed_kmh")}))
    assert {name for name, values in few.items() if np.isfinite(values).any()} == {"slowest_kmh", "slowest_m"}
    middle = next(index for index, part in enumerate(layout.segment_parts) if part.code == "T6")
    holed = {name: values.copy() for name, values in samples.items()}
    inside = (holed["distance_m"] > layout.segment_parts[middle].start_m + 40) & (
        holed["distance_m"] < layout.segment_parts[middle].start_m + 90
    )
    holed["distance_m"][inside] = np.nan
    found = pass_features(layout, trace(holed))
    assert (
        all(np.isnan(values[middle]) for values in found.values())
        and np.isfinite(found["slowest_kmh"]).sum() == len(layout.segment_parts) - 1
    )


@pytest.mark.parametrize("silent", ["brake_pct", "throttle_pct", "gear", "yaw_rate_dps", "offset_m"])
def test_a_channel_that_falls_silent_in_a_corner_costs_what_is_read_from_it_there(silent: str) -> None:
    layout = place("harbour")[2]
    samples = {name: values.copy() for name, values in slipped(None).samples(60).items()}
    whole = pass_features(layout, trace(samples))
    index = next(index for index, part in enumerate(layout.segment_parts) if part.code == "T6")
    part = layout.segment_parts[index]
    samples[silent][(samples["distance_m"] > part.start_m + 20) & (samples["distance_m"] < part.start_m + 50)] = np.nan
    found = pass_features(layout, trace(samples))
    lost = {name for name in FEATURES if np.isnan(found[name][index]) and not np.isnan(whole[name][index])}
    # What the simulator's car reads from that channel, and nothing else; elsewhere everything is as before.
    of_it = {
        "brake_pct": {"brake_onset_m", "brake_release_m", "brake_peak_pct", "coasting_s", "overlap_s"},
        "throttle_pct": {"pick_up_m", "full_throttle_m", "lifts", "coasting_s"},
        "gear": {"overlap_s", "apex_gear"},
        "yaw_rate_dps": {"countersteer_s"},
        "offset_m": {"apex_offset_m"},
    }
    assert lost == of_it[silent]
    others = [number for number in range(len(layout.segment_parts)) if number != index]
    for name in FEATURES:
        np.testing.assert_array_equal(found[name][others], whole[name][others])


def test_a_layout_is_found_without_pedals() -> None:
    samples = [drive_lap(*place("hills"), Stint(0.96, wander=wander)).samples(50) for wander in (1, 2)]
    few = ("time_s", "distance_m", "speed_kmh", "x_m", "y_m")
    traces = [trace({name: item[name] for name in few}, number) for number, item in enumerate(samples, 1)]
    found = find_track(traces, ["flying", "flying"], "Quernholm", "Found", "road").track
    middles = zip(found.corners, place("hills")[2].corners, strict=True)
    assert all(
        abs(corner.apex_m - true.apex_m) <= 15 and corner.start_m < corner.apex_m < corner.end_m
        for corner, true in middles
    )


@pytest.mark.parametrize("rate", [25, 60, 360])
def test_the_difference_at_a_place_is_the_one_that_was_driven(rate: int) -> None:
    length = place("harbour")[2].length_m
    good, slow = slipped(None, entry=40.0), slipped("late-throttle", entry=40.0)
    places = np.arange(10.0, length - 1, 7.0)
    one = aligned(trace(good.samples(rate)), length)
    other = aligned(trace(slow.samples(rate), 2), length)
    exact = slow.moments(places) - good.moments(places)
    assert np.abs(difference(one, other, places) - exact).max() < (0.002 if rate >= 60 else 0.006)
    assert difference(one, one, places).max() == 0
    # By place: lines that lie apart make a difference of centimetres on the road, not of tenths.
    by_place = aligned(trace(slow.samples(rate), 2), length, one)
    assert by_place.by == "place" and np.abs(difference(one, by_place, places) - exact).max() < 0.05


def test_alignment_by_place_mends_a_distance_that_is_counted_by_the_wheels() -> None:
    length = place("harbour")[2].length_m
    one = aligned(trace(slipped(None).samples(60)), length)
    samples = slipped(None).samples(60)
    drifting = {**samples, "distance_m": samples["distance_m"] + 6 * np.sin(samples["distance_m"] / length * np.pi)}
    places = np.arange(50.0, length - 60, 5.0)
    by_distance = aligned(
        trace({name: values for name, values in drifting.items() if name not in ("x_m", "y_m")}), length
    )
    assert by_distance.by == "distance" and np.abs(difference(one, by_distance, places)).max() > 0.15
    assert np.abs(difference(one, aligned(trace(drifting), length, one), places)).max() < 0.05


def test_past_a_clock_that_stood_no_difference_is_told() -> None:
    length = place("harbour")[2].length_m
    one = aligned(trace(slipped(None).samples(60)), length)
    samples = {name: values.copy() for name, values in slipped(None).samples(60).items()}
    samples["time_s"][2000:] += 20
    behind = difference(one, aligned(trace(samples), length), np.asarray([100.0, samples["distance_m"][2400]]))
    assert abs(behind[0]) < 0.002 and np.isnan(behind[1])


def example(folder: str) -> tuple[list[Trace], list[str]]:
    layout = read_track(next((DATA / folder).glob("*.track.json")).read_bytes())
    path = next(path for path in (DATA / folder).glob("*.laps.csv") if "semicolon" not in path.name)
    kinds = {(lap.driver, lap.session, lap.number): lap.kind for _, lap in read_laps(path.read_bytes(), layout).laps}
    file = sorted((DATA / folder).glob("*.telemetry.parquet"))[0]
    traces = list(TelemetryFile(file, file.name).laps())
    return traces, [kinds[item.driver, item.session, item.lap] for item in traces]


@pytest.mark.parametrize("folder", ["street-101", "oval-102"])
@pytest.mark.parametrize("offsets", [True, False])
@pytest.mark.parametrize("laps", [60, 1])
def test_the_examples_arcs_are_found_and_no_others(folder: str, offsets: bool, laps: int) -> None:
    layout = read_track(next((DATA / folder).glob("*.track.json")).read_bytes())
    traces, kinds = example(folder)
    chosen = range(60) if laps == 60 else [next(index for index, kind in enumerate(kinds) if kind == "flying")]
    used = [traces[index] for index in chosen]
    if not offsets:
        used = [
            replace(item, channels={name: values for name, values in item.channels.items() if name != "offset_m"})
            for item in used
        ]
    found = find_track(used, [kinds[index] for index in chosen], "Quernholm", "Found", "street").track
    assert found.length_m == pytest.approx(layout.length_m, abs=1.0)
    for corner in found.corners:
        # Its apex is a true one's, or the middle of two that the truth splits.
        inside = [item for item in layout.corners if corner.start_m - 60 <= item.apex_m <= corner.end_m]
        middle = np.mean([item.apex_m for item in inside])
        assert abs(corner.apex_m - middle) <= 15 and {item.direction for item in inside} == {corner.direction}
    # Every arc of the truth lies in one that was found.
    for item in layout.corners:
        assert any(corner.start_m - 60 <= item.apex_m <= corner.end_m + 5 for corner in found.corners)
    assert len(found.corners) == (11 if folder == "street-101" else 2)


@pytest.mark.parametrize("kind", ["harbour", "hills"])
@pytest.mark.parametrize("by", ["places", "yaw_rate"])
def test_a_layout_is_found_from_places_or_from_speed_and_yaw_rate(kind: str, by: str) -> None:
    road, car, layout = place(kind)
    pitted = replace(layout, pit=Pit(layout.length_m - 180, 120, "left", 60.0))
    drop = ("x_m", "y_m", "offset_m") if by == "yaw_rate" else ()
    flying = [("flying", Stint(0.95, wander=1)), ("flying", Stint(0.97, wander=2))]
    stints = [("out", Stint(0.9, pit="out", entry_ms=16.0)), *flying, ("in", Stint(0.9, pit="in"))]
    traces = []
    for number, (_, stint) in enumerate(stints):
        samples = drive_lap(road, car, pitted, stint).samples(50)
        traces.append(trace({name: values for name, values in samples.items() if name not in drop}, number))
    found = find_track(traces, [name for name, _ in stints], "Quernholm", "Found", "street")
    assert found.by == by and found.used == (1, 2) and found.left_out == ((0, "pit"), (3, "pit"))
    assert found.track.length_m == pytest.approx(layout.length_m, abs=1.5)
    assert [corner.direction for corner in found.track.corners] == [corner.direction for corner in layout.corners]
    middles = [(corner.apex_m, true.apex_m) for corner, true in zip(found.track.corners, layout.corners, strict=True)]
    assert all(abs(apex - true) <= 15 for apex, true in middles)
    if by == "places":
        pit = found.track.pit
        assert pit is not None and pit.side == "left" and pit.limit_kmh == pytest.approx(60, abs=1)
        assert pit.entry_m == pytest.approx(layout.length_m - 180, abs=40) and pit.exit_m == pytest.approx(120, abs=40)


def test_what_no_layout_can_be_had_from_is_said() -> None:
    samples = slipped(None).samples(25)
    with pytest.raises(CantFind, match="whole flying lap"):
        find_track(
            [trace({name: values[:200] for name, values in samples.items()})], ["flying"], "A", "B", "street", 2090.0
        )
    with pytest.raises(CantFind, match="places"):
        find_track(
            [trace({name: samples[name] for name in ("time_s", "distance_m", "speed_kmh")})],
            ["flying"],
            "A",
            "B",
            "street",
        )
