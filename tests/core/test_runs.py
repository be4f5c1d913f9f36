"""Runs: typed lines, the check before one, changes since the one before, times by hand with their ±."""

from math import sqrt

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.runs.context import (
    MOST_TO_WATCH,
    BadContext,
    RunContext,
    changes_since,
    check_context,
    deliberate,
    read_options,
)
from fleet_rival.core.runs.feel import BadReading, check_readings
from fleet_rival.core.runs.hand_timing import UNCALIBRATED, BadPresses, Reaction, calibrate, timed_lap
from fleet_rival.core.runs.precheck import pre_drive_check
from fleet_rival.core.runs.typed import LETTERS, CantRead, TypedLap, read_typed
from fleet_rival.core.times import format_time
from tests.making import SECOND, track

LAYOUT = track(corners=6, sectors=3)


def typed(line: str, last: float | None = None) -> TypedLap:
    return read_typed(line, LAYOUT, None if last is None else round(last * SECOND))


class TestTyping:
    @pytest.mark.parametrize(
        ("line", "last", "seconds"),
        [
            ("92114", None, 92.114),
            ("132114", None, 92.114),
            ("132114", 131.9, 132.114),
            ("1:32.114", None, 92.114),
            ("1:32,114", None, 92.114),
            ("32.1", 92.114, 92.1),
            ("2.1", 92.114, 92.1),
            ("0.4", 59.9, 60.4),
            ("59.8", 60.2, 59.8),
            ("2114", 92.9, 92.114),
            ("114", 92.2, 92.114),
            ("998", 93.002, 92.998),
            ("1:02:03.5", None, 3723.5),
            ("32.1", None, 32.1),
            ("9114 30000 40000", None, 79.114),
            ("30114 40200 21800 92114", None, 92.114),
        ],
    )
    def test_a_few_digits_are_a_lap(self, line: str, last: float | None, seconds: float) -> None:
        assert typed(line, last).time_us == round(seconds * SECOND)

    def test_what_others_did_at_a_corner_is_typed_with_it(self) -> None:
        assert typed("92114 t4 y w2", None).flags == {"traffic:T4", "yellow", "tow:T2"}

    @pytest.mark.parametrize(
        ("line", "last", "words"),
        [
            ("", None, "begins with its time"),
            ("x 92114", None, "not a mark"),
            ("99", 92.0, "could be many laps"),
            ("114", None, "too short for a first lap"),
            ("1:72.1", None, "not a time"),
            ("30000 40000", None, "2 times"),
            ("30000 40000 20000 91000", None, "sum to 1:30.000, the lap is 1:31.000"),
            ("92114 s", None, "Type the corner behind s"),
            ("92114 s9", None, "no corner 9"),
            ("92114 p4", None, "takes no corner"),
            ("92114 t9", None, "no corner 9"),
            ("0.5", None, "would be a lap of 0.500"),
            ("99999999", None, "would be a lap of"),
        ],
    )
    def test_what_is_no_lap_says_what_to_type(self, line: str, last: float | None, words: str) -> None:
        with pytest.raises(CantRead, match=words):
            typed(line, last)

    def test_letters_say_what_happened(self) -> None:
        lap = typed("92114 T s5 k2 L3 v n wide because of the car ahead")
        assert (lap.flags, lap.valid, lap.strikes) == ({"traffic"}, False, ("T3",))
        assert lap.incidents == (Incident("spin", "T5"), Incident("contact", "T2"))
        assert lap.note == "wide because of the car ahead"
        assert (typed("92114 o").kind, typed("92114 i").kind, typed("92114 o i").kind) == ("out", "in", "outin")
        assert typed("92114 e").practice_only and typed("92114").flags == frozenset()

    def test_every_letter_can_be_typed(self) -> None:
        for letter, (what, _, _) in LETTERS.items():
            assert typed(f"92114 {letter}{'1' if what in ('incident', 'strike') else ''}") != typed("92114")

    @settings(deadline=None, max_examples=200)
    @given(st.integers(20_000, 3_600_000), st.integers(-499, 499), st.sampled_from([3, 4]))
    def test_the_last_digits_are_enough_where_the_lap_before_is_near(
        self, last_ms: int, step_ms: int, digits: int
    ) -> None:
        """Completion is exact for any lap closer to the one before than half of what is left out."""
        lap_ms = last_ms + step_ms
        assert read_typed(f"{lap_ms:08d}"[-digits:], LAYOUT, last_ms * 1000).time_us == lap_ms * 1000

    @settings(deadline=None, max_examples=200)
    @given(st.integers(10_000, 5_000_000))
    def test_what_is_written_out_is_read_as_it_is(self, milliseconds: int) -> None:
        text = format_time(milliseconds * 1000)
        assert read_typed(text, LAYOUT).time_us == milliseconds * 1000

    @settings(deadline=None, max_examples=150)
    @given(st.text(max_size=40), st.none() | st.integers(1, 10**9))
    def test_no_line_breaks_it(self, line: str, last_us: int | None) -> None:
        try:
            lap = read_typed(line, LAYOUT, last_us)
        except CantRead as error:
            assert str(error).endswith((".", "?"))
        else:
            assert lap.time_us >= SECOND


class TestDeclaring:
    def test_options_are_written_as_people_do(self) -> None:
        assert read_options("t4 = third  gear, lap=save\n T1=high", ["T1", "T4"]) == (
            ("T4", "third-gear"),
            ("lap", "save"),
            ("T1", "high"),
        )
        assert read_options("", ["T1"]) == ()
        for text, words in (("T9 = high", "no corner T9"), ("third gear", "is no option")):
            with pytest.raises(BadContext, match=words):
                read_options(text, ["T1"])

    def test_more_than_three_things_to_watch_are_too_many(self) -> None:
        check_context(RunContext(watch=("a",) * MOST_TO_WATCH))
        with pytest.raises(BadContext, match="at most 3"):
            check_context(RunContext(watch=("a",) * 4))
        with pytest.raises(BadContext):
            check_context(RunContext(fuel_l=-1.0))

    def test_what_changed_is_listed_and_several_at_once_are_told(self) -> None:
        before = RunContext(setup="v3", compound="soft", fuel_l=40.0, settings={"Brake bias": "54", "Wing": "3"})
        after = RunContext(setup="v4", compound="soft", fuel_l=30.0, settings={"Brake bias": "55"}, purpose="long")
        found = changes_since(before, after)
        assert [(change.what, change.before, change.after) for change in found] == [
            ("fuel_l", 40.0, 30.0),
            ("setup", "v3", "v4"),
            ("setting:Brake bias", "54", "55"),
        ]
        assert [change.what for change in deliberate(found)] == ["setup", "setting:Brake bias"], (
            "fuel changes by itself"
        )
        assert changes_since(before, before) == ()
        assert changes_since(RunContext(), after) == (), "what wasn't known is no change"

    def test_the_check_asks_what_changed_and_what_nothing_can_tell(self) -> None:
        last = RunContext(
            tyre_set="A", compound="soft", fuel_l=40.0, setup="v3", assists="none", settings={"Bias": "54", "Wing": "3"}
        )
        same = pre_drive_check(last, last, ["Wing", "Bias"])
        assert [(item.key, item.why) for item in same] == [("limiter", "unseen"), ("tyre_set", "unseen")]
        other = RunContext(
            tyre_set="B", compound="hard", fuel_l=20.0, setup="v3", settings={"Bias": "55", "Wing": "3"}, official=True
        )
        keys = [(item.key, item.why) for item in pre_drive_check(other, last, ["Wing", "Bias"])]
        assert keys == [
            ("limiter", "unseen"),
            ("tyre_set", "changed"),
            ("fuel_l", "changed"),
            ("official", "unseen"),
            ("setting:Bias", "changed"),
        ]
        first = [item.key for item in pre_drive_check(other, None, ["Wing", "Bias"])]
        assert first == ["limiter", "tyre_set", "fuel_l", "setup", "official", "setting:Wing", "setting:Bias"], (
            "nothing to compare with: all of it"
        )


class TestHandTiming:
    def test_a_delay_cancels_and_the_scatter_is_what_is_left(self) -> None:
        truths = [round(at * SECOND) for at in range(3, 43, 4)]
        react = calibrate(truths, [at + 180_000 for at in truths])
        assert (react.offset_us, react.spread_us, react.presses) == (180_000, 1000, 10)
        lap = timed_lap(LAYOUT, [at + 180_000 for at in (0, 30 * SECOND, 70 * SECOND, 92 * SECOND)], react)
        assert (lap.time_us, lap.sectors, lap.shift_us) == (
            92 * SECOND,
            {"S1": 30 * SECOND, "S2": 40 * SECOND, "S3": 22 * SECOND},
            180_000,
        )

    def test_the_plus_minus_holds_the_truth_in_95_of_100(self) -> None:
        rng = np.random.default_rng(7)
        truths = [round(at * SECOND) for at in range(4, 4004, 4)]
        react = calibrate(truths, [at + round(rng.normal(150_000, 40_000)) for at in truths])
        assert react.offset_us == pytest.approx(150_000, abs=5000) and react.spread_us == pytest.approx(40_000, rel=0.1)
        errors = rng.normal(0, 40_000, (4000, 2))
        inside = np.mean(np.abs(errors[:, 1] - errors[:, 0]) <= react.plus_minus_us)
        assert 0.94 <= inside <= 0.965
        assert react.plus_minus_us == pytest.approx(1.96 * sqrt(2) * react.spread_us, rel=1e-3)

    def test_a_missed_line_leaves_two_sectors_unknown(self) -> None:
        lap = timed_lap(LAYOUT, [0, None, 70 * SECOND, 92 * SECOND], UNCALIBRATED)
        assert (lap.sectors, lap.time_us, lap.plus_minus_us) == (
            {"S3": 22 * SECOND},
            92 * SECOND,
            UNCALIBRATED.plus_minus_us,
        )
        assert timed_lap(LAYOUT, [5, 92 * SECOND], UNCALIBRATED).sectors == {}

    @pytest.mark.parametrize("presses", [[None, 1, 2, 3], [0, 1, 2, None], [0, 2, 1, 3], [0, 1, 2], [5, 5]])
    def test_presses_that_make_no_lap_are_refused(self, presses: list[int | None]) -> None:
        with pytest.raises(BadPresses):
            timed_lap(LAYOUT, presses, UNCALIBRATED)

    def test_who_meets_too_few_lines_is_not_measured(self) -> None:
        truths = [round(at * SECOND) for at in range(3, 43, 4)]
        for presses in ([], truths[:5], [at + 1_500_000 for at in truths]):
            with pytest.raises(BadPresses, match="6 are needed"):
                calibrate(truths, presses)
        assert calibrate(truths, [*truths, *[at + 400_000 for at in truths]]).offset_us == 0, (
            "the nearest press to a line counts"
        )

    def test_a_reaction_knows_its_interval(self) -> None:
        assert Reaction(0, 0, 6).plus_minus_us == 0


def test_readings_stay_within_what_can_be() -> None:
    check_readings({"tread_pct": {"front_left": 88.0, "rear_left": None}, "hot_pressure_kpa": {"rear_right": 165.0}})
    for bad in (
        {"tread_pct": {"front_left": 101.0}},
        {"hot_pressure_kpa": {"rear_left": 5.0}},
        {"tread_pct": {"spare": 50.0}},
    ):
        with pytest.raises(BadReading):
            check_readings(bad)
