"""Pace over a run: slopes against laps whose slope is known, with an interval that holds; what else is told of runs,
against made-up truths.
"""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import theilslopes

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.pace.falloff import Falloff, falloff_of
from fleet_rival.core.pace.learning import Point, learning_curve
from fleet_rival.core.pace.looks import setup_changes
from fleet_rival.core.pace.par import Par, par_of, session_pars
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.pace.slope import correlation_of, pooled_slope
from fleet_rival.core.pace.versus import project, versus
from fleet_rival.core.pace.wear import TreadReading, Wear, wear_of
from fleet_rival.core.settings import Settings
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.tracks import read_track
from tests.conftest import DATA
from tests.making import SECOND, track, whole_lap

PLAIN = Settings()
TRACK = track()
whole = st.integers(60_000_000, 120_000_000)


def noise(rng: np.random.Generator, count: int, correlation: float) -> np.ndarray:
    out = rng.standard_normal(count)
    for at in range(1, count):
        out[at] = correlation * out[at - 1] + np.sqrt(1 - correlation**2) * out[at]
    return out


def run_of(
    times_s: list[float] | np.ndarray, run: int = 1, session: str = "1", out_lap: bool = True, **facts: object
) -> list[Lap]:
    """A run: an out lap, a cold one where the settings say so, and laps of these times; tyre age and fuel count on
    where they begin.
    """
    age, fuel = facts.pop("tyre_age", None), facts.pop("fuel_l", None)
    kinds = ["out"] * out_lap + ["flying"] * len(times_s)
    times = [100.0] * out_lap + list(times_s)
    laps = []
    for number, (kind, seconds) in enumerate(zip(kinds, times, strict=True)):
        more = {
            **({"tyre_age": float(age) + number} if isinstance(age, int | float) else {}),
            **({"fuel_l": float(fuel) - 2.0 * number} if isinstance(fuel, int | float) else {}),
        }
        values = {
            "driver": "Ysolde Farrand",
            "session": session,
            "run": run,
            "kind": kind,
            "time_us": round(seconds * SECOND),
        }
        laps.append(Lap(number=100 * run + number, **{**values, **more, **facts}))  # type: ignore[arg-type]
    return laps


def falloff(laps: list[Lap], settings: Settings = PLAIN) -> Falloff:
    judged = judge(TRACK, laps, settings)
    return falloff_of(judged, [index for index, item in enumerate(judged) if item.flying], settings)


class TestSlope:
    @settings(deadline=None)
    @given(st.lists(whole, min_size=3, max_size=30), st.integers(-10, 10))
    def test_one_run_alone_is_theil_and_sens(self, values: list[int], first: int) -> None:
        numbers = [float(first + index) for index in range(len(values))]
        found = pooled_slope([(numbers, [float(value) for value in values])])
        assert found is not None and found.value == pytest.approx(float(theilslopes(values, numbers).slope), abs=1e-6)
        assert found.low <= found.value <= found.high and 0 <= found.correlation <= 0.9

    @settings(deadline=None)
    @given(
        st.lists(st.lists(whole, min_size=5, max_size=9), min_size=1, max_size=4),
        st.integers(-(10**7), 10**7),
        st.integers(-90_000, 90_000),
    )
    def test_a_levels_a_line_and_the_order_of_runs_change_nothing_else(
        self, runs: list[list[int]], level: int, line: int
    ) -> None:
        plain = [(list(map(float, range(len(run)))), [float(value) for value in run]) for run in runs]
        moved = [
            (x, [value + level * number + line * at for value, at in zip(y, x, strict=True)])
            for number, (x, y) in enumerate(plain)
        ]
        one, other, turned = pooled_slope(plain), pooled_slope(moved), pooled_slope(plain[::-1])
        assert one is not None and other is not None and turned is not None
        for name in ("value", "low", "high"):
            assert getattr(turned, name) == pytest.approx(getattr(one, name), abs=1e-3)
            assert getattr(other, name) == pytest.approx(getattr(one, name) + line, abs=0.05)

    def test_without_two_places_there_is_no_slope(self) -> None:
        assert pooled_slope([]) is None and pooled_slope([([3.0, 3.0], [1.0, 2.0])]) is None

    @pytest.mark.parametrize("correlation", [0.0, 0.5])
    def test_the_interval_holds_the_truth_as_often_as_it_says(self, correlation: float) -> None:
        rng = np.random.default_rng(11)
        held, width, known = 0, 0.0, 0.0
        for _ in range(120):
            runs = []
            above = below = 0.0
            for count in (9, 12, 10):
                x = np.arange(count, dtype=np.float64)
                runs.append((x, 300_000 * noise(rng, count, correlation) + 40_000 * x + rng.normal() * 1e6))
                centred = x - x.mean()
                above += float(centred @ correlation ** np.abs(x[:, None] - x[None, :]) @ centred)
                below += float(centred @ centred)
            found = pooled_slope(runs)
            assert found is not None
            held += found.low <= 40_000 <= found.high
            width += found.high - found.low
            known += 2 * 1.96 * 300_000 * np.sqrt(above) / below
        assert held >= 120 * 0.9 and width / known <= 1.35

    def test_laps_that_resemble_each_other_are_known_as_such(self) -> None:
        rng = np.random.default_rng(2)
        x = np.arange(40.0)
        close, apart = ([(x, noise(rng, 40, rho)) for _ in range(6)] for rho in (0.6, 0.0))
        assert correlation_of(close, 0.0) > 0.45 and correlation_of(apart, 0.0) < 0.2

    def test_many_laps_are_no_trouble(self) -> None:
        rng = np.random.default_rng(3)
        x = np.arange(10_000.0)
        found = pooled_slope([(x, 5.0 * x + rng.standard_normal(10_000) * 100_000)])
        assert found is not None and found.low <= 5.0 <= found.high


class TestFalloff:
    def test_it_is_read_from_runs_that_are_long_enough_and_says_so(self) -> None:
        laps = run_of([91, *(90 + 0.03 * at for at in range(8))]) + run_of([91, 90, 90.5], run=2)
        found = falloff(laps)
        assert (
            found.net is not None
            and found.net.value == pytest.approx(30_000)
            and (found.net.n, found.net.runs) == (8, 1)
        )
        assert (
            falloff(run_of([91, 90, 90])).net is None
            and "no run of 5" in falloff(run_of([91, 90, 90])).reasons["us_per_lap"]
        )

    def test_tyres_alone_only_where_they_can_be_told_from_fuel(self) -> None:
        def driven(run: int, age: float, fuel: float) -> list[Lap]:
            # 40 ms a lap of age, 20 ms a litre; two litres a lap.
            times = [90 + 0.04 * (age + 1 + at) + 0.02 * (fuel - 2 * (at + 1)) for at in range(9)]
            return run_of(times, run=run, tyre_age=age, fuel_l=fuel)

        alike = falloff(driven(1, 0, 60) + driven(2, 0, 60))
        assert (
            alike.tyre_us_per_lap is None
            and alike.reasons["tyre_us_per_lap"] == "fuel and tyre age rise together in every run"
        )
        told = falloff(driven(1, 0, 60) + driven(2, 0, 30))
        assert (
            told.tyre_us_per_lap == pytest.approx(40_000, abs=1)
            and told.net is not None
            and told.net.value == pytest.approx(0, abs=1)
        )
        assert (
            told.tyre_low_us is not None
            and told.tyre_high_us is not None
            and told.tyre_low_us <= told.tyre_us_per_lap <= told.tyre_high_us
        )
        declared = falloff(driven(1, 0, 60), Settings.from_mapping({"seconds_per_litre": 0.02}))
        assert declared.tyre_us_per_lap == pytest.approx(40_000, abs=1)
        unknown = falloff(
            run_of([90 + 0.1 * at for at in range(9)]), Settings.from_mapping({"seconds_per_litre": 0.02})
        )
        assert unknown.tyre_us_per_lap is None and "how much fuel" in unknown.reasons["tyre_us_per_lap"]

    def test_a_cliff_is_found_where_it_is_and_nowhere_else(self) -> None:
        rng = np.random.default_rng(4)

        def driven(cliff: float, count: int = 20) -> list[Lap]:
            runs = []
            for run in (1, 2):
                at = np.arange(1, count + 1)
                times = 90 + 0.02 * at + cliff * np.maximum(at - 13, 0) + 0.05 * rng.standard_normal(count)
                runs += run_of([91, *times[1:]], run=run, tyre_age=0)
            return runs

        found = falloff(driven(0.15)).cliff
        assert found is not None and found.by == "tyre_age" and found.at == pytest.approx(13, abs=2)
        assert found.before_us == pytest.approx(20_000, abs=15_000) and found.after_us == pytest.approx(
            170_000, abs=40_000
        )
        assert sum(falloff(driven(0.0)).cliff is not None for _ in range(20)) <= 1
        assert falloff(driven(-0.15)).cliff is None, "a second piece that is flatter is none"

    def test_each_tyre_set_has_its_own(self) -> None:
        one, other = ([91, *(90 + cost * at for at in range(8))] for cost in (0.02, 0.06))
        laps = run_of(one, tyre_set="A") + run_of(other, run=2, tyre_set="B")
        assert {label: round(slope.value) for label, slope in falloff(laps).by_set().items()} == {
            "A": 20_000,
            "B": 60_000,
        }


def pace_runs(*runs: list[Lap]):  # type: ignore[no-untyped-def]
    judged = judge(TRACK, [lap for run in runs for lap in run], PLAIN)
    return clean_runs(judged, [index for index, item in enumerate(judged) if item.flying], 1)


class TestPushOrSave:
    push = tuple(90 + 0.10 * at for at in range(12))
    save = tuple(90.4 + 0.02 * at for at in range(12))

    def test_the_saver_gets_ahead_where_the_sums_cross(self) -> None:
        [push], [save] = pace_runs(run_of([95, *self.push])), pace_runs(run_of([95, *self.save]))
        told = versus([push], [save], 30, PLAIN)
        # The first flying lap is cold: laps of the run from the second on.
        sums = np.cumsum(np.asarray(self.save) - np.asarray(self.push))
        assert [step.behind_us for step in told.steps] == pytest.approx(
            [round(value * SECOND) for value in sums], abs=3
        )
        assert told.crossing == told.steps[int(np.argmax(sums < 0))].lap
        assert told.verdict == "second" and told.difference is not None and told.difference.high_us < 0
        swapped = versus([save], [push], 30, PLAIN)
        assert swapped.verdict == "first" and swapped.crossing == told.crossing

    def test_a_stop_makes_the_tyres_new(self) -> None:
        [push] = pace_runs(run_of([95, *self.push]))
        through, stopped = project([push], 30, PLAIN), project([push], 30, PLAIN, stops=2, stop_us=25 * SECOND)
        assert through is not None and stopped is not None
        # 30 laps at 0.1 s a lap: 43.5 s lost without a stop, 3 times 4.5 s with two.
        assert through.total_us - stopped.total_us == pytest.approx((43.5 - 13.5 - 50) * SECOND, abs=1000)

    def test_equal_is_a_finding_and_too_little_is_said(self) -> None:
        rng = np.random.default_rng(5)
        for scatter, verdict in ((0.3, "not_yet"), (0.003, "equal")):
            one, other = (pace_runs(run_of([95, *(90 + scatter * rng.standard_normal(10))])) for _ in range(2))
            assert versus(one, other, 20, PLAIN).verdict == verdict
        short = versus(one, pace_runs(run_of([95, 90, 90.1])), 20, PLAIN)
        assert short.verdict is None and "5 clean laps" in short.reason and len(short.steps) == 2


def test_the_same_time_on_older_tyres_after_a_change_is_a_gain() -> None:
    before = run_of([95, *(90 + 0.05 * at for at in range(10))], tyre_age=0, setup="base")
    after = run_of([95, *(90 + 0.05 * at for at in range(10))], run=2, tyre_age=10, setup="stiff")
    runs = pace_runs(before, after)
    net = pooled_slope([(run.numbers, run.times_us) for run in runs])
    assert net is not None
    [change] = setup_changes(runs, net)
    assert (change.before, change.after, change.raw_us, change.by) == ("base", "stiff", 0, "tyre_age")
    assert change.gain_us == pytest.approx(500_000) and change.low_us > 0 and change.hidden
    [unchanged] = setup_changes(
        [runs[0], replace(runs[0], laps=tuple(replace(lap, setup="same") for lap in runs[0].laps))], net
    )
    assert unchanged.gain_us == 0 and not unchanged.hidden


class TestLearning:
    def points(self, floor: float = 88.0, amount: float = 6.0, power: float = 0.5, scatter: float = 0.0) -> list[Point]:
        rng = np.random.default_rng(6)
        return [
            Point(done, (floor + amount * done**-power + scatter * rng.standard_normal()) * SECOND)
            for done in (4.0, 11, 20, 33, 48, 70, 95)
        ]

    def test_a_curve_is_found_and_the_laps_that_remain(self) -> None:
        found = learning_curve(self.points(), round(88.5 * SECOND))
        # 88 + 6 / sqrt(n) = 88.5 at n = 144.
        assert found.remain == pytest.approx(144 - 95, abs=2) and found.floor_us == pytest.approx(88 * SECOND, rel=1e-3)
        assert learning_curve(self.points(), round(89.5 * SECOND)).remain == 0
        beyond = learning_curve(self.points(), round(87.0 * SECOND))
        assert beyond.remain is None and "not by practice alone" in beyond.reason
        wrong = self.points()
        wrong[3] = Point(wrong[3].laps_done, wrong[3].median_us + 3 * SECOND)
        assert learning_curve(wrong, None).floor_us == pytest.approx(88 * SECOND, rel=3e-3), (
            "one run that went wrong doesn't decide"
        )

    def test_what_cant_be_told_is_said(self) -> None:
        assert "4 are needed" in learning_curve(self.points()[:3], None).reason
        rng = np.random.default_rng(7)
        flat = [Point(done, (90 + 0.2 * rng.standard_normal()) * SECOND) for done in (4.0, 11, 20, 33, 48, 70, 95)]
        assert learning_curve(flat, None).floor_us is None and "can't tell" in learning_curve(flat, None).reason
        assert learning_curve([Point(done, 90 * SECOND) for done in (4.0, 11, 20, 33)], 1).floor_us is None


class TestPar:
    def laps(
        self, drivers: dict[str, float], dries: float = 0.05, scatter: float = 0.002
    ) -> list[tuple[str, float, int]]:
        rng = np.random.default_rng(8)
        out = []
        for name, level in drivers.items():
            for minute in np.arange(0, 45, 1.6):
                wet = dries * np.exp(-minute / 15)
                out.append(
                    (name, float(minute), round(level * (1 + wet) * (1 + scatter * rng.standard_normal()) * SECOND))
                )
        return out

    def test_a_drying_track_is_told_apart_from_the_drivers(self) -> None:
        found = par_of(self.laps({"Ysolde": 90.0, "Corin": 92.0, "Brannoc": 91.0}), 0.3)
        assert isinstance(found, Par)
        fell = found.at(1) - found.at(40)
        assert fell == pytest.approx(0.05 * (np.exp(-1 / 15) - np.exp(-40 / 15)), abs=0.004)
        assert found.levels_us["Corin"] / found.levels_us["Ysolde"] == pytest.approx(92 / 90, abs=0.002)
        assert found.at(-5) == found.shares[0] and found.at(500) == found.shares[-1]

    def test_a_setup_that_everybody_tries_at_once_is_no_matter_of_the_track(self) -> None:
        laps = self.laps({"Ysolde": 90.0, "Corin": 92.0}, dries=0.0, scatter=0.0005)
        setups = ["slow" if int(minute / 9) % 2 else "quick" for _, minute, _ in laps]
        tried = [
            (name, minute, round(time * (1.012 if setup == "slow" else 1)))
            for (name, minute, time), setup in zip(laps, setups, strict=True)
        ]
        assert isinstance(par_of(tried, 0.3), Par), "nobody said what was driven"
        assert par_of(tried, 0.3, setups) == "pace moves by less than 0.3 %"
        dried = [(name, minute, round(time * (1 + 0.05 * np.exp(-minute / 15)))) for name, minute, time in tried]
        found = par_of(dried, 0.3, setups)
        assert isinstance(found, Par)
        assert found.at(1) - found.at(40) == pytest.approx(0.05 * (np.exp(-1 / 15) - np.exp(-40 / 15)), abs=0.006)
        assert found.setups_us["Corin", "slow"] / found.setups_us["Corin", "quick"] == pytest.approx(1.012, abs=0.003)

    @pytest.mark.parametrize(
        ("drivers", "dries", "words"),
        [({"Ysolde": 90.0}, 0.05, "one driver alone"), ({"Ysolde": 90.0, "Corin": 92.0}, 0.0, "moves by less than")],
    )
    def test_without_others_or_without_a_move_there_is_none(
        self, drivers: dict[str, float], dries: float, words: str
    ) -> None:
        found = par_of(self.laps(drivers, dries, 0.0005), 0.3)
        assert isinstance(found, str) and words in found

    def test_drivers_who_werent_out_together_say_nothing(self) -> None:
        laps = self.laps({"Ysolde": 90.0, "Corin": 92.0})
        apart = [item for item in laps if (item[1] < 20) == (item[0] == "Ysolde")]
        found = par_of(apart, 0.3)
        assert isinstance(found, str) and "same time" in found
        assert isinstance(par_of(laps[:5], 0.3), str)


class TestWear:
    def test_each_wheel_wears_on_its_own_and_one_axle_is_first(self) -> None:
        readings = [
            TreadReading(laps, {"front_left": 100 - 2.5 * laps, "rear_left": 100 - 1.0 * laps}) for laps in (8.0, 16.0)
        ]
        found = wear_of(readings, 30.0)
        assert isinstance(found, Wear) and found.first_axle == "front" and found.through_at == 28
        assert (
            found.wheels["front_left"].per_lap_pct == pytest.approx(2.5) and found.wheels["rear_left"].through_at == 70
        )

    def test_nothing_read_or_nothing_worn_is_said(self) -> None:
        assert isinstance(wear_of([], 30.0), str) and isinstance(
            wear_of([TreadReading(0.0, {"front_left": 100.0})], 30.0), str
        )
        unworn = wear_of([TreadReading(5.0, {"front_left": 100.0})], 30.0)
        assert isinstance(unworn, Wear) and unworn.through_at is None and unworn.wheels["front_left"].through_at is None


@pytest.mark.parametrize("folder", ["street-101", "oval-102"])
def test_the_examples_truths_lie_in_the_intervals(folder: str) -> None:
    layout = read_track(next((DATA / folder).glob("*.track.json")).read_bytes())
    path = next(path for path in (DATA / folder).glob("*.laps.csv") if "semicolon" not in path.name)
    truth = json.loads((DATA / folder / "truth.json").read_text(encoding="utf-8"))["drivers"]
    analysis = analyse(layout, [lap for _, lap in read_laps(path.read_bytes(), layout).laps])
    for name, driver in analysis.drivers.items():
        found, exact = driver.main.falloff, truth[name]["falloff"]
        assert found.net is not None and found.net.low <= exact["us_per_lap"] <= found.net.high
        if found.tyre_us_per_lap is not None:
            assert found.tyre_low_us is not None and found.tyre_high_us is not None
            assert found.tyre_low_us <= exact["tyre_us_per_lap"] <= found.tyre_high_us


class TestSessionPar:
    @staticmethod
    def evening(moves: float, drivers: int = 3) -> dict[str, list[JudgedLap]]:
        """A session in which everybody becomes faster by a share of the lap within 40 minutes; the second driver has
        one slow lap and a tow.
        """
        rng = np.random.default_rng(5)
        begin = datetime(2031, 5, 1, 18, tzinfo=UTC)
        out = {}
        for number in range(drivers):
            laps = []
            for at in range(25):
                minute = at * 1.6 + 0.3 * number
                seconds = (
                    (90 + number) * (1 - moves * minute / 40)
                    + float(rng.normal(0, 0.1))
                    + (4 if (number, at) == (1, 12) else 0)
                )
                flags = frozenset({"tow"}) if (number, at) == (1, 20) else frozenset()
                facts = {
                    "started_at": begin + timedelta(minutes=minute),
                    "driver": f"Driver {number}",
                    "flags": flags,
                    "session": "wet start",
                }
                laps.append(whole_lap(at + 1, seconds, **facts))
            out[f"Driver {number}"] = judge(track(), laps, Settings())
        return out

    def test_each_lap_is_held_against_everybodys_pace_at_its_minute(self) -> None:
        [(session, (par, against))] = session_pars(self.evening(0.04), 0.3).items()
        assert (
            session == "wet start"
            and isinstance(par, Par)
            and par.shares[0] - par.shares[-1] == pytest.approx(0.04, abs=0.006)
        )
        behind = {name: [item.behind_us / 1e6 for item in items] for name, items in against.items()}
        assert len(behind["Driver 0"]) == 25 and len(behind["Driver 1"]) == 24, "a tow says nothing of the track"
        assert behind["Driver 1"][12] == pytest.approx(4, abs=0.4)
        assert all(abs(value) < 0.5 for index, value in enumerate(behind["Driver 1"]) if index != 12)

    @pytest.mark.parametrize(("moves", "drivers", "why"), [(0.0, 3, "moves by less"), (0.04, 1, "one driver alone")])
    def test_there_is_none_without_a_reason(self, moves: float, drivers: int, why: str) -> None:
        [(par, against)] = session_pars(self.evening(moves, drivers), 0.3).values()
        assert isinstance(par, str) and why in par and against == {}
