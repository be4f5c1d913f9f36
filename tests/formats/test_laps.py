"""Lap files: the dialects, the rows set aside, the sums, and files that can't be used at all."""

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.report import report
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.laps import LapFile, read_laps
from fleet_rival.formats.tracks import read_track
from tests.making import track

DATA = Path(__file__).parents[1] / "data"
DIRTY = json.loads((DATA / "dirty" / "truth.json").read_text(encoding="utf-8"))
LAYOUT = track(3)


def read(text: str) -> LapFile:
    return read_laps(text.encode(), LAYOUT)


def rows(*lines: str, header: str = "driver,run,lap,time") -> LapFile:
    return read("\n".join([header, *lines]) + "\n")


@pytest.mark.parametrize("name", DIRTY["files"])
def test_every_dirty_file_ends_as_its_truth_says(name: str) -> None:
    truth = DIRTY["files"][name]
    layout = read_track((DATA / "dirty" / DIRTY["track"]).read_bytes())
    file = read_laps((DATA / "dirty" / name).read_bytes(), layout)
    assert len(file.laps) == truth["laps_in"]
    assert file.separator == truth["separator"]
    unreadable = [(row.line, row.column, row.value) for row in file.set_aside if row.repeats_line is None]
    assert unreadable == [(row["line"], row["column"], row["value"]) for row in truth["set_aside"]]
    repeats = [(row.line, row.repeats_line, row.differs) for row in file.set_aside if row.repeats_line is not None]
    assert repeats == [(row["line"], row["repeats"], row["differs"]) for row in truth["duplicate_lines"]]
    assert [warning.line for warning in file.warnings] == truth["sum_warning_lines"]
    figures = report(analyse(layout, [lap for _, lap in file.laps]))["drivers"]
    for driver, wanted in truth["drivers"].items():
        found = figures[driver]
        assert {key: found["laps"][key] for key in wanted["laps"]} == wanted["laps"]
        assert found["best_us"] == wanted["best_us"]
        assert {key: found["ideal"][key] for key in wanted["ideal"]} == wanted["ideal"]


def test_all_columns_are_read() -> None:
    file = rows(
        "Ysolde Farrand;GT;2;race;3;7;1:00,5;2031-03-04T18:00:00+02:00;flying;no;t2;spin:T1 contact:T3;tow "
        "boost;pack;A1;soft;"
        "4;30,5;1;25;20;damp;long;B;abs;T1=high lap=save;T2:late-throttle;windy;20;20;20,5;9;",
        header="Driver;car;Session;session-kind;RUN;Lap;time;Started "
        "At;kind;valid;strikes;incidents;flags;company;tyre "
        "set;compound;"
        "tyre_age;fuel_l;energy_kwh;track_temp_c;air_temp_c;wetness;purpose;setup;assists;options;mistakes;note;s1;S2;S3;L0;T1",
    )
    lap = file.laps[0][1]
    assert (lap.car, lap.session, lap.session_kind, lap.run, lap.number, lap.time_us, lap.valid) == (
        "GT",
        "2",
        "race",
        3,
        7,
        60_500_000,
        False,
    )
    assert lap.started_at is not None and lap.started_at.isoformat() == "2031-03-04T16:00:00+00:00"
    assert (lap.strikes, lap.incidents, lap.flags) == (
        ("T2",),
        (Incident("spin", "T1"), Incident("contact", "T3")),
        {"tow", "boost"},
    )
    assert (lap.options, lap.mistakes, lap.fuel_l, lap.wetness) == (
        (("T1", "high"), ("lap", "save")),
        (("T2", "late-throttle"),),
        30.5,
        "damp",
    )
    assert lap.sectors == {"S1": 20_000_000, "S2": 20_000_000, "S3": 20_500_000} and lap.segments == {"L0": 9_000_000}


@pytest.mark.parametrize(
    ("column", "cell"),
    [
        ("time", "0"),
        ("lap", "-1"),
        ("lap", ""),
        ("run", "two"),
        ("valid", "perhaps"),
        ("kind", "slow"),
        ("strikes", "T9"),
        ("incidents", "spin"),
        ("incidents", "fire:T1"),
        ("flags", "red"),
        ("flags", "traffic:T9"),
        ("flags", "traffic:"),
        ("flags", "boost:T1"),
        ("flags", "tow " * 200),
        ("wetness", "moist"),
        ("fuel_l", "-1"),
        ("fuel_l", "nan"),
        ("track_temp_c", "1e5"),
        ("started_at", "yesterday"),
        ("mistakes", "T1:dozing"),
        ("options", "high"),
        ("purpose", "fun"),
        ("session_kind", "warm-up"),
        ("S1", "1:75.0"),
        ("T1", "x"),
        ("driver", "a\u0007b"),
        ("setup", "x" * 121),
    ],
)
def test_a_cell_that_cannot_be_read_sets_its_row_aside_and_no_other(column: str, cell: str) -> None:
    header = ["driver", "lap", "time", *([column] if column not in ("driver", "lap", "time") else [])]
    good = {"driver": "A", "lap": "1", "time": "60"}
    file = rows(
        *[
            ",".join({**good, "lap": str(n + 1), **({column: cell} if n == 1 else {})}.get(name, "") for name in header)
            for n in range(3)
        ],
        header=",".join(header),
    )
    assert [(row.line, row.column, row.value) for row in file.set_aside] == [(3, column, cell)]
    assert file.set_aside[0].reason
    assert len(file.laps) == 2


def test_rows_that_are_cut_short_or_too_long_or_unclosed_are_set_aside() -> None:
    file = rows(
        "A,1,1,60.0,fine",
        "A,1,2,60.0",
        "A,1,3,60.0,x,y",
        'A,1,4,60.0,"unclosed',
        "A,1,5,60.0,fine",
        "",
        ",,,,",
        "A,1,6,60.0,fine,,",
        header="driver,run,lap,time,note",
    )
    assert [(row.line, row.reason.split()[0]) for row in file.set_aside] == [(3, "ends"), (4, "has"), (5, "a")]
    assert [lap.number for _, lap in file.laps] == [1, 5, 6]


def test_a_note_may_hold_line_breaks_and_lines_are_still_counted() -> None:
    file = rows('A,1,1,60.0,"two\nlines, and ""marks"""', "A,1,2,6x,", header="driver,run,lap,time,note")
    assert file.laps[0][1].note == 'two\nlines, and "marks"'
    assert file.set_aside[0].line == 4


def test_a_missing_time_is_the_sum_of_all_sectors_or_sets_the_row_aside() -> None:
    file = rows("A,1,,20,20,21.5", "A,2,,20,,21.5", header="driver,lap,time,S1,S2,S3")
    assert file.laps[0][1].time_us == 61_500_000
    assert [(row.line, row.column) for row in file.set_aside] == [(3, "time")]


def test_sums_warn_beyond_one_unit_of_the_last_place_per_part() -> None:
    file = rows(
        "A,1,61.503,20.000,20.000,21.500",
        "A,2,61.504,20.000,20.000,21.500",
        "A,3,61.50,20.000,20.000,21.507",
        header="driver,lap,time,S1,S2,S3",
    )
    assert [warning.line for warning in file.warnings] == [3, 4]
    assert file.warnings[0].reason == "sectors sum to 1:01.500, lap time is 1:01.504"
    coarse = rows("A,1,61.7,20.0,20.0,21.5", "A,2,61.9,20.0,20.0,21.5", header="driver,lap,time,S1,S2,S3")
    assert [warning.line for warning in coarse.warnings] == [3]


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "empty"),
        (b"  \n \n", "empty"),
        (b"\xef\xbb\xbf", "empty"),
        (b"PK\x03\x04rest", "spreadsheet"),
        (b"\x89PNG\x00\x01", "not a plain-text"),
        ("driver,lap,time\nÅsa,1,60\n".encode("latin-1"), "not in UTF-8: line 2"),
        ("driver,lap,time\nA,1,60\n".encode("utf-16"), "UTF-16"),
        (b"A,1,60.0\nA,2,60.1\n", "no header"),
        (b"lap,time\n1,60\n", 'no column "driver"'),
        (b"driver,time\nA,60\n", 'no column "lap"'),
        (b"driver,lap\nA,1\n", 'neither a column "time"'),
        (b"driver,lap,S1,S2\nA,1,20,20\n", 'neither a column "time"'),
        (b"driver,lap,time,Time\nA,1,60,61\n", "Two columns"),
        (b"driver,lap,time,S1,S4\nA,1,60,20,20\n", "times for S4"),
        (b'"driver,lap,time\nA,1,60\n', "quotation mark"),
        (b'{"format": "fleet-rival/track"}', "This is a track file"),
        (b"<html><body>hello</body></html>", "no header"),
    ],
)
def test_files_that_cannot_be_used_say_why(content: bytes, words: str) -> None:
    with pytest.raises(UnusableFile, match=words):
        read_laps(content, LAYOUT)


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=300) | st.text(alphabet='driver,lap time;\t\n"0123456789:.S', max_size=300).map(str.encode))
def test_any_bytes_are_read_or_refused(content: bytes) -> None:
    try:
        file = read_laps(content, LAYOUT)
    except UnusableFile:
        return
    assert len(file.laps) + len(file.set_aside) == file.rows


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.text(max_size=12), st.text(max_size=8), st.text(max_size=12)), max_size=8))
def test_no_row_is_lost_whatever_its_cells_hold(cells: list[tuple[str, str, str]]) -> None:
    written: Any = io.StringIO()
    writer = csv.writer(written)
    writer.writerow(["driver", "lap", "time"])
    writer.writerows(cells)
    try:
        file = read_laps(written.getvalue().encode("utf-8", "replace"), LAYOUT)
    except UnusableFile:
        return
    assert len(file.laps) + len(file.set_aside) == file.rows
