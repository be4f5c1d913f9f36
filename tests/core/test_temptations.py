"""Track limits as a temptation: laps that are faster beyond them and count for nothing."""

from dataclasses import replace

import pytest

from fleet_rival.bench.trials import Evening, practice
from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of
from fleet_rival.core.corners.temptations import Temptation
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.report import report
from fleet_rival.core.track import Track
from fleet_rival.wording.clinic import temptation_words

DRIVER = "Ysolde Farrand"


def evening(won_s: float, every: int = 4, **facts: object) -> tuple[Track, list[Lap]]:
    """54 laps, each so-manieth of them beyond the limits at T6, which wins this and voids the lap."""
    track, laps = practice(Evening("limits"), "normal", 77)

    def struck(item: Lap) -> Lap:
        if item.kind != "flying" or item.number % every:
            return item
        segments = {**item.segments, "T6": item.segments["T6"] - round(won_s * 1e6)}
        return replace(
            item,
            segments=segments,
            time_us=sum(segments.values()),
            strikes=("T6",),
            valid=False,
            **facts,  # type: ignore[arg-type]
        )

    return track, [struck(item) for item in laps]


def found(track: Track, laps: list[Lap]) -> tuple[Temptation, ...]:
    analysis = analyse(track, laps)
    return clinics_of(track, analysis, {DRIVER: {}})[DRIVER].main.temptations


def test_what_is_won_beyond_the_limits_is_told_with_the_laps_that_it_voids() -> None:
    track, laps = evening(0.25)
    [told] = found(track, laps)
    voided = sum(not item.valid for item in laps)
    assert (told.corner, told.strikes, len(told.voided)) == ("T6", voided, voided) and told.tempts
    assert told.won_us is not None and told.won_us.low_us < -250_000 < told.won_us.high_us < 0
    legal = min(item.time_us for item in laps if item.kind == "flying" and item.valid)
    struck = min(item.time_us for item in laps if not item.valid)
    assert told.would_be_best_us == legal - struck > 0 and told.among_fastest >= 3
    words = temptation_words(told, {"T6": "Lantern Steps"})
    assert words.startswith("T6 Lantern Steps: beyond the limits on one lap in four, 0.2") and "only the legal" in words
    assert f"It alone voided {voided} laps, {told.among_fastest} of the five fastest among them." in words
    assert words.endswith(f"The best of these would be the best lap by {told.would_be_best_us / 1e6:.3f} s.")


def test_strikes_that_win_nothing_are_no_temptation() -> None:
    [slower] = found(*evening(-0.3))
    assert not slower.tempts and slower.would_be_best_us is None and "slower for it" in temptation_words(slower, {})
    [equal] = found(*evening(0.0))
    assert not equal.tempts and "no faster for it" in temptation_words(equal, {})


@pytest.mark.parametrize("every", [9, 20])
def test_few_strikes_are_no_habit(every: int) -> None:
    track, laps = evening(0.25, every)
    few = [item if item.valid or item.run == 1 else replace(item, valid=True, strikes=()) for item in laps]
    assert found(track, few) == ()


def test_what_somebody_says_was_no_strike_voids_nothing() -> None:
    assert found(*evening(0.25, said={"invalid": False})) == ()


def test_the_report_tells_it() -> None:
    track, laps = evening(0.25)
    analysis = analyse(track, laps)
    [told] = report(analysis, clinics_of(track, analysis, {DRIVER: {}}))["drivers"][DRIVER]["temptations"]
    assert told["corner"] == "T6" and told["high_us"] < 0 and told["among_fastest"] >= 3
