"""What is open before a race, which blocks would close it, how long they take and what they are worth."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.planning.blocks import BLOCKS, minutes_of
from fleet_rival.core.planning.needs import needed_blocks
from fleet_rival.core.planning.problem import Care
from fleet_rival.core.planning.readiness import Evidence, OpenMistake, OpenOption, Rules, readiness, total

LAP = 66_000_000
READY = Evidence(
    LAP, 80, -100_000, 0.9, 0.4, 20, 2_000.0, 0.0, 3, 1, 5, known_track=80, race_laps=22, race_minutes=25.0
)


def states(evidence: Evidence, rules: Rules | None = None) -> dict[str, str]:
    return {check.key: check.state for check in readiness(evidence, rules)}


def blocks(evidence: Evidence) -> dict[tuple[str, str], float]:
    return {(item.kind, item.about): item.gain_us for item in needed_blocks(evidence)}


class TestReadiness:
    def test_who_has_everything_is_ready(self) -> None:
        assert set(states(READY).values()) == {"met"} and total(readiness(READY)) == 1.0

    def test_who_has_driven_nothing_has_everything_open(self) -> None:
        found = readiness(Evidence(references_missing=9))
        assert {check.state for check in found} == {"open"} and total(found) == 0.0
        assert next(check for check in found if check.key == "laps").block == "walk"

    @pytest.mark.parametrize(
        ("change", "key", "state"),
        [
            ({"laps": 59}, "laps", "close"),
            ({"laps": 29}, "laps", "open"),
            ({"gap_us": 1}, "gap", "close"),
            ({"gap_us": 198_001}, "gap", "open"),
            ({"gap_us": None}, "gap", "open"),
            ({"clean_rate": 0.8}, "clean_rate", "close"),
            ({"spread_pct": 0.81}, "spread", "open"),
            ({"longest_run": 12}, "long_run", "close"),
            ({"longest_run": 6, "race_laps": 6}, "long_run", "met"),
            ({"mistakes": (OpenMistake("T1", "kerb", 60_000),)}, "mistakes", "close"),
            ({"references_missing": 3}, "references", "open"),
            ({"qualifying_runs": 1}, "qualifying_run", "close"),
            ({"in_laps": 0}, "pit", "open"),
            ({"rehearsals": 0}, "start", "open"),
            ({"differences": ("wetness", "air_temp_c")}, "conditions", "open"),
        ],
    )
    def test_each_check_has_its_bounds(self, change: dict[str, object], key: str, state: str) -> None:
        found = readiness(replace(READY, **change))  # type: ignore[arg-type]
        assert next(check.state for check in found if check.key == key) == state
        assert [check.state for check in found] == sorted(
            (check.state for check in found), key=["open", "close", "met"].index
        )
        assert total(found) < 1 or state == "met"

    def test_the_managers_rules_and_weights_count(self) -> None:
        strict = Rules(laps=(200, 100), weights=(("laps", 10.0),))
        assert states(READY, strict)["laps"] == "open" and total(readiness(READY, strict), strict) == pytest.approx(
            10 / 20
        )

    def test_what_closes_the_weather(self) -> None:
        def closes(*differences: str) -> str | None:
            return next(
                check.block for check in readiness(replace(READY, differences=differences)) if check.key == "conditions"
            )

        assert (closes("wetness"), closes("time_of_day"), closes("air_temp_c")) == ("wet", "night", None)


class TestMinutes:
    def test_laps_out_and_in_and_getting_ready(self) -> None:
        # 12 laps of 66 s, two slow ones, 5 minutes.
        assert minutes_of(BLOCKS["corner"], LAP, 20) == 25
        assert minutes_of(BLOCKS["rehearsal"], LAP, 45.0) == 60 and minutes_of(BLOCKS["review"], LAP, 45.0) == 25
        assert minutes_of(BLOCKS["walk"], LAP, 20) > minutes_of(BLOCKS["walk"], LAP // 2, 20)

    def test_nothing_but_a_rehearsal_goes_beyond_the_seat_limit(self) -> None:
        care = Care(seat_limit_minutes=40)
        for code, kind in BLOCKS.items():
            minutes = minutes_of(kind, 480_000_000, 90.0, care)
            assert minutes <= 40 or code == "rehearsal" or not kind.driving
        assert minutes_of(BLOCKS["rehearsal"], None, 90.0, care) == 105

    @given(st.sampled_from(list(BLOCKS)), st.integers(20_000_000, 600_000_000), st.floats(5, 300))
    def test_always_whole_five_minutes(self, code: str, lap: int, race: float) -> None:
        assert minutes_of(BLOCKS[code], lap, race) % 5 == 0 and minutes_of(BLOCKS[code], lap, race) > 0


class TestWhatHelps:
    def test_a_new_track_is_walked_first_and_then_built_up(self) -> None:
        found = blocks(Evidence())
        assert {kind for kind, _ in found} == {"walk", "build", "long", "qualifying", "rehearsal"}
        assert found["walk", ""] == max(found.values())
        assert ("walk", "") not in blocks(Evidence(known_track=40)), "who knows it from earlier weeks walks no more"

    def test_a_mistake_is_worth_what_work_on_it_takes_away(self) -> None:
        found = blocks(
            replace(READY, mistakes=(OpenMistake("T6", "late-throttle", 60_000, 0.7), OpenMistake("T1", "kerb", 8_000)))
        )
        assert found["corner", "T6:late-throttle"] == pytest.approx(42_000)
        assert ("corner", "T1:kerb") not in found, "not worth an evening"
        assert found["review", ""] == pytest.approx(0.15 * 68_000)

    def test_pace_is_worth_what_the_learning_curve_promises_and_less_behind_the_target(self) -> None:
        assert blocks(replace(READY, gap_us=200_000, learning_us=90_000.0))["build", ""] == 45_000
        assert blocks(replace(READY, gap_us=30_000, learning_us=90_000.0))["build", ""] == 30_000, (
            "no more than the way to the target"
        )
        assert blocks(replace(READY, learning_us=90_000.0))["build", ""] == pytest.approx(0.3 * 45_000)
        assert ("build", "") not in blocks(READY), "nothing left to learn"
        assert blocks(replace(READY, gap_us=500_000, learning_us=None))["build", ""] == pytest.approx(0.003 * LAP)

    def test_an_open_option_and_an_unknown_falloff(self) -> None:
        found = blocks(
            replace(READY, options=(OpenOption("T3", ("early", "late"), 40_000.0),), falloff_half_us=4_000.0)
        )
        assert found["trial", "T3"] == 20_000 and found["long", ""] == pytest.approx(4_000 * 11 / 2)
        assert blocks(replace(READY, falloff_half_us=None))["long", ""] == pytest.approx(0.001 * LAP)

    def test_a_wet_race_after_dry_practice(self) -> None:
        found = blocks(replace(READY, differences=("wetness", "time_of_day")))
        assert ("wet", "") in found and ("night", "") not in found
        assert ("night", "") in blocks(replace(READY, differences=("time_of_day",)))

    def test_who_is_ready_needs_little(self) -> None:
        assert blocks(replace(READY, falloff_half_us=500.0)) == {}
