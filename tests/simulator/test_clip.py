"""The clip for hand timing: the same seed gives the same, and nobody can press it by rhythm."""

import pytest

from fleet_rival.core.runs.hand_timing import calibrate, timed_lap
from fleet_rival.simulator.clip import make_clip
from tests.making import SECOND, track

LAYOUT = track(corners=6, sectors=3)


@pytest.mark.parametrize("seed", range(5))
def test_a_clip_crosses_each_line_in_turn_and_never_in_the_same_rhythm(seed: int) -> None:
    clip = make_clip(LAYOUT, seed)
    assert clip == make_clip(LAYOUT, seed) != make_clip(LAYOUT, seed + 100)
    assert [crossing.line for crossing in clip.crossings] == [0, *([1, 2, 0] * 3)]
    at = [crossing.at_us for crossing in clip.crossings]
    assert at == sorted(at) and at[0] == 3 * SECOND and len(set(at)) == len(at)
    laps = [at[index + 3] - at[index] for index in (0, 3, 6)]
    assert len(set(laps)) == 3 and all(12 * SECOND < lap < 14 * SECOND for lap in laps)
    assert calibrate(at, [moment + 120_000 for moment in at]).offset_us == 120_000
    assert timed_lap(LAYOUT, list(at[:4]), calibrate(at, at)).time_us == laps[0]


def test_a_layout_of_one_sector_has_the_line_alone() -> None:
    clip = make_clip(track(corners=2, sectors=1), 1)
    assert [crossing.line for crossing in clip.crossings] == [0, 0, 0, 0] and clip.lines_m == (0.0,)
