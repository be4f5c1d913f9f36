"""The race ahead: distance, consumption, stops, limits, pressures, crossing, and races from own laps, against brute
force and simulation.
"""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.race.consumption import consumption_of, litre_cost, start_load
from fleet_rival.core.race.crossing import crossing_time
from fleet_rival.core.race.distance import timed_race
from fleet_rival.core.race.limits import CornerRate, limit_budget
from fleet_rival.core.race.own_race import OwnRace, RaceLap, places, race_from_laps
from fleet_rival.core.race.pits import pit_loss
from fleet_rival.core.race.pressures import ATMOSPHERE_KPA, BadPressure, Measured, cold_setting, rounded_to
from fleet_rival.core.race.stops import CompoundPace, Rules, plans_of, tells_of_stint, time_of
from fleet_rival.core.race.tow import tow_worth


class TestDistance:
    @given(st.floats(5, 120), st.floats(20, 300), st.floats(20, 300))
    def test_as_driven_lap_by_lap(self, minutes: float, own: float, leader: float) -> None:
        leader = min(own, leader)
        leader_laps, clock = 0, 0.0
        while clock < minutes * 60 - 1e-6:
            clock += leader
            leader_laps += 1
        laps, mine = 0, 0.0
        while mine < clock - 1e-6:
            mine += own
            laps += 1
        told = timed_race(minutes, own, leader)
        assert told.leader_laps == leader_laps and told.laps == min(laps, leader_laps)

    def test_a_race_on_the_edge_is_said_to_be_close(self) -> None:
        assert timed_race(20, 60.02).laps == 20 and timed_race(20, 60.02).close
        assert timed_race(20, 61.5).laps == 20 and not timed_race(20, 61.5).close
        assert timed_race(20, 90, 60).laps == 14 and timed_race(20, 60, 60, lost_seconds=65).laps == 19
        with pytest.raises(ValueError, match="take time"):
            timed_race(0, 60)


class TestStints:
    @pytest.mark.parametrize(("laps", "stint", "tells"), [(10, 20, True), (9, 20, False), (1, 1, True), (0, 1, False)])
    def test_half_a_stint_tells_of_it(self, laps: int, stint: int, tells: bool) -> None:
        assert tells_of_stint(laps, stint) is tells


class TestConsumption:
    def test_a_chosen_risk_comes_true(self) -> None:
        rng = np.random.default_rng(4)
        dry = 0
        for _ in range(1000):
            runs = [2.4 + 0.06 * rng.standard_normal() + 0.05 * rng.standard_normal(12) for _ in range(8)]
            used = consumption_of([list(run) for run in runs])
            assert used is not None
            race = (2.4 + 0.06 * rng.standard_normal() + 0.05 * rng.standard_normal(30)).sum()
            dry += race > start_load(used, 30, risk=0.05).amount
        assert 30 <= dry <= 70

    def test_one_run_is_enough_where_runs_are_alike(self) -> None:
        rng = np.random.default_rng(5)
        dry = 0
        for _ in range(1000):
            used = consumption_of([list(2.4 + 0.05 * rng.standard_normal(15))])
            assert used is not None and used.between == 0
            dry += (2.4 + 0.05 * rng.standard_normal(30)).sum() > start_load(used, 30).amount
        assert 30 <= dry <= 70

    def test_more_sureness_and_more_laps_need_more(self) -> None:
        used = consumption_of([[2.3, 2.4, 2.5], [2.4, 2.5, 2.6, 2.5]])
        assert used is not None and used.laps == 7 and used.runs == 2
        assert start_load(used, 20, 0.01).amount > start_load(used, 20, 0.1).amount > 20 * used.mean
        assert start_load(used, 20, formation=0.6).amount == pytest.approx(
            start_load(used, 20).amount + 0.6 * used.mean
        )
        assert start_load(used, 20, saving=0.1).amount == pytest.approx(0.9 * start_load(used, 20).amount)
        assert consumption_of([[2.4, 2.5]]) is None and consumption_of([]) is None
        with pytest.raises(ValueError, match="risk"):
            start_load(used, 20, 0.0)


def compound(name: str, new: float, falloff: float, life: int | None = None, **more: float) -> CompoundPace:
    return CompoundPace(name, new, falloff, falloff * 0.8, falloff * 1.2, life, **more)


class TestStops:
    @settings(max_examples=30, deadline=None)
    @given(st.data())
    def test_against_every_plan_there_is(self, data: st.DataObject) -> None:
        laps = data.draw(st.integers(4, 9))
        pieces = [
            compound(
                name,
                float(data.draw(st.integers(900, 1000))),
                float(data.draw(st.integers(0, 30))),
                data.draw(st.one_of(st.none(), st.integers(2, 6))),
                cold_us=float(data.draw(st.integers(0, 20))),
                cliff=data.draw(st.one_of(st.none(), st.integers(1, 5))),
                beyond_us=50.0,
            )
            for name in ("hard", "soft")
        ]
        must = frozenset(data.draw(st.sets(st.sampled_from(["hard", "soft"]))))
        rules = Rules(
            laps,
            must,
            data.draw(st.integers(0, 1)),
            3,
            pit_us=float(data.draw(st.integers(0, 300))),
            pit_deviation_us=10.0,
        )
        best = None
        for stints in range(rules.least_stops + 1, 5):
            for chosen in product(pieces, repeat=stints):
                for lengths in product(range(1, laps + 1), repeat=stints):
                    if sum(lengths) != laps or not must <= {item.name for item in chosen}:
                        continue
                    if any(
                        item.life is not None and length > item.life
                        for item, length in zip(chosen, lengths, strict=True)
                    ):
                        continue
                    time = (
                        sum(time_of(item, length) for item, length in zip(chosen, lengths, strict=True))
                        + (stints - 1) * rules.pit_us
                    )
                    best = time if best is None else min(best, time)
        told = plans_of(pieces, rules, draws=200)
        if best is None:
            assert not told.plans and told.why_none
        else:
            assert told.plans[0].time_us == pytest.approx(best)
            assert all(
                must <= {name for name, _ in plan.stints} and sum(n for _, n in plan.stints) == laps
                for plan in told.plans
            )
            assert sum(plan.wins for plan in told.plans) <= 1 + 1e-9

    def test_what_a_stop_would_have_to_cost_to_change_the_choice(self) -> None:
        tyres = [compound("one", 60e6, 90e3)]
        told = plans_of(tyres, Rules(40, pit_us=25e6))
        best = told.plans[0].stops
        flip = told.pit_flips_us[best + 1]
        assert 0 < flip < 25e6 and plans_of(tyres, Rules(40, pit_us=flip - 1e3)).plans[0].stops == best + 1
        assert plans_of(tyres, Rules(40, pit_us=flip + 1e3)).plans[0].stops == best

    def test_sure_plans_win_always_and_equal_ones_half_of_the_time(self) -> None:
        sure = plans_of([CompoundPace("a", 60e6, 0, 0, 0), CompoundPace("b", 70e6, 0, 0, 0)], Rules(20, pit_us=20e6))
        assert sure.plans[0].stints == (("a", 20),) and sure.plans[0].wins == 1.0
        even = plans_of(
            [CompoundPace("a", 60e6, 1e4, 0, 2e4), CompoundPace("b", 60e6, 1e4, 0, 2e4)], Rules(20, pit_us=60e6)
        )
        assert (
            even.plans[0].wins == pytest.approx(0.5, abs=0.05)
            and even.plans[0].low_us < even.plans[0].time_us < even.plans[0].high_us
        )

    def test_why_there_is_no_plan(self) -> None:
        assert "nothing is known" in plans_of([compound("a", 1.0, 0.0)], Rules(10, frozenset({"b"}))).why_none
        assert "don't last" in plans_of([compound("a", 1.0, 0.0, 1)], Rules(10)).why_none
        assert (
            "more compounds"
            in plans_of(
                [compound("a", 1.0, 0.0), compound("b", 1.0, 0.0)], Rules(10, frozenset({"a", "b"}), most_stops=0)
            ).why_none
        )
        with pytest.raises(ValueError, match="names of their own"):
            plans_of([compound("a", 1.0, 0.0)] * 2, Rules(10))


RATES = st.dictionaries(
    st.sampled_from(["T1", "T2", "T3"]), st.tuples(st.integers(0, 20), st.integers(20, 200)), max_size=3
)


class TestLimits:
    def test_against_drawn_races(self) -> None:
        corners = {"T1": CornerRate(6, 60), "T4": CornerRate(1, 60), "T7": CornerRate(0, 60)}
        told = limit_budget(corners, 25, 4)
        rng = np.random.default_rng(3)
        drawn = np.zeros(40_000)
        for rate in corners.values():
            drawn += rng.binomial(25, rng.beta(rate.strikes + 0.5, rate.passes - rate.strikes + 19.5, 40_000))
        assert told.chance == pytest.approx((drawn >= 4).mean(), abs=0.01) and told.expected == pytest.approx(
            drawn.mean(), abs=0.03
        )
        assert next(iter(told.halved)) == "T1" and all(chance <= told.chance for chance in told.halved.values())

    @given(
        st.dictionaries(
            st.sampled_from(["T1", "T2", "T3"]), st.tuples(st.integers(0, 20), st.integers(20, 200)), max_size=3
        ),
        st.integers(1, 60),
        st.integers(1, 9),
    )
    def test_a_higher_limit_is_reached_less_often(
        self, corners: dict[str, tuple[int, int]], laps: int, limit: int
    ) -> None:
        rates = {name: CornerRate(*pair) for name, pair in corners.items()}
        lower, higher = limit_budget(rates, laps, limit), limit_budget(rates, laps, limit + 1)
        assert 0 <= higher.chance <= lower.chance + 1e-9 <= 1 + 1e-6


class TestPressures:
    def test_by_the_gas_law(self) -> None:
        measured = Measured(160.0, 190.0, 20.0, 30.0)
        assert cold_setting(measured, 190.0, 20.0, 30.0) == pytest.approx(160.0)
        told = cold_setting(measured, 180.0)
        assert (told + ATMOSPHERE_KPA) * (190 + ATMOSPHERE_KPA) / (160 + ATMOSPHERE_KPA) == pytest.approx(
            180 + ATMOSPHERE_KPA
        )
        assert cold_setting(measured, 190.0, 20.0, 40.0) < 160 < cold_setting(measured, 190.0, 30.0, 30.0)

    @given(st.floats(100, 250), st.floats(1, 60), st.floats(0, 40))
    def test_what_comes_out_gives_what_was_wanted(self, cold: float, rise: float, temperature: float) -> None:
        measured = Measured(cold, cold + rise, temperature, 30.0)
        wanted = cold + rise + 5
        setting = cold_setting(measured, wanted, temperature, 30.0)
        assert (setting + ATMOSPHERE_KPA) * (cold + rise + ATMOSPHERE_KPA) / (cold + ATMOSPHERE_KPA) == pytest.approx(
            wanted + ATMOSPHERE_KPA
        )

    @pytest.mark.parametrize(
        ("measured", "wanted", "words"),
        [
            (Measured(26.0, 190.0), 190.0, "none of a tyre"),
            (Measured(190.0, 160.0), 190.0, "changed places"),
            (Measured(60.0, 400.0), 190.0, "twice"),
            (Measured(100.0, 240.0), 50.0, "no tyre has"),
        ],
    )
    def test_what_cannot_be_is_said(self, measured: Measured, wanted: float, words: str) -> None:
        with pytest.raises(BadPressure, match=words):
            cold_setting(measured, wanted)

    def test_on_the_cars_step(self) -> None:
        assert rounded_to(161.3, 2.0, 140.0, 200.0) == 162.0 and rounded_to(300.0, 2.0, 140.0, 200.0) == 200.0
        assert rounded_to(161.3, 0.5) == 161.5
        with pytest.raises(ValueError, match="step"):
            rounded_to(1.0, 0.0)


class TestCrossing:
    def test_where_the_lines_cross(self) -> None:
        # Wet tyres: 70 in the wet, 66 in the dry; dry ones: 80 and 60. They cross where both take 67.5.
        told = crossing_time(70.0, 60.0, 80.0, 66.0, 0.0, 10, drying=True)
        assert told is not None and told.even_us == pytest.approx(67.5) and told.change_us == pytest.approx(67.5)
        later = crossing_time(70.0, 60.0, 80.0, 66.0, 20.0, 10, drying=True)
        assert later is not None and 66 < later.change_us < 67.5, "what a stop costs has to be won back first"
        wetter = crossing_time(70.0, 60.0, 80.0, 66.0, 20.0, 10, drying=False)
        assert wetter is not None and wetter.even_us == pytest.approx(67.5) and wetter.change_us > 67.5

    def test_one_tyre_may_always_be_faster(self) -> None:
        assert crossing_time(70.0, 60.0, 65.0, 66.0, 0.0, 10, drying=True) is None
        assert crossing_time(70.0, 60.0, 70.0, 60.0, 0.0, 10, drying=True) is None
        with pytest.raises(ValueError, match="no lap left"):
            crossing_time(70.0, 60.0, 80.0, 66.0, 0.0, 0, drying=True)


class TestOwnRace:
    def test_races_are_as_long_as_the_laps_say(self) -> None:
        rng = np.random.default_rng(8)
        laps = [
            RaceLap(
                60e6 + 2e5 * float(rng.standard_normal()) + (8e5 if n % 9 == 0 else 0),
                8e5 if n % 9 == 0 else 0.0,
                n % 18 == 0,
            )
            for n in range(90)
        ]
        told = race_from_laps(laps, 30, falloff_us=10_000.0, stint=15)
        assert told is not None
        mean = np.mean([lap.time_us for lap in laps]) * 30 + 10_000 * 2 * (15 * 14 / 2)
        assert told.median_us == pytest.approx(mean, rel=0.002) and told.low_us < told.median_us < told.high_us
        assert (
            told.slips == pytest.approx(30 / 9, abs=0.2)
            and told.strikes == pytest.approx(30 / 18, abs=0.2)
            and told.one_less_us == 8e5
        )
        assert race_from_laps(laps, 30, falloff_us=10_000.0, stint=15) == told, "the same seed gives the same race"

    def test_too_little_says_nothing(self) -> None:
        assert race_from_laps([RaceLap(1.0)] * 9, 5) is None
        even = race_from_laps([RaceLap(60.0)] * 12, 7)
        assert even is not None and even.low_us == even.high_us == 420 and even.one_less_us == 0
        with pytest.raises(ValueError, match="has laps"):
            race_from_laps([RaceLap(1.0)] * 12, 0)


def test_the_falloff_at_which_another_plan_is_as_fast() -> None:
    soft = CompoundPace("soft", 60e6, 60_000, 50_000, 70_000)
    hard = CompoundPace("hard", 60.4e6, 20_000, 15_000, 25_000)
    rules = Rules(30, pit_us=20e6)
    told = plans_of([soft, hard], rules)
    for name, (value, stints) in told.falloff_flips.items():
        changed = [replace(item, falloff_us=value) if item.name == name else item for item in (soft, hard)]
        by_name = {item.name: item for item in changed}

        def took(plan: tuple[tuple[str, int], ...]) -> float:
            return sum(time_of(by_name[one], laps) for one, laps in plan) + (len(plan) - 1) * rules.pit_us  # noqa: B023 - used at once

        assert took(stints) == pytest.approx(took(told.plans[0].stints), abs=1), name
        assert value != by_name[name].falloff_us or value == pytest.approx(value)
    assert set(told.falloff_flips) == {name for name, _ in told.plans[0].stints}
    [only] = [plans_of([hard], Rules(5, most_stops=0)).falloff_flips]
    assert only == {}, "nothing else can be driven"


def test_what_the_pit_lane_costs_by_practice() -> None:
    def lap(kind: str, seconds: float, **more: object) -> Lap:
        return Lap(driver="Ida", number=1, time_us=round(seconds * 1e6), kind=kind, **more)  # type: ignore[arg-type]

    laps = [
        lap("out", 75),
        lap("out", 77),
        lap("out", 79),
        lap("in", 72),
        lap("in", 74),
        lap("in", 140, flags=frozenset({"cool"})),
        lap("flying", 60),
    ]
    told = pit_loss(laps, 60e6)
    assert told is not None and told.loss_us == pytest.approx(30e6) and (told.in_laps, told.out_laps) == (2, 3)
    assert pit_loss(laps[2:], 60e6) is None and pit_loss([], 60e6) is None
    quick = pit_loss(laps, 90e6)
    assert quick is not None and quick.loss_us == 0


def test_places_among_rivals_and_with_a_slip_less() -> None:
    own = OwnRace(
        median_us=1000e6,
        low_us=1000e6 - 1.6448536e6,
        high_us=1000e6 + 1.6448536e6,
        slips=4,
        strikes=0,
        one_less_us=1e6,
        draws=2000,
    )
    assert places(own, []) == (1.0, 1.0)
    assert places(own, [900e6, 1100e6]) == pytest.approx((2.0, 2.0))
    place, better = places(own, [1000e6])
    assert place == pytest.approx(1.5) and better == pytest.approx(1 + 0.158655, abs=1e-5), "one deviation"
    assert places(replace(own, low_us=own.median_us, high_us=own.median_us), [999e6, 1001e6])[0] == pytest.approx(2.0)


def test_a_tow_and_a_litre_by_what_laps_tell() -> None:
    assert tow_worth([61_000_000, 61_200_000, 61_400_000], [60_900_000, 60_950_000, 61_000_000]) == 250_000
    assert tow_worth([61_000_000], [60_900_000] * 2) is None and tow_worth([], [60_900_000] * 3) is None
    assert tow_worth([60_000_000], [61_000_000] * 3) == 0, "a tow never costs"
    assert litre_cost(2.0, 30_000, 90_000) == 30_000 and litre_cost(2.0, 90_000, 30_000) == 0
    assert litre_cost(2.0, None, 1.0) is litre_cost(2.0, 1.0, None) is litre_cost(0.0, 1.0, 2.0) is None
