"""A run against its purpose: what counts, when the mark is reached, when it can't be any more."""

import pytest

from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.runs.pass_mark import PassMark, pass_mark
from fleet_rival.core.settings import Settings
from fleet_rival.wording.runs import pass_mark_words
from tests.making import track, whole_lap

TRACK = track()
PLAIN = Settings(cold_laps=0)
TARGET = 90_000_000


def run(*seconds: float, **facts: object) -> list[Lap]:
    out = whole_lap(1, 110.0, kind="out")
    return [out, *(whole_lap(number, time, **facts) for number, time in enumerate(seconds, 2))]


def marked(laps: list[Lap], purpose: str | None, target: int | None = TARGET) -> tuple[PassMark, str]:
    found = pass_mark(judge(TRACK, laps, PLAIN), purpose, target, PLAIN)
    return found, pass_mark_words(found, target)


@pytest.mark.parametrize("purpose", ["learn", "corner", "trial", "rehearsal", "experiment", "commentary"])
def test_runs_that_are_there_to_be_driven_through_count_laps_without_a_fault(purpose: str) -> None:
    laps = run(95, 94, 99, 93, 94)
    laps[2] = whole_lap(3, 94.0, valid=False)
    laps[3] = whole_lap(4, 99.0, incidents=(Incident("spin", "T1"),))
    found, words = marked(laps, purpose)
    assert (found.done, found.wanted, found.met) == (3, 6, False) and words == "3 of 6 laps without a fault."
    found, words = marked(run(*[95] * 7), purpose)
    assert found.met and words == "7 laps without a fault; 6 were wanted."


def test_a_long_run_wants_enough_laps_and_most_of_them_alike() -> None:
    assert not marked(run(*[91.0] * 9), "long")[0].met
    found, words = marked(run(*[91.0, 91.1] * 5), "long")
    assert found.met and found.share == 1.0 and words == "10 clean laps, 100% of them alike; 10 were wanted."
    found, words = marked(run(*[91.0, 91.05] * 4, *[92.5, 93.0, 92.7, 92.9]), "long")
    assert not found.met and found.share is not None and found.share < 0.8
    assert marked(run(), "long")[1] == "0 of 10 clean laps."


def test_pace_is_held_against_the_target_by_laps_that_may_be_best() -> None:
    found, words = marked(run(91.2, 90.4), "build")
    assert (found.kind, found.met, found.gap_us) == ("target", False, 400_000) and words == "1:30.000: 0.400 s to go."
    assert marked([*run(91.2), whole_lap(9, 89.0, valid=False)], "build")[0].gap_us == 1_200_000
    found, words = marked(run(91.2, 89.9), None)
    assert found.met and words == "1:30.000 reached: 0.100 s better."
    assert marked(run(), "build")[1] == "1:30.000 or better: no lap that counts yet."
    assert marked(run(89), None, None) == (
        PassMark("none", 0, 0, met=False),
        "No target is set, so there is nothing to hold this run against.",
    )


def test_qualifying_counts_the_first_laps_alone_and_is_lost_after_them() -> None:
    assert marked(run(91.0, 89.9), "qualifying")[0].met
    found, words = marked(run(91.0, 90.5, 90.2, 89.0), "qualifying")
    assert (found.met, found.lost, found.gap_us) == (False, True, 200_000)
    assert words == "1:30.000 missed within the first flying laps: 0.200 s too slow."
    assert not marked(run(91.0, 90.5), "qualifying")[0].lost
