"""What a file unpacks to is what counts: small files that would fill the memory are refused, and their reader's end
is an answer.
"""

import io
import resource
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from fleet_rival.bench import attack_files
from fleet_rival.confined import Limits, TooMuch, call, each
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.laps import peek, read_laps
from fleet_rival.formats.packages import PackageReader
from fleet_rival.formats.pictures import remade
from fleet_rival.formats.rows import rows_of
from fleet_rival.formats.sizes import sheet_size
from fleet_rival.formats.telemetry import TelemetryFile
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.shared import confined
from tests.conftest import example

MOST_OF_OURS = 250_000
"""Kilobytes that the reading side may grow by."""


@pytest.mark.parametrize("name", attack_files.LAP_FILES)
def test_a_small_file_that_unpacks_to_much_is_refused_and_costs_little(name: str) -> None:
    content = attack_files.LAP_FILES[name]()
    track = read_track(example("dirty/practice.track.json"))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    if name == "quotes.csv":
        assert len(confined.read(peek, content)[0]) == 3
        assert confined.read(read_laps, content, track).set_aside
    else:
        with pytest.raises(UnusableFile):
            confined.read(read_laps, content, track)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < MOST_OF_OURS


def test_pictures_packages_and_telemetry_are_judged_by_what_they_unpack_to(tmp_path: Path) -> None:
    made, width, height = call(remade, attack_files.picture(), limits=Limits(memory=450_000_000, seconds=20))
    assert (width, height) == (1600, 1600) and made.startswith(b"\xff\xd8")
    with pytest.raises(UnusableFile, match="unpacks to more"):
        PackageReader(io.BytesIO(attack_files.package()))
    place = tmp_path / "x.parquet"
    place.write_bytes(attack_files.telemetry())
    with pytest.raises(UnusableFile, match="name of more than"):
        next(TelemetryFile(place, "x").laps())


def _greedy(size: int) -> int:
    return len(bytes(size))


def _endless() -> Iterator[int]:
    yield 1
    while True:
        time.sleep(0.01)


def test_who_takes_too_much_is_ended_and_others_go_on() -> None:
    with pytest.raises(TooMuch):
        call(_greedy, 10**9, limits=Limits(memory=100_000_000))
    assert call(_greedy, 10**6) == 10**6
    with pytest.raises(ValueError, match="invalid literal"):
        call(int, "x")

    class Enough(Exception):
        pass

    wanted: list[bool] = []

    def watch() -> None:
        if wanted:
            raise Enough

    items = each(_endless, watch=watch)
    assert next(items) == 1
    wanted.append(True)
    with pytest.raises(Enough):
        next(items)


def test_an_ordinary_sheet_has_the_size_that_it_shows() -> None:
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for row in range(1, 51):
        sheet.append([f"driver {row}", row, 20.5, "a note"])
    out = io.BytesIO()
    book.save(out)
    with zipfile.ZipFile(out) as archive:
        cells, characters = sheet_size(archive)
    assert cells == 200 and characters < 50 * 100


text = st.text(st.sampled_from('ab,"\n'), max_size=40)


@settings(max_examples=300, deadline=None)
@given(text)
def test_every_line_is_read_once_whatever_marks_stand_in_it(body: str) -> None:
    lines = list(io.StringIO("h,i\n" + body, newline=""))
    rows = list(rows_of(lines, ",", 0))
    numbers = [line for line, _, _ in rows]
    assert numbers == sorted(set(numbers)) and numbers[0] == 1
    # What is given up is given up line by line; what is read of several lines has the header's width.
    taken = [after - line for line, after in zip(numbers, [*numbers[1:], len(lines) + 1], strict=True)]
    assert all(count == 1 or len(cells) == 2 for count, (_, cells, _) in zip(taken, rows, strict=True))
