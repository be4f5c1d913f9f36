"""Layouts of one track, and what becomes of laps when boundaries move: exact sums, nothing made up."""

import json
from dataclasses import replace
from itertools import pairwise
from math import dist
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.book.boundaries import retiming
from fleet_rival.core.book.layouts import shortened, turned_round
from fleet_rival.core.track import BadTrack, Corner, Pit, Sector, Track
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.tracks import read_track, write_track
from tests.conftest import example

STREET = read_track(example("street-101/street-a-101.track.json"))


def track(starts: list[int], sectors: list[int] | None = None, length: float = 1000.0, **values: Any) -> Track:
    """Corners of 10 m from these starts on."""
    corners = tuple(Corner(f"T{n}", start, start + 5, start + 10) for n, start in enumerate(starts, 1))
    return Track(
        "Quernholm",
        "Short",
        "street",
        length,
        tuple(Sector(f"S{n}", s) for n, s in enumerate(sectors or [0], 1)),
        corners,
        **values,
    )


def test_merging_two_corners_is_an_exact_sum_and_marks_move_along() -> None:
    old = track([100, 300, 500])
    new = replace(old, corners=(old.corners[0], old.corners[2]))
    plan = retiming(old, new, {"T1": "T1", "T3": "T3"})
    assert plan.segment_times({"L0": 1, "T1": 20, "T2": 300, "T3": 4000}) == {"L0": 1, "T1": 320, "T3": 4000}
    assert (plan.code("T2"), plan.code("T3"), plan.lost, plan.changes_laps) == ("T1", "T3", (), True)
    assert plan.segment_times({"L0": 1, "T1": 20, "T3": 4000}) == {
        "L0": 1,
        "T3": 4000,
    }  # a part that is missing leaves its sum out


def test_moving_a_boundary_loses_the_two_segments_beside_it_and_no_other() -> None:
    old = track([100, 300, 500])
    moved = (old.corners[0], replace(old.corners[1], start_m=280.0), old.corners[2])
    plan = retiming(old, replace(old, corners=moved), {code: code for code in ("T1", "T2", "T3")})
    assert plan.lost == ("T1", "T2") and plan.codes == {}
    assert plan.segment_times({"L0": 1, "T1": 20, "T2": 300, "T3": 4000}) == {"L0": 1, "T3": 4000}


def test_splitting_loses_what_was_split_and_a_new_name_loses_nothing() -> None:
    old = track([100, 500])
    split = (replace(old.corners[0], code="T1a"), Corner("T1b", 300, 305, 310), old.corners[1])
    plan = retiming(old, replace(old, corners=split), {"T1": "T1a", "T2": "T2"})
    assert plan.lost == ("T1a", "T1b") and plan.codes == {"T1": "T1a"}
    renamed = retiming(
        old, replace(old, corners=(replace(old.corners[0], code="A"), old.corners[1])), {"T1": "A", "T2": "T2"}
    )
    assert renamed.lost == () and renamed.segment_times({"L0": 1, "T1": 20, "T2": 300}) == {"L0": 1, "A": 20, "T2": 300}


def test_what_is_not_about_time_changes_no_lap() -> None:
    old = track([100, 500])
    other = replace(
        old, corners=tuple(replace(corner, apex_m=corner.apex_m + 1, name="Boiler") for corner in old.corners)
    )
    plan = retiming(old, other, {"T1": "T1", "T2": "T2"})
    assert not plan.changes_laps
    with pytest.raises(ValueError, match="another length"):
        retiming(old, replace(old, length_m=1001.0), {})


def test_the_first_corner_at_the_line_takes_the_stretch_before_it() -> None:
    old = track([0, 500])
    new = replace(old, corners=(replace(old.corners[0], start_m=4.0, apex_m=5.0), old.corners[1]))
    plan = retiming(old, new, {"T1": "T1", "T2": "T2"})
    assert plan.lost == ("L0", "T1")
    back = retiming(new, old, {"T1": "T1", "T2": "T2"})
    assert back.segment_times({"L0": 7, "T1": 20, "T2": 3}) == {"T1": 27, "T2": 3}


def test_sectors_follow_the_same_rule() -> None:
    old = track([100], [0, 400, 700])
    plan = retiming(old, replace(old, sectors=(Sector("S1", 0), Sector("S2", 700))), {"T1": "T1"})
    assert plan.sector_times({"S1": 1, "S2": 20, "S3": 300}) == {"S1": 21, "S2": 300}


starts = st.lists(st.integers(0, 99).map(lambda n: n * 10), min_size=1, max_size=9, unique=True).map(sorted)


@given(starts, starts, st.randoms(use_true_random=False))
@settings(deadline=None, max_examples=60)
def test_a_time_that_is_kept_is_the_time_between_its_boundaries(old: list[int], new: list[int], random: Any) -> None:
    # A clock along the lap: what is kept must agree with it, whatever the boundaries.
    clock = {0: 0}
    for before, after in pairwise(range(0, 1010, 10)):
        clock[after] = clock[before] + random.randint(1, 10**6)
    before, after = track(old), track(new)
    times = {part.code: clock[int(part.end_m)] - clock[int(part.start_m)] for part in before.segment_parts}
    kept = retiming(before, after, {}).segment_times(times)
    truth = {part.code: clock[int(part.end_m)] - clock[int(part.start_m)] for part in after.segment_parts}
    assert all(truth[code] == time for code, time in kept.items())
    known = {*old, 0, 1000}
    assert kept.keys() == {part.code for part in after.segment_parts if {part.start_m, part.end_m} <= known}


def test_turned_round_twice_is_the_same_road() -> None:
    pit = Pit(2800.0, 140.0, "left", 60.0)
    once = turned_round(replace(STREET, pit=pit), "Turned")
    assert once.corners[0].name == STREET.corners[-1].name and once.corners[0].code == "T1"
    assert once.corners[0].direction != STREET.corners[-1].direction
    twice = turned_round(once, STREET.layout)
    assert [(c.code, c.name, c.direction) for c in twice.corners] == [
        (c.code, c.name, c.direction) for c in STREET.corners
    ]
    assert [c.apex_m for c in twice.corners] == pytest.approx([c.apex_m for c in STREET.corners])
    assert [s.start_m for s in twice.sectors] == pytest.approx([s.start_m for s in STREET.sectors])
    assert twice.centreline_xy_m == STREET.centreline_xy_m
    assert once.pit == Pit(STREET.length_m - 140.0, pytest.approx(STREET.length_m - 2800.0), "right", 60.0)
    assert read_track(write_track(once)) == once


def test_a_corner_across_the_line_is_the_last_one_both_ways_round() -> None:
    round_the_line = replace(
        track([100, 300], pit=Pit(950.0, 0.0)),
        corners=(*track([100, 300]).corners, Corner("T3", 900, 980, 20, "Kiln", "left")),
    )
    turned = turned_round(round_the_line, "Turned")
    assert [(c.code, c.start_m, c.apex_m, c.end_m) for c in turned.corners] == [
        ("T1", 690, 695, 700),
        ("T2", 890, 895, 900),
        ("T3", 980, 20, 100),
    ]
    assert (turned.corners[2].name, turned.corners[2].direction, turned.pit) == ("Kiln", "right", Pit(0.0, 50.0))
    assert [c.name for c in turned_round(turned, "Short").corners] == [None, None, "Kiln"]


def test_a_shorter_layout_leaves_a_stretch_out_and_still_closes() -> None:
    first, last = STREET.corners[2].start_m - 20, STREET.corners[5].end_m + 20
    short = shortened(STREET, "Cut", first, last)
    inside = [c.code for c in STREET.corners if first < c.apex_m < last]
    assert inside and [c.code for c in short.corners] == [c.code for c in STREET.corners if c.code not in inside]
    link = short.length_m - (STREET.length_m - (last - first))
    assert 0 < link < last - first
    after = next(c for c in STREET.corners if c.start_m > last)
    assert next(c for c in short.corners if c.code == after.code).start_m == pytest.approx(
        after.start_m - (last - first) + link
    )
    assert max(dist(*pair) for pair in pairwise(short.centreline_xy_m)) < 2 * (short.centreline_step_m or 0)
    assert read_track(write_track(short)) == short
    # What a link that winds is told to be counts, and without a centreline it must be told.
    assert shortened(STREET, "Cut", first, last, 600.0).length_m == pytest.approx(
        STREET.length_m - (last - first) + 600
    )
    with pytest.raises(BadTrack, match="doesn't reach across"):
        shortened(STREET, "Cut", first, last, link - 1)
    bare = replace(STREET, centreline_xy_m=(), centreline_step_m=None)
    with pytest.raises(BadTrack, match="must be given"):
        shortened(bare, "Cut", first, last)
    assert shortened(bare, "Cut", first, last, 100.0).centreline_xy_m == ()


@pytest.mark.parametrize(("begin", "end"), [(0, 100), (100, 100), (200, 100), (100, 3000)])
def test_what_is_left_out_lies_inside_the_lap(begin: float, end: float) -> None:
    with pytest.raises(BadTrack, match="isn't inside the lap"):
        shortened(STREET, "Cut", begin, end)


def test_corners_are_linked_in_a_short_layout_only_where_they_still_follow_each_other() -> None:
    linked = track([100, 300, 500, 700])
    linked = replace(linked, corners=tuple(replace(corner, linked_to_next=True) for corner in linked.corners))
    assert [c.linked_to_next for c in shortened(linked, "Cut", 280, 480, 50.0).corners] == [False, True, True]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        (
            {"sectors": (Sector("S1", 0), Sector("S2", 700), Sector("S3", 400))},
            "sector S3 starts at 400 m, not after S2 at 700 m",
        ),
        ({"sectors": (Sector("S1", 0), Sector("S2", 1200))}, "sector S2 starts at 1200 m, outside the lap of 1000 m"),
        ({"corners": (Corner("T1", 100, 90, 120),)}, "corner T1 must start, have its apex and end in this order"),
        ({"corners": (Corner("T1", 100, 110, 1200),)}, "the end of corner T1 at 1200 m lies outside the lap"),
        ({"corners": (Corner("T1", 900, 950, 20), Corner("T2", 950, 960, 970))}, "corner T1 must start"),
        ({"corners": (Corner("T 1", 100, 110, 120),)}, "the corner code 'T 1' holds a blank"),
        ({"corners": (Corner("T1:a", 100, 110, 120),)}, "the corner code 'T1:a' holds a blank, a colon"),
        ({"pit": Pit(950, 1000)}, "the pit exit at 1000 m lies outside the lap"),
    ],
)
def test_a_track_that_contradicts_itself_is_refused_with_the_place(changes: dict[str, Any], words: str) -> None:
    with pytest.raises(BadTrack, match=words):
        replace(track([100]), **changes)


def test_the_last_corner_may_lie_across_the_line() -> None:
    assert replace(track([100]), corners=(Corner("T1", 900, 980, 20),)).segment_parts[-1].end_m == 1000


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda line: line[:-20], r"ends \d+\.\d m from where it begins, more than 1 %"),
        (
            lambda line: (*line[:50], *((x + 300, y) for x, y in line[50:60]), *line[60:]),
            "jumps by 3.* m after point 49, at 245 m",
        ),
        (lambda line: line[:2], "at least 3 points"),
        (lambda line: line[::2], "steps of 4.9975"),
    ],
)
def test_a_centreline_that_does_not_close_is_refused_with_the_place(change: Any, words: str) -> None:
    oval = read_track(example("dirty/practice.track.json"))
    with pytest.raises(BadTrack, match=words):
        replace(oval, centreline_xy_m=change(oval.centreline_xy_m))


@pytest.mark.parametrize(
    ("pit", "words"),
    [
        ([1, 2], '"pit" must hold'),
        ({"entry_m": 1}, '"exit_m" must be a number'),
        ({"entry_m": 1, "exit_m": 2, "side": "above"}, '"pit" must hold'),
        ({"entry_m": 1, "exit_m": 2, "limit_kmh": "fast"}, '"limit_kmh" must be a number'),
    ],
)
def test_a_pit_lane_in_a_file_is_read_or_refused(pit: Any, words: str) -> None:
    content = write_track(track([100], pit=Pit(900.0, 50.0, "right", 60.0)))
    assert read_track(content).pit == Pit(900.0, 50.0, "right", 60.0)
    data = json.loads(content)
    data["pit"] = pit
    with pytest.raises(UnusableFile, match=words):
        read_track(json.dumps(data).encode())
