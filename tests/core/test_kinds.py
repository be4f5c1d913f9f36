"""The kind of a mistake is its earliest cause, at any sampling rate; what isn't recorded isn't guessed."""

from collections.abc import Mapping
from functools import cache

import numpy as np
import pytest

from fleet_rival.core.corners.compare import compare, road_of
from fleet_rival.core.corners.inputs import Cause, scatter_of
from fleet_rival.core.corners.kinds import cause_of, phase_losses
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from tests.core.driving import LAYOUT, Way, drive, ordinary

MISTAKES: Mapping[str, Way] = {
    "early-brake": Way(brake=-152),
    "late-brake": Way(brake=-130, away=1.4, pick_up=24),
    "over-slow": Way(brake=-142, slow=18.5),
    "lock-up": Way(brake=-135, decel=10.4, lock=40, pick_up=26),
    "double-input": Way(shaken=True, pick_up=20),
    "missed-apex": Way(away=1.9, pick_up=28),
    "late-throttle": Way(pick_up=34),
    "early-throttle": Way(pick_up=-4, lift=(8, 30, 0)),
    "wide-exit": Way(lift=(34, 80, 30), wide=2.2),
    "wrong-gear": Way(gear=1, pull=0.55),
    "limiter": Way(limited=90),
    "slide": Way(against=True, pick_up=8),
}
DEFAULTS = Settings()


def laid(ways: list[dict[str, Way]], rate_hz: float, missing: tuple[str, ...] = ()) -> list[LapCurves]:
    made = [curves_of(LAYOUT.length_m, drive(way, rate_hz, missing=missing)) for way in ways]
    return [item for item in made if item is not None]


@cache
def usual(rate_hz: float, missing: tuple[str, ...]) -> list[LapCurves]:
    rng = np.random.default_rng(5)
    return laid([ordinary(rng) for _ in range(9)], rate_hz, missing)


def found(way: Way, rate_hz: float, corner: str = "T1", missing: tuple[str, ...] = ()) -> Cause | None:
    curves = [*usual(rate_hz, missing), *laid([{**ordinary(np.random.default_rng(6)), corner: way}], rate_hz, missing)]
    comparison = compare(road_of(LAYOUT, corner), curves, range(4), DEFAULTS)
    assert comparison is not None
    mask = np.arange(10) < 9
    return cause_of(comparison, 9, scatter_of(comparison, mask), DEFAULTS, 7920.0)


@pytest.mark.parametrize("rate_hz", [10, 25, 60, 360])
@pytest.mark.parametrize("kind", MISTAKES)
def test_each_kind_is_told_at_each_rate(kind: str, rate_hz: float) -> None:
    told = found(MISTAKES[kind], rate_hz, "T1" if rate_hz != 25 else "T2")
    assert told is not None and told.kind == kind


@pytest.mark.parametrize(
    ("kind", "missing"),
    [
        ("early-brake", ("brake_pct", "throttle_pct")),
        ("late-throttle", ("throttle_pct",)),
        ("limiter", ("rpm", "gear")),
        ("wrong-gear", ("gear",)),
        ("wide-exit", ("offset_m",)),
        ("missed-apex", ("offset_m",)),
        ("lock-up", ("lock_pct",)),
    ],
)
def test_a_missing_channel_disables_the_kinds_that_need_it(kind: str, missing: tuple[str, ...]) -> None:
    told = found(MISTAKES[kind], 60, missing=missing)
    assert told is None or told.kind != kind
    assert found(MISTAKES["over-slow"], 60, missing=("rpm", "lock_pct", "offset_m")).kind == "over-slow"  # type: ignore[union-attr]


def test_the_loss_is_split_over_the_corner_where_it_arose() -> None:
    rng = np.random.default_rng(5)
    ways = [ordinary(rng) for _ in range(9)]
    wanted = {"early-brake": {"approach", "entry"}, "late-throttle": {"exit"}, "over-slow": {"entry", "middle"}}
    for kind, phases in wanted.items():
        curves = laid([*ways, {"T1": MISTAKES[kind]}], 60)
        comparison = compare(road_of(LAYOUT, "T1"), curves, range(9), DEFAULTS)
        assert comparison is not None
        split = phase_losses(comparison, 9)
        stop = int(np.searchsorted(comparison.at_m, comparison.road.end_m)) - 1
        assert sum(split.values()) == pytest.approx(float(comparison.loss_s[9, stop]))
        assert sum(split[phase] for phase in phases) > 0.6 * sum(split.values()), (kind, split)


def test_curves_survive_being_kept_and_say_where_nothing_is_known() -> None:
    trace = drive({}, 60)
    made = curves_of(LAYOUT.length_m, trace)
    assert made is not None
    again = LapCurves.unpacked(made.packed())
    assert again.step_m == made.step_m and again.channels.keys() == made.channels.keys()
    assert np.array_equal(again.channels["time_s"], made.channels["time_s"])
    assert np.abs(again.channels["speed_kmh"] - made.channels["speed_kmh"]).max() <= 0.13
    hole = np.r_[0:300, 500 : len(trace)]
    torn = type(trace)("Ysolde Farrand", "1", 1, 1, {name: values[hole] for name, values in trace.channels.items()})
    left = curves_of(LAYOUT.length_m, torn)
    assert left is not None
    gap = slice(
        int(trace.channels["distance_m"][310] / made.step_m), int(trace.channels["distance_m"][490] / made.step_m)
    )
    assert (
        np.isnan(left.channels["brake_pct"][gap]).all()
        and np.isfinite(left.channels["speed_kmh"][: gap.start - 3]).all()
    )
