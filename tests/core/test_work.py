"""Work on mistakes: when an exercise is passed, what it brings, what comes first, and whether a confirmed reference
is used.
"""

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.corners.audit import BrakeScatter, audited, sides_of
from fleet_rival.core.corners.helped import helped_of
from fleet_rival.core.corners.priorities import Priority, costs_of, shared_mistakes, week_three
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.slips import Found, Slip
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.when import Trend
from fleet_rival.core.corners.work import NOT_DRIVEN, Judged, judge_exercise
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.settings import Settings
from fleet_rival.wording.clinic import audit_words, gain_words, helped_words, work_words
from tests.making import lap, track

PLACE = track(2, sectors=2)
EVENING = datetime(2031, 4, 8, 18, tzinfo=UTC)


def evening(runs: int = 2, laps: int = 12, begins: datetime | None = EVENING) -> list[JudgedLap]:
    """Runs an hour apart; without a beginning nobody knows when they were driven."""
    made: list[Lap] = []
    for run in range(runs):
        for number in range(laps):
            at = begins + timedelta(hours=run, minutes=number) if begins else None
            made.append(lap(number + 1, 9.0, 10.0, 12.0, run=run + 1, layout=PLACE, started_at=at))
    return judge(PLACE, made, Settings())


def slip(index: int, corner: str = "T1", kind: str = "late-throttle", cause: str | None = None) -> Slip:
    return Slip(
        Found(index, corner, 300_000.0, 300_000, True, None, None), kind, "telemetry", None, 0.0, cause or corner, kind
    )


def judged(
    failed: Sequence[int],
    since: datetime = EVENING + timedelta(minutes=30),
    of: int = 10,
    good: int = 8,
    laps: int = 12,
) -> Judged:
    return judge_exercise(
        range(2 * laps), [slip(index) for index in failed], "T1", "late-throttle", evening(laps=laps), since, of, good
    )


class TestAnExercise:
    def test_is_judged_by_runs_that_began_after_it_was_given(self) -> None:
        found = judged([0, 1, 2, 15])
        assert (found.before, found.failed_before, found.driven, found.failed_since) == (12, 3, 12, 1)
        assert (
            found.passed and found.best == 9 and (found.rate_before, found.rate_since) == (0.25, pytest.approx(1 / 12))
        )
        # A run that had begun counts as before, however long it went on.
        assert judged([0], since=EVENING + timedelta(minutes=5)).driven == 12

    def test_needs_so_many_good_passes_of_so_many_in_a_row(self) -> None:
        assert not judged([13, 16, 19, 22]).passed
        assert judged([12, 13, 14]).passed and judged([12, 13, 14]).best == 9
        assert not judged([], laps=9).passed, "nine passes are fewer than ten"
        assert judged([], laps=10).passed

    def test_counts_only_its_own_kind_where_it_began(self) -> None:
        others = [slip(14, kind="over-slow"), slip(15, corner="T2"), slip(16, corner="T1", cause="L0")]
        found = judge_exercise(
            range(24), others, "T1", "late-throttle", evening(), EVENING + timedelta(minutes=30), 10, 8
        )
        assert found.failed_since == 0
        begun = judge_exercise(
            range(24),
            [slip(14, corner="T2", cause="T1")],
            "T1",
            "late-throttle",
            evening(),
            EVENING + timedelta(minutes=30),
            10,
            8,
        )
        assert begun.failed_since == 1

    def test_runs_without_a_time_of_day_are_never_after(self) -> None:
        found = judge_exercise(range(24), [slip(20)], "T1", "late-throttle", evening(begins=None), EVENING, 10, 8)
        assert (found.driven, found.before, found.failed_before) == (0, 24, 1) and found.rate_since is None

    @given(st.lists(st.booleans(), min_size=0, max_size=40), st.integers(1, 12), st.data())
    def test_the_best_stretch_is_the_best_of_all_stretches(
        self, good: list[bool], of: int, data: st.DataObject
    ) -> None:
        needed = data.draw(st.integers(1, of))
        drive = [lap(number + 1, 9.0, 10.0, 12.0, layout=PLACE, started_at=EVENING) for number in range(len(good))]
        slips = [slip(index) for index, well in enumerate(good) if not well]
        found = judge_exercise(
            range(len(good)), slips, "T1", "late-throttle", judge(PLACE, drive, Settings()), EVENING, of, needed
        )
        stretches = [good[start : start + of] for start in range(len(good)) if start + of <= len(good)]
        assert found.passed == any(sum(stretch) >= needed for stretch in stretches)
        assert found.last == tuple(good[-of:])

    def test_says_where_it_stands(self) -> None:
        assert work_words(NOT_DRIVEN, 10, 8) == "Not driven yet: runs that begin from now on judge it."
        assert work_words(judged([0, 12, 13]), 10, 8).endswith(
            "passed. Over all passes since, it comes as often as before."
        )
        assert work_words(judged([0, 1, 13]), 10, 8) == "10 of 10 without it: passed."
        assert work_words(judged([], laps=4), 10, 8) == "4 of 4 without it so far; 6 more passes to judge."
        assert work_words(judged([12, 13, 15, 17, 19, 21, 22]), 10, 8).endswith(": 8 are needed.")


def work(before: int, failed_before: int, driven: int, failed_since: int, *, passed: bool = False) -> Judged:
    return Judged(driven, 0, min(10, driven), passed, (), before, failed_before, failed_since)


class TestWhatWorkBrought:
    def test_nothing_known_is_half(self) -> None:
        nothing = helped_of([])
        assert (nothing.given, nothing.judged, nothing.removed) == (0, 0, 0.5) and nothing.low < 0.5 < nothing.high
        assert helped_of([NOT_DRIVEN, work(0, 0, 12, 3), work(12, 0, 12, 0)]).removed == 0.5, (
            "no rate from before, nothing to hold it against"
        )
        assert gain_words(100_000, nothing) == (
            "Work on it is worth about 0.05 s a lap: half of what it costs, as long as nothing is known of such "
            "work here."
        )

    def test_many_laps_overrule_the_usual(self) -> None:
        much = helped_of([work(100, 40, 100, 4, passed=True)] * 5)
        assert (
            much.removed == pytest.approx(1 - (3 + 20) / (6 + 200)) and much.high - much.low < 0.1 and much.passed == 5
        )
        none = helped_of([work(100, 40, 100, 40)] * 5)
        assert none.removed < 0.05
        assert helped_of([work(100, 20, 100, 60)] * 5).removed == 0.0, "what made it worse is worth nothing, not less"
        assert (
            "Driven by 5 of 5 who were given it, passed by 5: 20 such mistakes since, at the rates from before 200."
            in helped_words(much)
        )
        assert helped_words(much).endswith("with 90 % between 85 % and 92 %.")

    def test_one_evening_moves_it_a_little(self) -> None:
        once = helped_of([work(20, 5, 12, 0)])
        assert 0.5 < once.removed < 0.75 and once.expected == 3.0
        assert "67 % of what it costs, as such work took away once before" in gain_words(60_000, once)

    @given(
        st.lists(st.tuples(st.integers(1, 60), st.integers(0, 60), st.integers(0, 60), st.integers(0, 60)), max_size=6)
    )
    def test_shares_are_shares_and_more_mistakes_never_look_better(
        self, given_work: list[tuple[int, int, int, int]]
    ) -> None:
        items = [
            work(before, min(failed, before), driven, min(since, driven))
            for before, failed, driven, since in given_work
        ]
        found = helped_of(items)
        assert 0 <= found.low <= found.removed + 1e-9 and found.removed <= found.high + 1e-9 <= 1 + 1e-9
        worse = [work(item.before, item.failed_before, item.driven, item.driven) for item in items]
        assert helped_of(worse).removed <= found.removed + 1e-12

    def test_the_interval_holds_the_truth_as_often_as_it_says(self) -> None:
        random = np.random.default_rng(5)
        held = 0
        for _ in range(400):
            # The share that is left is drawn as the usual opinion has it; then its interval has to hold it nine times
            # in ten.
            left = random.gamma(3.0, 1 / 6.0)
            expected = 0.3 * 40
            since = min(40, int(random.poisson(left * expected)))
            found = helped_of([work(1000, 300, 40, since)])
            held += found.low <= max(0.0, 1 - left) <= found.high
        assert 0.86 <= held / 400 <= 0.94


def mistake(corner: str, kind: str, cost: float, *, recurring: bool = True) -> Mistake:
    return Mistake(corner, kind, (), 40, 4, 0.5, 0.4, 0.6, 2 * cost, 0.0, 0.0, recurring)


def trend(*, closed: bool = False) -> Trend:
    return Trend((), None, False, closed, False)


class TestWhatComesFirst:
    def test_the_three_that_cost_most_whatever_they_are(self) -> None:
        found = [
            mistake("T1", "spin", 10_000),
            mistake("T2", "kerb", 90_000),
            mistake("T3", "slide", 50_000),
            mistake("T4", "limits", 95_000),
        ]
        trends = {(item.corner, item.kind): trend(closed=item.corner == "T4") for item in found}
        losses = [StandingLoss("T5", 70_000, "Corin", 1.0, 1.0, 0.01)]
        three = week_three(found, trends, losses)
        assert [(item.what, item.corner) for item in three] == [
            ("mistake", "T2"),
            ("standing", "T5"),
            ("mistake", "T3"),
        ], "a closed one is no work"
        assert three[0] == Priority("mistake", "T2", "kerb", 90_000)
        assert week_three([], {}, []) == []

    def test_a_corner_costs_what_its_mistakes_and_its_standing_loss_cost(self) -> None:
        costs = costs_of(
            [mistake("T1", "spin", 10_000), mistake("T1", "kerb", 5_000)],
            [StandingLoss("T1", 2_000, "Corin", 1.0, 1.0, 0.01)],
        )
        assert costs == {"T1": 17_000}

    def test_half_the_team_and_two_at_least_make_it_a_matter_of_the_book(self) -> None:
        class Looked:
            def __init__(self, *found: Mistake) -> None:
                self.recurring = found

        spun, kerbed = mistake("T1", "spin", 1.0), mistake("T2", "kerb", 1.0)
        clinics = {
            "A": Looked(spun, kerbed),
            "B": Looked(spun),
            "C": Looked(),
            "D": Looked(),
            "E": Looked(kerbed, spun),
        }
        told = shared_mistakes(clinics, ["A", "B", "C", "D"])  # type: ignore[arg-type]
        assert [(item.corner, item.drivers, item.of) for item in told] == [("T1", ("A", "B"), 4)], (
            "who hasn't driven isn't asked"
        )
        assert shared_mistakes(clinics, ["A"]) == []  # type: ignore[arg-type]
        assert [item.corner for item in shared_mistakes(clinics, list(clinics))] == ["T1"]  # type: ignore[arg-type]


def braking(shifts: Sequence[float]) -> BrakeScatter:
    return BrakeScatter("T1", 400.0, 4.0, len(shifts), shifts=tuple(enumerate(shifts)))


class TestReferences:
    def test_a_reference_that_is_used_since_it_was_confirmed_narrows_braking(self) -> None:
        random = np.random.default_rng(3)
        shifts = [*random.normal(0, 8, 12), *random.normal(-5, 1, 12)]
        sides = sides_of(braking(shifts), evening(), EVENING + timedelta(minutes=30))
        assert (sides.before, sides.after) == (12, 12) and sides.clear
        assert sides.before_m is not None and sides.after_m is not None and sides.before_m > 3 * sides.after_m
        assert sides.moved_m is not None and sides.moved_m < 0
        words = audit_words(braking(shifts), sides, {"T1": "Quay"})
        assert (
            words.startswith("Braking for T1 Quay scatters by 4.0 m.") and "earlier" in words and "chance" not in words
        )

    def test_too_few_passes_on_a_side_say_nothing(self) -> None:
        sides = sides_of(braking([0.0, 1.0] * 10), evening(), EVENING + timedelta(minutes=70))
        assert sides.after == 0 and sides.chance is None and not sides.clear
        assert "too few to compare" in audit_words(braking([]), sides, {})
        nowhen = sides_of(braking([0.0] * 24), evening(begins=None), EVENING)
        assert (nowhen.before, nowhen.after) == (0, 0)

    def test_chance_alone_is_called_so(self) -> None:
        random = np.random.default_rng(8)
        told = [
            sides_of(braking(list(random.normal(0, 5, 24))), evening(), EVENING + timedelta(minutes=30))
            for _ in range(200)
        ]
        assert 0.04 <= sum(item.clear for item in told) / 200 <= 0.17
        assert "which may be chance" in audit_words(braking([]), next(item for item in told if not item.clear), {})

    def test_a_corner_stands_out_against_the_others_alone(self) -> None:
        scatters = {
            code: BrakeScatter(code, 1.0, metres, 12)
            for code, metres in {"T1": 2.0, "T2": 9.0, "T3": 2.4, "T4": 1.5}.items()
        }
        assert [(item.corner, item.unused) for item in audited(scatters)] == [
            ("T2", True),
            ("T3", False),
            ("T1", False),
            ("T4", False),
        ]
        assert not any(item.unused for item in audited({"T1": scatters["T1"], "T2": scatters["T2"]})), (
            "two corners are no comparison"
        )
