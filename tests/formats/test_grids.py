"""Files of any open kind: the same laps in CSV, TSV, XLSX, ODS, JSON lines and Parquet; and files that mean harm."""

import io
import json
import zipfile
from collections.abc import Callable
from datetime import time, timedelta

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from fleet_rival.formats.archives import is_archive, members
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.grids import open_grid
from fleet_rival.formats.laps import read_laps, reads_by_names
from fleet_rival.formats.mapping import BadMapping, ColumnMapping, ColumnUse, check_mapping, guess_mapping, signature
from tests.making import track

LAYOUT = track(corners=3, sectors=3)
HEADER = ["driver", "session", "run", "lap", "time", "S1", "S2", "S3", "note"]
ROWS = [["Ysolde", "1", "1", str(n), f"1:0{n}.5", "20.25", f"2{n}.125", "20.125", "was = fine"] for n in range(1, 5)]


def as_csv(separator: str = ",") -> bytes:
    return "\n".join(separator.join(row) for row in [HEADER, *ROWS]).encode()


def as_xlsx() -> bytes:
    book = Workbook()
    book.create_sheet("Cover")
    sheet = book["Cover"]
    book.move_sheet(sheet, -1)
    laps = book.worksheets[1]
    laps.append(HEADER)
    for row in ROWS:
        laps.append(
            [
                row[0],
                int(row[1]),
                float(row[2]),
                int(row[3]),
                time(0, 1, int(row[3]), 500_000),
                *map(float, row[5:8]),
                row[8],
            ]
        )
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def as_ods() -> bytes:
    cells = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{cell}</text:p></table:table-cell>' for cell in row
        )
        + "</table:table-row>"
        for row in [HEADER, *ROWS]
    )
    spaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    body = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {spaces} '
        'office:version="1.2"><office:body><office:spreadsheet>'
        "<table:table "
        f'table:name="Laps">{cells}</table:table></office:spreadsheet></office:body></office:document-content>'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "META-INF/manifest.xml",
            '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
        archive.writestr("content.xml", body)
    return out.getvalue()


def as_json_lines() -> bytes:
    lines = [
        {
            **dict(zip(HEADER[:5], row[:5], strict=True)),
            "sectors": dict(zip(HEADER[5:8], map(float, row[5:8]), strict=True)),
            "note": row[8],
        }
        for row in ROWS
    ]
    return "\n".join(json.dumps(line) for line in lines).encode()


def as_parquet() -> bytes:
    columns = {name: [row[place] for row in ROWS] for place, name in enumerate(HEADER)}
    typed = {**columns, "lap": [int(cell) for cell in columns["lap"]], "S1": [float(cell) for cell in columns["S1"]]}
    typed["time"] = [timedelta(minutes=1, seconds=int(row[3]) + 0.5) for row in ROWS]
    out = io.BytesIO()
    pq.write_table(pa.table(typed), out)
    return out.getvalue()


KINDS: dict[str, Callable[[], bytes]] = {
    "comma": as_csv,
    "tab": lambda: as_csv("\t"),
    "sheet": as_xlsx,
    "ods": as_ods,
    "JSON": as_json_lines,
    "Parquet": as_parquet,
}


@pytest.mark.parametrize("kind", KINDS)
def test_the_same_laps_come_out_of_every_kind_of_file(kind: str) -> None:
    plain, other = read_laps(as_csv(), LAYOUT), read_laps(KINDS[kind](), LAYOUT)
    assert [lap for _, lap in other.laps] == [lap for _, lap in plain.laps]
    assert (other.rows, other.set_aside) == (4, ()) and other.separator == ("sheet" if kind == "ods" else kind)


def test_a_line_that_is_no_object_is_set_aside_and_the_rest_goes_in() -> None:
    content = as_json_lines().split(b"\n")
    content[2] = b'["no object"]'
    content.append(b"{broken")
    file = read_laps(b"\n".join(content), LAYOUT)
    assert [row.line for row in file.set_aside] == [3, 5] and len(file.laps) + len(file.set_aside) == file.rows == 5


def packed(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def test_a_zip_gives_its_files_and_nothing_else() -> None:
    content = packed({"a/one.csv": b"1", "two.tsv": b"22", "__MACOSX/x": b"no", ".hidden": b"no"})
    assert [(item.name, item.content) for item in members(content)] == [("one.csv", b"1"), ("two.tsv", b"22")]
    assert is_archive(content) and not is_archive(as_xlsx()) and not is_archive(as_ods()) and not is_archive(as_csv())


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (packed({"../../etc/passwd": b"x"}), "leads outside"),
        (packed({"C:/laps.csv": b"x"}), "leads outside"),
        (packed({"big.csv": b"0" * 300_000}), r"unpacks to 0\.3 MB"),
        (packed({f"{n}.csv": b"x" for n in range(301)}), "301 files"),
        (packed({".hidden": b""}), "holds no files"),
        (packed({"a": b"x"})[:-30], "can't be read"),
    ],
)
def test_a_zip_that_means_harm_is_refused_in_one_sentence(content: bytes, words: str) -> None:
    with pytest.raises(UnusableFile, match=words):
        members(content)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"driver,lap,time\nA,1,\x00", "zero bytes"),
        (b"PK\x03\x04rubbish", "can't be read"),
        (b"PAR1rubbish", "can't be read"),
        (b"[1, 2", "can't be read"),
        (b"[1, 2]", "no objects"),
        (b"{broken", "no objects"),
        (packed({"[Content_Types].xml": b"x", "xl/worksheets/sheet1.xml": b"<" * 40_000_000}), "too much for its size"),
    ],
)
def test_what_is_no_table_is_refused_in_one_sentence(content: bytes, words: str) -> None:
    with pytest.raises(UnusableFile, match=words):
        open_grid(content, "lap file")


def test_a_giant_cell_and_a_formula_do_no_harm() -> None:
    rows = ["driver,lap,time,note", f'A,1,60.1,"{"x" * 200_000}"', "A,2,60.2,=HYPERLINK(evil)", "=1+1,3,60.3,"]
    file = read_laps("\n".join(rows).encode(), LAYOUT)
    assert [row.line for row in file.set_aside] == [2] and "131,072" in file.set_aside[0].reason
    assert [(lap.driver, lap.note) for _, lap in file.laps] == [("A", "=HYPERLINK(evil)"), ("=1+1", None)], (
        "text stays text"
    )


class TestMapping:
    def guessed(self, header: str, *rows: str) -> tuple[ColumnMapping, bytes]:
        cells = [row.split(";") for row in rows]
        return guess_mapping(header.split(";"), cells, LAYOUT).mapping, "\n".join([header, *rows]).encode()

    def test_other_names_milliseconds_and_decimal_commas_are_recognised(self) -> None:
        mapping, content = self.guessed(
            "Pilot;Stint;Lap No.;Laptime;Sector 1;Sec 2;Split3",
            *(f"Ysolde;1;{n};6000{n};20,000;20,001;19,99{n}" for n in range(1, 6)),
        )
        assert {name: (use.target, use.unit) for name, use in mapping.columns.items()} == {
            **{
                "Pilot": ("driver", "time"),
                "Stint": ("run", "time"),
                "Lap No.": ("lap", "time"),
                "Laptime": ("time", "ms"),
            },
            **{"Sector 1": ("S1", "time"), "Sec 2": ("S2", "time"), "Split3": ("S3", "time")},
        }
        assert not reads_by_names(["driver", "lap", "time"], [["A", "1", "92114"]], LAYOUT), (
            "whole numbers that large are no seconds"
        )
        file = read_laps(content, LAYOUT, mapping)
        assert [lap.time_us for _, lap in file.laps] == [60_001_000 + n * 1000 for n in range(5)] and not file.set_aside

    def test_splits_that_rise_are_stepped_to_sectors(self) -> None:
        rows = [f"Y;{n};20.5;40.25;1:01.{n}00" for n in range(1, 6)]
        mapping, content = self.guessed("name;lap;split 1;split 2;split 3", *rows)
        assert mapping.splits == "cumulative"
        file = read_laps(content, LAYOUT, mapping)
        assert (
            file.laps[0][1].sectors == {"S1": 20_500_000, "S2": 19_750_000, "S3": 20_850_000}
            and file.laps[0][1].time_us == 61_100_000
        )
        broken = content.replace(b"Y;3;20.5;40.25", b"Y;3;20.5;10.25")
        again = read_laps(broken, LAYOUT, mapping)
        assert [(row.line, row.column) for row in again.set_aside] == [(4, "S2")] and len(again.laps) == 4

    def test_rows_of_sectors_are_put_together_to_laps_and_counted_as_rows(self) -> None:
        rows = [f"Y;{lap};{sector};{20 + sector}.{lap}00" for lap in range(1, 4) for sector in range(1, 4)]
        mapping, content = self.guessed("driver;lap;sector;time", *rows)
        assert mapping.rows == "sectors"
        file = read_laps(content, LAYOUT, mapping)
        assert file.rows == 9 and [lap.sectors["S2"] for _, lap in file.laps] == [22_100_000, 22_200_000, 22_300_000]
        again = read_laps(content.replace(b"Y;2;2;22.200", b"Y;2;2;nothing"), LAYOUT, mapping)
        assert [(row.line, row.reason) for row in again.set_aside] == [
            (5, "missing, and not all sectors are there"),
            (6, "not a time"),
            (7, "belongs to the lap of line 5"),
        ]
        assert len(again.laps) * 3 + len(again.set_aside) == again.rows == 9

    def test_parts_of_a_day_and_a_driver_for_the_whole_file(self) -> None:
        mapping, content = self.guessed("lap;lap time", *(f"{n};{(60 + n) / 86400!r}" for n in range(1, 4)))
        assert mapping.columns["lap time"].unit == "days"
        whole = ColumnMapping(mapping.columns, constants={"driver": "Ysolde"})
        with pytest.raises(BadMapping, match="driver"):
            check_mapping(mapping, ["lap", "lap time"], LAYOUT)
        assert [(lap.driver, lap.time_us) for _, lap in read_laps(content, LAYOUT, whole).laps] == [
            ("Ysolde", n * 1_000_000) for n in (61, 62, 63)
        ]

    @pytest.mark.parametrize(
        "mapping",
        [
            ColumnMapping({"lap": ColumnUse("lap"), "x": ColumnUse("time")}, constants={"driver": "Y"}),
            ColumnMapping({"lap": ColumnUse("lap"), "time": ColumnUse("lap")}, constants={"driver": "Y"}),
            ColumnMapping({"lap": ColumnUse("T99"), "time": ColumnUse("time")}, constants={"driver": "Y"}),
            ColumnMapping({"lap": ColumnUse("lap")}, constants={"driver": "Y"}),
        ],
    )
    def test_a_mapping_that_cannot_be_is_refused(self, mapping: ColumnMapping) -> None:
        with pytest.raises(BadMapping):
            check_mapping(mapping, ["lap", "time"], LAYOUT)

    def test_a_source_is_known_by_its_columns(self) -> None:
        assert signature(["Lap No.", "Time"]) == signature(["lap no", " TIME "]) != signature(["time", "lap no"])

    def test_mended_cells_stand_in_the_place_of_a_lines_own(self) -> None:
        content = b"driver,lap,time\nA,1,60.1\nA,2,6x\nA,3\n"
        first = read_laps(content, LAYOUT)
        assert first.cells == {3: ("A", "2", "6x"), 4: ("A", "3", "")}
        second = read_laps(content, LAYOUT, mends={3: ["A", "2", "60.2"], 4: ["A", "3", "60.3"]})
        assert len(second.laps) == second.rows == 3 and not second.set_aside

    @settings(deadline=None, max_examples=120)
    @given(
        st.lists(
            st.sampled_from(["driver", "lap", "time", "Sector 1", "split 2", "S3", "sector", "zeit", "note"]),
            min_size=1,
            max_size=7,
            unique=True,
        ),
        st.lists(
            st.lists(st.sampled_from(["", "1", "60.5", "92114", "1:00,5", "x", "T1", "=1", '"', "-3"]), max_size=8),
            max_size=8,
        ),
        st.sampled_from(["times", "cumulative"]),
    )
    def test_every_row_of_any_table_is_in_or_set_aside(
        self, header: list[str], rows: list[list[str]], splits: str
    ) -> None:
        content = "\n".join(";".join(row) for row in [header, *rows]).encode()
        guess = guess_mapping(header, rows, LAYOUT)
        mapping = ColumnMapping(guess.mapping.columns, splits, guess.mapping.rows, {"driver": "Ysolde", "session": "1"})
        try:
            file = read_laps(content, LAYOUT, mapping)
        except UnusableFile:
            return
        aside = len(file.set_aside)
        if guess.mapping.rows == "laps":
            assert len(file.laps) + aside == file.rows
        else:
            assert len(file.laps) + aside <= file.rows
