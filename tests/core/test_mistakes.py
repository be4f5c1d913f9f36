"""Slips, what they bring about, and which mistakes recur; and what is no mistake: old tyres, learning, others, rain,
experiments.
"""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import beta, fisher_exact

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.corners.clinic import Clinic, Said, clinic_of
from fleet_rival.core.corners.ordinary import mirrored, ordinary_of
from fleet_rival.core.corners.recurring import jeffreys, significant
from fleet_rival.core.corners.references import References
from fleet_rival.core.corners.slips import Correction, Slip
from fleet_rival.core.corners.standing_losses import merged, standing_losses
from fleet_rival.core.corners.when import trend_of, when_of
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from tests.core.driving import LAYOUT, Way, drive, ordinary
from tests.making import SECOND, lap, track

DEFAULTS = Settings()
LONG = replace(track(6), length_m=6000.0)
"""Six corners; the lap long enough that parts are seconds apart."""
USUAL = (9.0, 10.0, 12.0, 8.0, 11.0, 9.5, 10.5)


def practice(
    seed: int = 3,
    runs: int = 4,
    laps: int = 11,
    slips: Sequence[tuple[int, int, int, float]] = (),
    scatter: float = 0.004,
    **facts: object,
) -> list[Lap]:
    """Runs of laps with an out lap first; slips are (run, lap, part, seconds)."""
    rng = np.random.default_rng(seed)
    out = []
    for run in range(1, runs + 1):
        for number in range(laps + 1):
            times = [usual * (1 + rng.normal(0, scatter)) for usual in USUAL]
            for at_run, at_lap, part, seconds in slips:
                if (at_run, at_lap) == (run, number):
                    times[part] += seconds
            kind = "out" if number == 0 else "flying"
            out.append(lap(number, *[round(time, 3) for time in times], run=run, layout=track(6), kind=kind, **facts))
    return out


def looked_at(
    laps: Iterable[Lap],
    said: Said | None = None,
    settings: Settings = DEFAULTS,
    curves: dict[int, LapCurves] | None = None,
) -> Clinic:
    judged = judge(track(6), list(laps), settings)
    members = [index for index, item in enumerate(judged) if item.flying]
    return clinic_of(LONG, judged, members, curves or {}, settings, said)


def clear(clinic: Clinic) -> list[Slip]:
    """Slips that cost a quarter of a second and more, or were reported: of ordinary passes one in a hundred or so
    lies beyond the threshold too.
    """
    return [slip for slip in clinic.slips if slip.loss_us >= 0.25 * SECOND or slip.source in ("file", "person")]


HABIT = [(run, number, 3, 0.45) for run in (1, 2, 3, 4) for number in (3, 6, 9)]


def test_a_habit_is_found_with_its_rate_its_loss_and_its_interval() -> None:
    clinic = looked_at(practice(slips=HABIT))
    [found] = clinic.recurring
    assert (found.corner, found.kind, len(found.slips), found.passes, found.runs) == ("T3", "other", 12, 40, 4)
    assert (
        found.mean_loss_us == pytest.approx(0.45 * SECOND, abs=0.06 * SECOND) and abs(found.knock_on_us) < 0.03 * SECOND
    )
    assert found.rate == 0.3 and found.rate_low < 0.3 < found.rate_high
    assert found.cost_us == pytest.approx(0.3 * (found.mean_loss_us + found.knock_on_us))
    assert not clinic.cold_mistakes and {slip.corner for slip in clear(clinic)} == {"T3"}


@pytest.mark.parametrize("seed", range(6))
def test_without_habits_nothing_recurs(seed: int) -> None:
    clinic = looked_at(practice(seed=seed, runs=5, laps=14))
    assert not clinic.recurring
    passes = sum(figures.n for figures in clinic.parts.values())
    assert len(clinic.slips) <= 0.04 * passes and not clear(clinic)


def test_a_mistake_on_every_second_lap_does_not_become_the_norm() -> None:
    every_second = [(run, number, 4, 0.4) for run in (1, 2, 3, 4) for number in range(2, 12, 2)]
    clinic = looked_at(practice(slips=every_second))
    [found] = clinic.recurring
    assert (found.corner, len(found.slips)) == ("T4", 20) and clinic.thresholds["T4"].ordinary.mixed
    assert not clinic.thresholds["T1"].ordinary.mixed


def test_passes_that_win_here_and_pay_in_the_next_part_are_not_what_is_ordinary() -> None:
    traded = [
        (run, number, part, won) for run in (1, 2, 3, 4) for number in (2, 5, 8) for part, won in ((4, -0.3), (5, 0.6))
    ]
    clinic = looked_at(practice(slips=traded))
    assert not clinic.thresholds["T4"].ordinary.mixed
    assert [(item.corner, len(item.slips)) for item in clinic.recurring] == [("T5", 12)]


def test_losses_behind_a_slip_are_booked_to_it_and_told_once() -> None:
    dragged = [
        (run, number, part, loss)
        for run, number in ((1, 4), (2, 7), (3, 5), (4, 8))
        for part, loss in ((2, 0.6), (3, 0.3), (4, 0.12))
    ]
    clinic = looked_at(practice(slips=dragged))
    assert [slip.corner for slip in clear(clinic)] == ["T2"] * 4
    found = clinic.mistakes[0]
    assert found.knock_on_us == pytest.approx(0.42 * SECOND, abs=0.06 * SECOND)
    # A larger loss behind a small one is a slip of its own.
    larger = looked_at(practice(slips=[(1, 4, 2, 0.2), (1, 4, 3, 0.7)]))
    assert [slip.corner for slip in larger.slips if slip.lap < 11] == ["T2", "T3"]
    # Over the line, and only within the run.
    over = looked_at(practice(slips=[(1, 4, 6, 0.7), (1, 5, 0, 0.3)]))
    assert [slip.corner for slip in clear(over)] == ["T6"] and clear(over)[0].booked[0][1] == "L0"


class TestWhatIsNoMistake:
    def test_old_tyres_and_fuel(self) -> None:
        fading = [replace_times(item, 1 + 0.002 * item.number) for item in practice(runs=5, laps=14)]
        assert not clear(looked_at(fading))

    def test_learning_a_green_track_and_more_fuel_are_slower_everywhere(self) -> None:
        slower = [replace_times(item, 1.02 if item.run == 1 else 1.0) for item in practice(runs=5)]
        clinic = looked_at(slower)
        assert not clinic.recurring and len(clinic.slips) <= 0.04 * sum(figures.n for figures in clinic.parts.values())

    @pytest.mark.parametrize(
        "facts",
        [
            {"flags": frozenset({"traffic"})},
            {"flags": frozenset({"tow"})},
            {"flags": frozenset({"yellow"})},
            {"purpose": "experiment"},
            {"purpose": "commentary"},
            {"purpose": "learn"},
            {"wetness": "wet"},
        ],
        ids=lambda facts: (
            next(iter(facts.values()))
            if isinstance(next(iter(facts.values())), str)
            else next(iter(next(iter(facts.values()))))
        ),
    )
    def test_others_rain_and_experiments(self, facts: dict[str, object]) -> None:
        laps = practice(slips=HABIT)
        slow = {(run, number) for run, number, _, _ in HABIT}
        marked = [replace(item, **facts) if (item.run, item.number) in slow else item for item in laps]  # type: ignore[arg-type]
        judged = judge(track(6), marked, DEFAULTS)
        dry = [index for index, item in enumerate(judged) if item.flying and item.lap.wetness == "dry"]
        assert not clear(clinic_of(LONG, judged, dry, {}, DEFAULTS))

    def test_passes_of_a_trial_are_no_mistakes_and_hide_none_elsewhere(self) -> None:
        slower = [(run, number, 3, 0.3) for run in (1, 2, 3, 4) for number in (1, 3, 5, 7, 9, 11)]
        behind = [(run, number, 4, 0.5) for run in (1, 2, 3, 4) for number in (2, 7)]
        laps = practice(slips=[*slower, *behind])

        def labelled(of: Lap) -> Lap:
            return replace(of, options=(("T3", "high" if of.number % 2 else "low"),))

        assert [item.corner for item in looked_at(laps).recurring] == ["T3", "T4"]
        clinic = looked_at([labelled(item) for item in laps])
        assert {(judged.run, judged.number, slip.corner) for slip in clear(clinic) for judged in [laps[slip.lap]]} == {
            (run, number, "T4") for run in (1, 2, 3, 4) for number in (2, 7)
        }
        # What somebody reported stays, however the corner was driven.
        spun = [
            replace(labelled(item), incidents=(Incident("spin", "T3"),) if (item.run, item.number) == (2, 5) else ())
            for item in laps
        ]
        assert [(slip.corner, slip.kind) for slip in clear(looked_at(spun)) if slip.corner == "T3"] == [("T3", "spin")]
        # Of an option that was tried twice nobody can say what is slow for it.
        twice = [
            replace(item, options=(("T3", "high"),)) if (item.run, item.number) in ((1, 3), (2, 5)) else item
            for item in practice()
        ]
        slow = [replace_part(item, "T3", 0.6) if item.options else item for item in twice]
        assert not clear(looked_at(slow))

    def test_what_the_lap_before_began(self) -> None:
        laps = [
            replace(item, incidents=(Incident("spin", "T6"),)) if (item.run, item.number) == (2, 5) else item
            for item in practice(slips=[(2, 5, 6, 5.0), (2, 6, 0, 2.0), (2, 6, 1, 0.5)])
        ]
        assert [(slip.corner, slip.kind, slip.source) for slip in clear(looked_at(laps))] == [("T6", "spin", "file")]

    def test_a_person_says_so(self) -> None:
        said = Said(
            {
                ("1", run, number, "T3"): Correction(no_mistake=True, remark="the car ahead")
                for run, number, _, _ in HABIT
            }
        )
        assert not clear(looked_at(practice(slips=HABIT), said))


def replace_part(item: Lap, code: str, seconds: float) -> Lap:
    segments = {**item.segments, code: item.segments[code] + round(seconds * SECOND)}
    return replace(item, segments=segments, sectors={}, time_us=sum(segments.values()))


def replace_times(item: Lap, share: float) -> Lap:
    segments = {code: round(time * share) for code, time in item.segments.items()}
    return replace(item, segments=segments, sectors={}, time_us=sum(segments.values()))


def test_a_person_corrects_kind_and_corner_for_one_pass_or_for_all_like_it() -> None:
    laps = practice(slips=HABIT)
    once = looked_at(laps, Said({("1", 1, 3, "T3"): Correction("late-brake", "T2")}))
    told = {(item.corner, item.kind): item for item in once.mistakes}
    assert len(told["T3", "other"].slips) == 11 and told["T3", "other"].source == "times"
    assert len(told["T2", "late-brake"].slips) == 1 and told["T2", "late-brake"].source == "person"
    all_alike = looked_at(laps, Said({("1", 1, 3, "T3"): Correction("over-slow")}, {("T3", "other"): "late-throttle"}))
    assert {(item.kind, len(item.slips)) for item in all_alike.mistakes if item.corner == "T3"} == {
        ("late-throttle", 11),
        ("over-slow", 1),
    }
    assert {slip.rule_kind for slip in all_alike.slips} == {"other"}


def test_reported_passes_are_slips_however_fast_and_cold_ones_have_a_list_of_their_own() -> None:
    laps = practice()
    laps = [
        replace(item, strikes=("T2",), valid=False) if item.number == 5 and item.run == 2 else item for item in laps
    ]
    laps = [
        replace(item, mistakes=(("T5", "lock-up"),)) if item.number == 6 and item.run == 2 else item for item in laps
    ]
    laps = [
        replace(item, incidents=(Incident("slide", "T1"),)) if item.number == 1 and item.run == 3 else item
        for item in laps
    ]
    clinic = looked_at(laps)
    assert {(slip.corner, slip.kind, slip.source) for slip in clinic.slips} >= {
        ("T2", "limits", "file"),
        ("T5", "lock-up", "person"),
    }
    assert ("T1", "slide") in [(item.corner, item.kind) for item in clinic.cold_mistakes]


def test_with_sectors_alone_a_loss_is_located_in_a_sector_and_its_kind_is_unknown() -> None:
    laps = [replace(item, segments={}) for item in practice(slips=HABIT)]
    clinic = looked_at(laps)
    assert clinic.depth == "sectors" and clinic.trades == ()
    assert {(item.corner[0], item.kind) for item in clinic.recurring} == {("S", "other")}


def test_telemetry_tells_the_kind_and_whether_the_next_loss_was_brought_along() -> None:
    rng = np.random.default_rng(2)
    laps, curves = [], {}
    for run in (1, 2, 3, 4):
        for number in range(11):
            ways = ordinary(rng)
            if number in (3, 6, 9):
                ways["T1"] = Way(pick_up=36 + rng.normal(0, 2))
            trace = drive(ways, 60, number, run)
            made = curves_of(LAYOUT.length_m, trace)
            assert made is not None
            time = made.channels["time_s"].astype(float)
            edges = [np.interp(part.start_m, np.arange(len(time)) * made.step_m, time) for part in LAYOUT.segment_parts]
            moments = [round(edge * 1000) * 1000 for edge in [*edges, float(trace.channels["time_s"][-1])]]
            segments = {
                part.code: after - before
                for part, before, after in zip(LAYOUT.segment_parts, moments[:-1], moments[1:], strict=True)
            }
            kind = "out" if number == 0 else "flying"
            laps.append(Lap("Ysolde Farrand", number, sum(segments.values()), run=run, kind=kind, segments=segments))
            curves[laps[-1].identity] = made
    analysis = analyse(LAYOUT, laps, replace(DEFAULTS, bootstrap_resamples=0))
    clinic = clinics_of(LAYOUT, analysis, curves_by_driver(analysis, curves))["Ysolde Farrand"].main
    assert {(item.corner, item.kind, item.source, len(item.slips)) for item in clinic.recurring} == {
        ("T1", "late-throttle", "telemetry", 12)
    }
    [mistake] = clinic.recurring
    assert mistake.slips[0].cause is not None and mistake.slips[0].cause.facts["pick_up_m"] == pytest.approx(24, abs=9)
    assert all(item.scatter_m < 3 and not item.unused for item in clinic.braking) and len(clinic.braking) == 2


def test_when_it_happens_and_whether_it_gets_better() -> None:
    better = (
        [(1, number, 3, 0.5) for number in (2, 4, 6, 8, 10)]
        + [(2, number, 3, 0.5) for number in (3, 6, 9)]
        + [(3, 7, 3, 0.5)]
    )
    laps = practice(runs=7, laps=14, slips=better, scatter=0.001)
    judged = judge(track(6), laps, DEFAULTS)
    clinic = clinic_of(LONG, judged, [index for index, item in enumerate(judged) if item.flying], {}, DEFAULTS)
    mistake = next(item for item in clinic.mistakes if item.corner == "T3")
    trend = trend_of(mistake, sorted(clinic.parts["T3"].passes), judged, DEFAULTS)
    assert [run.slips for run in trend.runs] == [5, 3, 1, 0, 0, 0, 0]
    assert trend.falls and trend.chance is not None and trend.chance < 0.001 and trend.closed and not trend.returned
    late = [(run, number, 3, 0.5) for run in range(1, 8) for number in (12, 13, 14)]
    clinic = looked_at(laps := practice(runs=7, laps=14, slips=late))
    judged = judge(track(6), laps, DEFAULTS)
    [mistake] = clinic.recurring
    when = when_of(mistake, sorted(clinic.parts["T3"].passes), clinic.slips, judged)
    assert when.late.rate is not None and when.late.rate > 0.5 and when.early.slips == 0
    table = [
        [when.late.slips, when.late.passes - when.late.slips],
        [when.late.other_slips, when.late.other_passes - when.late.other_slips],
    ]
    assert when.late.chance == pytest.approx(fisher_exact(table, alternative="greater").pvalue)


def test_neighbours_that_pay_for_each_other_are_told() -> None:
    rng = np.random.default_rng(1)
    laps = []
    for item in practice(runs=5):
        moved = round(rng.normal(0, 0.15) * SECOND / 1000) * 1000
        segments = {**item.segments, "T2": item.segments["T2"] + moved, "T3": item.segments["T3"] - moved}
        laps.append(replace(item, segments=segments, sectors={}, time_us=sum(segments.values())))
    [trade] = looked_at(laps).trades
    assert (trade.first, trade.second) == ("T2", "T3") and trade.low <= trade.correlation <= trade.high < 0
    assert not looked_at(
        [replace(item, plus_minus_us=70_000) for item in laps], settings=replace(DEFAULTS, hand_timed_ideals=1)
    ).trades


class TestStandingLosses:
    own: Final = {f"T{number}": 10_000_000.0 for number in range(1, 9)}

    def test_being_slower_everywhere_is_none(self) -> None:
        quicker = {code: time * 0.97 for code, time in self.own.items()}
        assert standing_losses(References(self.own), {"Corin": References(quicker)}, DEFAULTS) == []

    def test_what_stands_out_is_one(self) -> None:
        best = {code: time * (0.95 if code == "T5" else 0.98) for code, time in self.own.items()}
        [found] = standing_losses(
            References(self.own), {"Corin": References(best), "Brannoc": References({"T1": 9_990_000.0})}, DEFAULTS
        )
        assert (found.corner, found.against, found.kind) == ("T5", "Corin", "other")
        assert found.loss_us == pytest.approx(10_000_000 - 9_500_000 / 0.98)

    def test_braking_for_the_next_corner_is_told_there(self) -> None:
        best = {code: time * (0.95 if code in ("T4", "T5") else 0.98) for code, time in self.own.items()}
        found = standing_losses(References(self.own), {"Corin": References(best)}, DEFAULTS)
        told = merged(
            [replace(item, kind={"T4": "forestalled", "T5": "early-brake"}[item.corner]) for item in found],
            list(self.own),
        )
        assert [(item.corner, item.kind) for item in told] == [("T5", "early-brake")]
        assert told[0].loss_us == pytest.approx(sum(item.loss_us for item in found))


@given(st.integers(0, 60), st.integers(0, 60))
def test_jeffreys_interval_is_the_betas(successes: int, more: int) -> None:
    tries = successes + more
    if not tries:
        return
    low, high = jeffreys(successes, tries)
    assert 0 <= low <= successes / tries <= high <= 1
    if successes:
        assert low == pytest.approx(beta.ppf(0.05, successes + 0.5, more + 0.5))
    if more:
        assert high == pytest.approx(beta.ppf(0.95, successes + 0.5, more + 0.5))


@given(st.lists(st.floats(0, 1), max_size=12), st.integers(12, 80))
def test_discoveries_are_those_of_the_step_up_rule(chances: list[float], tests: int) -> None:
    real = significant(chances, tests, 0.01)
    ordered = sorted(chances)
    # In the same floats: an exact bound lies beside theirs by less than anything that is told.
    count = max((place for place, chance in enumerate(ordered, 1) if chance <= 0.01 * place / tests), default=0)
    bound = ordered[count - 1] if count else -1.0
    assert real == [chance <= bound for chance in chances]


@given(st.lists(st.integers(5_000_000, 20_000_000), min_size=1, max_size=60))
def test_what_is_ordinary_is_finite_and_within_the_passes(times: list[int]) -> None:
    found = ordinary_of(times, DEFAULTS)
    assert (
        found is not None
        and min(times) - 0.001 <= found.centre_us <= max(times) + 0.001
        and 0 <= found.noise_us < 20_000_000
    )
    assert mirrored([time + 7_000_000 for time in times]).centre_us == pytest.approx(
        mirrored(times).centre_us + 7_000_000
    )


def test_slow_passes_do_not_widen_what_is_ordinary() -> None:
    calm = [10_000_000 + 10_000 * step for step in range(-10, 11)]
    assert mirrored([*calm[:11], *(time + 3_000_000 for time in calm[11:])]).noise_us == mirrored(calm).noise_us
