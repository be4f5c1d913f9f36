"""Which laps count, and why not."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.corners.references import part_figures
from fleet_rival.core.ideals.table import NEVER, part_table
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.settings import BadSetting, Settings
from tests.making import SECOND, counts, is_pass, lap, track, whole_lap

LAYOUT = track(4)
GOOD = (5.0, 10.0, 12.0, 11.0, 9.0)


def judged(laps: list[Lap], **settings: float) -> dict[int, JudgedLap]:
    return {item.lap.number: item for item in judge(LAYOUT, laps, Settings.from_mapping(settings))}


def run_of(*changes: dict[str, object], count: int = 12) -> list[Lap]:
    """An out lap, then flying laps with a little scatter; `changes` are applied to the laps from number 3 on."""
    laps = [lap(1, *[time * 1.2 for time in GOOD], kind="out")]
    laps += [lap(number, *[time + number % 3 / 1000 for time in GOOD]) for number in range(2, count + 2)]
    for index, change in enumerate(changes):
        laps[2 + index] = replace(laps[2 + index], **change)  # type: ignore[arg-type]
    return laps


def test_facts_are_taken_over() -> None:
    flags = ["tow", "traffic", "yellow", "pit", "cool"]
    items = judged(
        run_of(
            *[{"flags": frozenset({flag})} for flag in flags],
            {"valid": False},
            {"strikes": ("T2",)},
            {"purpose": "experiment"},
        )
    )
    assert [set(items[number].marks) for number in range(3, 11)] == [
        *[{flag} for flag in flags],
        {"invalid"},
        {"invalid"},
        {"practice_only"},
    ]
    assert not any(item.marks.get(mark) for item in items.values() for mark in item.marks if mark != "cold")
    assert [items[number].eligible for number in range(3, 11)] == [False] * 5 + [True, True, False]
    assert not items[8].clean and items[12].clean


def test_the_first_laps_after_the_pits_are_cold() -> None:
    assert [number for number, item in judged(run_of()).items() if "cold" in item.marks] == [2]
    assert [number for number, item in judged(run_of(), cold_laps=3).items() if "cold" in item.marks] == [2, 3, 4]
    race = [replace(item, session_kind="race") for item in run_of()[1:]]
    assert [number for number, item in judged(race).items() if "cold" in item.marks] == [2]
    assert not any("cold" in item.marks for item in judged(run_of()[1:]).values())


def test_on_long_tracks_cold_is_told_by_time() -> None:
    # The out lap takes 56.4 s; the first flying lap 47 s, of which 43.6 s then 13.6 s lie within the limit.
    cold = judged(run_of(), cold_seconds=100)
    assert [number for number, item in cold.items() if "cold" in item.marks] == [2]
    barely = judged(run_of(), cold_seconds=70)
    assert not any("cold" in item.marks for item in barely.values())
    assert barely[2].cold_parts == {"L0", "T1"}
    assert not is_pass(barely[2], "T1") and is_pass(barely[2], "T2")


def test_incidents_and_strikes_take_parts_across_the_line() -> None:
    items = judged(run_of({"incidents": (Incident("spin", "T4"),)}, {}, {"strikes": ("T4",)}, {}, {"strikes": ("T2",)}))
    assert items[3].taken.own == {"T4"} and items[4].taken.by_others == {"L0", "T1"}
    assert "carried" in items[4].marks
    assert items[6].taken.by_others == {"L0"} and "carried" not in items[6].marks
    assert [counts(LAYOUT, items[7], part) for part in LAYOUT.segment_parts] == [True, True, False, False, True]
    assert [counts(LAYOUT, items[7], part) for part in LAYOUT.sector_parts] == [True, False, False]
    assert is_pass(items[7], "T2") and not is_pass(items[7], "T3")


def test_taken_parts_stop_where_the_chain_does() -> None:
    laps = [item for item in run_of({"incidents": (Incident("contact", "T4"),)}) if item.number != 4]
    assert not judged(laps)[5].taken.segments


def test_a_lap_void_without_a_strike_named_gives_no_parts() -> None:
    items = judged(run_of({"valid": False}, {"valid": False, "strikes": ("T1",)}))
    assert not items[3].parts_count and items[4].parts_count


def test_cool_needs_every_part_slow() -> None:
    slow = {code: round(time * 1.08) for code, time in run_of()[2].segments.items()}
    one_fast = {**slow, "T4": run_of()[2].segments["T4"], "T2": slow["T2"] + 2_000_000}
    laps = run_of(
        {"segments": slow, "time_us": sum(slow.values())}, {"segments": one_fast, "time_us": sum(one_fast.values())}
    )
    items = judged(laps)
    assert items[3].marks == {"cool": True}
    assert items[4].marks == {"spoiled": True}


def test_spoiled_looks_past_the_runs_own_trend() -> None:
    falling = [whole_lap(1, 70, kind="out")] + [whole_lap(number, 60 + number * 0.4) for number in range(2, 20)]
    assert not any("spoiled" in item.marks for item in judge(LAYOUT, falling, Settings()))
    falling[9] = whole_lap(10, 60 + 10 * 0.4 + 1.2)
    assert [item.lap.number for item in judge(LAYOUT, falling, Settings()) if "spoiled" in item.marks] == [10]


def test_short_runs_are_held_against_the_group() -> None:
    laps = [whole_lap(number, 60 + number % 3 / 10, run=run) for run in (1, 2, 3) for number in range(1, 5)]
    laps[5] = whole_lap(2, 61.5, run=2)
    assert [(item.lap.run, item.lap.number) for item in judge(LAYOUT, laps, Settings()) if "spoiled" in item.marks] == [
        (2, 2)
    ]


def test_faster_than_alone_is_suspected_of_a_tow() -> None:
    items = judged(run_of({"time_us": 40_000_000}), solo_floor_s=45)
    assert items[3].marks == {"tow": True}


def test_a_setting_that_nobody_knows_is_an_error() -> None:
    for values in (
        {"cold_lap": 2},
        {"cold_laps": "2"},
        {"cold_laps": -1},
        {"cold_laps": 1.5},
        {"cold_laps": True},
        {"cold_laps": None},
    ):
        with pytest.raises(BadSetting):
            Settings.from_mapping(values)
    assert Settings.from_mapping({"cold_laps": 2, "cold_seconds": None, "streak_pct": 1}).cold_laps == 2


def test_a_flag_that_names_a_part_takes_that_part_alone() -> None:
    items = judged(run_of(*[{"flags": frozenset({flag})} for flag in ("traffic:T2", "yellow:S3", "tow:T2")]))
    crowded, yellow, towed = (items[number] for number in (3, 4, 5))
    for item in (crowded, yellow, towed):
        assert set(item.marks) == {"in_part"} and not item.marks["in_part"], "it is a fact"
        assert not item.eligible and not item.clean and item.parts_count and item.has_passes
    assert crowded.taken.segments == {"T2"} and not crowded.taken.own
    third = next(part for part in LAYOUT.sector_parts if part.code == "S3")
    assert yellow.taken.segments == LAYOUT.segments_of(third) and len(yellow.taken.segments) > 1
    assert [item.may_be_best for item in (crowded, yellow, towed)] == [True, False, False]
    # Somebody has the last word.
    said = judged(run_of({"flags": frozenset({"traffic:T2"}), "said": {"in_part": False}}))[3]
    assert said.clean and not said.taken.segments and said.overruled == {"in_part"}


def test_what_was_hindered_in_a_part_says_nothing_of_it_and_all_of_the_others() -> None:
    slow = replace(run_of()[4], flags=frozenset({"traffic:T2"}))
    segments = {**slow.segments, "T2": slow.segments["T2"] + 3 * SECOND}
    slow = replace(slow, time_us=slow.time_us + 3 * SECOND, segments=segments)
    laps = [slow if item.number == slow.number else item for item in run_of()]
    items = judge(LAYOUT, laps, Settings())
    figures = part_figures(LAYOUT, items, range(len(items)), Settings(), "segments")
    where = next(index for index, item in enumerate(items) if item.lap.number == slow.number)
    assert where not in figures["T2"].passes and where in figures["T1"].passes
    table = part_table(LAYOUT, items, range(len(items)), "segments")
    counted = {part.code: table.times[where, column] != NEVER for column, part in enumerate(table.parts)}
    assert counted == {part.code: part.code != "T2" for part in table.parts}


@given(st.sampled_from(["tow", "traffic", "yellow"]), st.sampled_from(["S1", "S2", "S3", "T1", "T4", "L0"]))
def test_no_more_is_taken_by_a_part_than_by_the_whole_lap(flag: str, part: str) -> None:
    whole, some = (judged(run_of({"flags": frozenset({said})})) for said in (flag, f"{flag}:{part}"))
    assert not whole[3].parts_count and some[3].parts_count
    assert some[3].may_be_best == whole[3].may_be_best
    others = [number for number in some if number != 3]
    assert all(some[number].marks == whole[number].marks for number in others)


def test_without_corners_a_sector_is_taken_by_itself() -> None:
    layout = track(corners=0)
    sectors = {code: 20 * SECOND for code in ("S1", "S2", "S3")}
    item = whole_lap(2, 60.0, flags=frozenset({"yellow:S2"}), sectors=sectors)
    items = judge(layout, [item], Settings())
    assert items[0].taken.segments == {"S2"}
    table = part_table(layout, items, [0], "sectors")
    assert [time != NEVER for time in table.times[0]] == [True, False, True]
