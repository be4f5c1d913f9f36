"""Laps written the way other programs write them come out as they went in: units, splits, sector rows, kinds of
file, longer versions.
"""

import csv
import io
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.laps.merge import merge
from fleet_rival.core.times import format_time
from fleet_rival.formats.grids import open_grid
from fleet_rival.formats.laps import peek, read_laps, reads_by_names
from fleet_rival.formats.mapping import ColumnMapping, ColumnUse, guess_mapping, signature
from tests.making import track

LAYOUT = track(corners=3, sectors=3)
SECTORS = [part.code for part in LAYOUT.sector_parts]
FEW = settings(deadline=None, max_examples=80)


@dataclass(frozen=True)
class Driven:
    """A lap as it was driven."""

    driver: str
    number: int
    sectors_ms: tuple[int, int, int]

    @property
    def time_ms(self) -> int:
        return sum(self.sectors_ms)


times_ms = st.integers(12_000, 45_000)
driven = st.lists(
    st.builds(
        Driven,
        st.sampled_from(["Ysolde Farrand", "Corin"]),
        st.integers(1, 40),
        st.tuples(times_ms, times_ms, times_ms),
    ),
    min_size=4,
    max_size=14,
    unique_by=lambda lap: (lap.driver, lap.number),
)


def table(rows: Sequence[Sequence[object]], separator: str = ";") -> bytes:
    out = io.StringIO()
    csv.writer(out, delimiter=separator).writerows(rows)
    return out.getvalue().encode()


def taken(content: bytes, mapping: ColumnMapping | None = None) -> list[tuple[str, int, int, tuple[int, ...]]]:
    file = read_laps(content, LAYOUT, mapping)
    assert file.set_aside == ()
    return sorted(
        (lap.driver, lap.number, lap.time_us // 1000, tuple(lap.sectors[code] // 1000 for code in SECTORS))
        for _, lap in file.laps
    )


def meant(laps: Sequence[Driven]) -> list[tuple[str, int, int, tuple[int, ...]]]:
    return sorted((lap.driver, lap.number, lap.time_ms, lap.sectors_ms) for lap in laps)


WRITTEN: dict[str, Callable[[int], str]] = {
    "time": lambda ms: format_time(ms * 1000),
    "comma": lambda ms: format_time(ms * 1000).replace(".", ","),
    "ms": str,
    "days": lambda ms: repr(ms / 86_400_000),
}


def guessed(content: bytes) -> ColumnMapping:
    header, rows = peek(content)
    guess = guess_mapping(header, [cells for _, cells in rows], LAYOUT)
    assert guess.missing == ()
    return guess.mapping


@FEW
@given(driven, st.sampled_from(sorted(WRITTEN)), st.sampled_from([";", "\t"]))
def test_however_times_are_written_they_are_recognised(laps: list[Driven], written: str, separator: str) -> None:
    write = WRITTEN[written]
    rows = [[lap.driver, lap.number, write(lap.time_ms), *map(write, lap.sectors_ms)] for lap in laps]
    content = table([["Pilot", "Lap No.", "Lap time", "Sector 1", "Sector 2", "Sector 3"], *rows], separator)
    assert taken(content, guessed(content)) == meant(laps)


@FEW
@given(driven, st.sampled_from(["time", "comma", "ms"]), st.booleans())
def test_splits_are_stepped_to_sectors_exactly(laps: list[Driven], written: str, with_time: bool) -> None:
    """Beside the lap time splits can't be mistaken; alone they are told from sectors where none is far longer than
    the others.
    """
    write = WRITTEN[written]
    if not with_time:
        laps = [Driven(lap.driver, lap.number, tuple(20_000 + ms // 5 for ms in lap.sectors_ms)) for lap in laps]  # type: ignore[arg-type]
    rows = []
    for lap in laps:
        first, second, _ = lap.sectors_ms
        splits = [write(first), write(first + second), write(lap.time_ms)]
        rows.append([lap.driver, lap.number, *splits, *([write(lap.time_ms)] if with_time else [])])
    header = ["Driver", "Lap", "Split 1", "Split 2", "Split 3", *(["Laptime"] if with_time else [])]
    content = table([header, *rows])
    mapping = guessed(content)
    assert mapping.splits == "cumulative"
    assert taken(content, mapping) == meant(laps)


@FEW
@given(driven, st.sampled_from(["S{}", "{}", "Sector {}"]))
def test_rows_of_sectors_make_the_laps_and_every_row_is_counted(laps: list[Driven], named: str) -> None:
    rows = [
        [lap.driver, lap.number, named.format(at), format_time(ms * 1000)]
        for lap in laps
        for at, ms in enumerate(lap.sectors_ms, 1)
    ]
    content = table([["driver", "lap", "sector", "sector time"], *rows])
    mapping = guessed(content)
    assert mapping.rows == "sectors"
    assert taken(content, mapping) == meant(laps)
    assert read_laps(content, LAYOUT, mapping).rows == 3 * len(laps)
    # One row that is lost takes its lap along, and nothing else.
    short = read_laps(table([["driver", "lap", "sector", "sector time"], *rows[1:]]), LAYOUT, mapping)
    assert len(short.laps) == len(laps) - 1 and [row.line for row in short.set_aside] == [2, 3]


def as_json(header: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    return "\n".join(json.dumps(dict(zip(header, row, strict=True))) for row in rows).encode()


def as_parquet(header: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.table({name: [row[place] for row in rows] for place, name in enumerate(header)}), out)
    return out.getvalue()


words = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=8)


@FEW
@given(st.lists(words, min_size=2, max_size=5, unique=True), st.data())
def test_any_table_of_words_is_the_same_table_in_every_kind_of_file(header: list[str], data: st.DataObject) -> None:
    rows = data.draw(st.lists(st.lists(words, min_size=len(header), max_size=len(header)), min_size=1, max_size=5))
    for content in (as_json(header, rows), as_parquet(header, rows)):
        grid = open_grid(content, "lap file")
        assert list(grid.header) == header
        assert [cells for _, cells, closed in grid.rows if closed] == rows


@FEW
@given(driven, st.integers(0, 13))
def test_a_longer_version_adds_exactly_what_is_new(laps: list[Driven], upto: int) -> None:
    rows = [[lap.driver, "evening", 1, lap.number, format_time(lap.time_ms * 1000)] for lap in laps]
    header = ["driver", "session", "run", "lap", "time"]
    shorter = [lap for _, lap in read_laps(table([header, *rows[:upto]]), LAYOUT).laps] if upto else []
    whole = [lap for _, lap in read_laps(table([header, *rows]), LAYOUT).laps]
    found = merge(shorter, whole)
    assert (len(found.same), len(found.new), found.different) == (len(shorter), len(whole) - len(shorter), ())
    stored = [*shorter, *(found.laps[index] for index in found.new)]
    assert merge(stored, whole).new == () and len({lap.identity for lap in stored}) == len(stored)


@FEW
@given(driven, st.data())
def test_rows_in_laps_and_rows_set_aside_are_all_rows_and_mended_ones_go_in(
    laps: list[Driven], data: st.DataObject
) -> None:
    broken = data.draw(st.sets(st.integers(0, len(laps) - 1)))
    good = [[lap.driver, str(lap.number), format_time(lap.time_ms * 1000)] for lap in laps]
    rows = [[row[0], row[1], "1:9x.2"] if at in broken else row for at, row in enumerate(good)]
    content = table([["driver", "lap", "time"], *rows])
    file = read_laps(content, LAYOUT)
    assert [row.line for row in file.set_aside] == sorted(at + 2 for at in broken)
    assert len(file.laps) + len(file.set_aside) == file.rows == len(laps)
    assert {line: cells[2] for line, cells in file.cells.items()} == {at + 2: "1:9x.2" for at in broken}
    whole = read_laps(content, LAYOUT, mends={at + 2: good[at] for at in broken})
    plain = read_laps(table([["driver", "lap", "time"], *good]), LAYOUT)
    assert whole.set_aside == () and [lap for _, lap in whole.laps] == [lap for _, lap in plain.laps]


@FEW
@given(st.lists(words, min_size=1, max_size=6), st.lists(words, min_size=1, max_size=6))
def test_a_source_is_another_one_where_its_columns_are(first: list[str], second: list[str]) -> None:
    assert signature(first) == signature([f" {name} " for name in first])
    if [name.casefold() for name in first] == [name.casefold() for name in second]:
        assert signature(first) == signature(second)
    elif len(first) != len(second):
        assert signature(first) != signature(second)


@pytest.mark.parametrize(
    ("header", "fits"),
    [
        (["driver", "lap", "time"], True),
        (["Driver", "Lap", "TIME_MS"], True),
        (["driver", "lap", "s1", "s2", "s3"], True),
        (["driver", "lap", "s1", "s2"], False),
        (["pilot", "lap", "time"], False),
        (["driver", "time"], False),
        (["driver", "lap", "time", "lap"], False),
    ],
)
def test_a_file_by_the_formats_names_needs_no_mapping(header: list[str], fits: bool) -> None:
    assert reads_by_names(header, [["1"] * len(header)], LAYOUT) is fits


def test_a_mapping_survives_being_kept() -> None:
    mapping = ColumnMapping(
        {"Zeit": ColumnUse("time", "ms"), "Wer": ColumnUse("driver")}, "cumulative", "laps", {"session": "evening"}
    )
    assert ColumnMapping.from_plain(json.loads(json.dumps(mapping.as_plain()))) == mapping
