"""Exchange packages as files: the same tables give the same bytes, an independent reader finds them valid, and
broken ones are refused.
"""

import io
import json
import warnings
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.packages import PackageField, PackageReader, PackageTable, write_package

CARS = PackageTable(
    "car", (PackageField("key", "integer", required=True), PackageField("name", "string", required=True)), "A car."
)
LAPS = PackageTable(
    "lap",
    (
        PackageField("key", "integer", required=True),
        PackageField("car_id", "integer", required=True, refers_to="car"),
        PackageField("time_us", "integer", required=True),
        PackageField("fuel_l", "number"),
        PackageField("valid", "boolean", required=True),
        PackageField("begins_at", "moment"),
        PackageField("segments", "object"),
        PackageField("watch", "array"),
        PackageField("note", "string"),
    ),
    "A lap.",
)
CAR_ROWS = [("1", "Wrenfield EC-2"), ("2", "Ångström, “the” kart")]
LAP_ROWS = [
    ("1", "1", "61234567", "12.5", "true", "2031-04-07T18:30:00.000001Z", '{"T1":1}', "[]", "fine"),
    ("2", "2", "61234568", "", "false", "", "", '["T1"]', 'two\r\nlines, "quoted"'),
]


def package(cars: Any = CAR_ROWS, laps: Any = LAP_ROWS, **others: bytes) -> bytes:
    out = io.BytesIO()
    write_package(
        out,
        "Farhaven",
        [(CARS, iter(cars)), (LAPS, iter(laps))],
        [(path, io.BytesIO(content)) for path, content in others.items()],
    )
    return out.getvalue()


def read(content: bytes) -> PackageReader:
    return PackageReader(io.BytesIO(content))


def test_what_was_written_is_read_and_the_same_tables_are_the_same_bytes() -> None:
    found = read(package(extra=b"\x00\xff"))
    assert found.title == "Farhaven" and found.columns == {
        "car": ["key", "name"],
        "lap": [item.name for item in LAPS.fields],
    }
    assert [row for _, row in found.rows("car")] == CAR_ROWS and list(found.rows("lap")) == list(enumerate(LAP_ROWS, 1))
    assert found.has("extra") and not found.has("other")
    with found.open("extra") as content:
        assert content.read() == b"\x00\xff"
    assert package() == package()


TEXTS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs",), exclude_characters="\x00\r"), max_size=30)


@given(st.lists(TEXTS, max_size=6))
def test_any_text_comes_back(texts: list[str]) -> None:
    rows = [(str(number), text) for number, text in enumerate(texts, 1)]
    assert [row for _, row in read(package(cars=rows, laps=[])).rows("car")] == rows


def test_long_cells_and_many_rows_come_back() -> None:
    rows = [(str(number), "x" * (300_000 if number == 7 else 3)) for number in range(1, 5001)]
    assert [row for _, row in read(package(cars=rows, laps=[])).rows("car")] == rows


def test_an_independent_reader_finds_it_valid(tmp_path: Path) -> None:
    report = validate(tmp_path, package())
    assert report.valid, report.flatten(["resourceName", "rowNumber", "fieldName", "note"])
    described = json.loads(zipfile.ZipFile(io.BytesIO(package())).read("datapackage.json"))
    fields = {item["name"]: item for item in described["resources"][1]["schema"]["fields"]}
    assert fields["time_us"]["unit"] == "µs" and fields["fuel_l"]["unit"] == "l" and "unit" not in fields["key"]


@pytest.mark.parametrize(
    ("laps", "error"),
    [
        ([("1", "3", *LAP_ROWS[0][2:])], "foreign-key"),
        ([LAP_ROWS[0], LAP_ROWS[0]], "primary-key"),
        ([("1", "1", "fast", *LAP_ROWS[0][3:])], "type-error"),
        ([("1", "1", "", *LAP_ROWS[0][3:])], "constraint-error"),
    ],
)
def test_an_independent_reader_finds_what_is_wrong(tmp_path: Path, laps: Any, error: str) -> None:
    report = validate(tmp_path, package(laps=laps))
    assert error in {item.type for task in report.tasks for item in task.errors}


def validate(folder: Path, content: bytes) -> Any:
    """By the library of those who wrote the standard."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from frictionless import Package, system

        zipfile.ZipFile(io.BytesIO(content)).extractall(folder)
        with system.use_context(trusted=True):
            return Package(str(folder / "datapackage.json")).validate()


def without(path: str) -> Callable[[bytes], bytes]:
    def change(content: bytes) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w") as new:
            for item in old.infolist():
                if item.filename != path:
                    new.writestr(item, old.read(item))
        return out.getvalue()

    return change


def described(**changes: Any) -> Callable[[bytes], bytes]:
    def change(content: bytes) -> bytes:
        told = json.loads(zipfile.ZipFile(io.BytesIO(content)).read("datapackage.json"))
        out = io.BytesIO(without("datapackage.json")(content))
        with zipfile.ZipFile(out, "a") as archive:
            archive.writestr("datapackage.json", json.dumps({**told, **changes}))
        return out.getvalue()

    return change


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda content: b"", "isn't an exchange package"),
        (lambda content: content[: len(content) // 2], "isn't an exchange package"),
        (lambda content: b"driver,lap,time\n", "isn't an exchange package"),
        (without("datapackage.json"), "isn't an exchange package"),
        (described(format="something/else"), "not of a Fleet Rival team"),
        (described(version="2"), "newer version"),
        (described(version="one"), "not of a Fleet Rival team"),
        (described(resources=[{"name": "car"}]), "which tables"),
        (described(resources=None), "which tables"),
    ],
)
def test_what_is_no_package_is_refused_in_a_sentence(change: Callable[[bytes], bytes], words: str) -> None:
    with pytest.raises(UnusableFile, match=words):
        read(change(package()))


def test_tables_that_are_broken_say_so() -> None:
    with pytest.raises(UnusableFile, match=r"data/lap.csv is missing"):
        list(read(without("data/lap.csv")(package())).rows("lap"))
    out = io.BytesIO(without("data/car.csv")(package()))
    with zipfile.ZipFile(out, "a") as archive:
        archive.writestr("data/car.csv", "key,name\r\n1,one,more\r\n")
    with pytest.raises(UnusableFile, match=r"data/car.csv can't be read"):
        list(read(out.getvalue()).rows("car"))
    other = io.BytesIO(without("data/car.csv")(package()))
    with zipfile.ZipFile(other, "a") as archive:
        archive.writestr("data/car.csv", "key,title\r\n1,one\r\n")
    with pytest.raises(UnusableFile, match="other columns"):
        list(read(other.getvalue()).rows("car"))
