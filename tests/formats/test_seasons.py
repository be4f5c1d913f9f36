"""Season files in and out: whatever is wrong is told at its row, and what goes out comes in again as the same."""

from datetime import UTC, date, datetime, timedelta
from io import BytesIO
from zipfile import ZIP_DEFLATED, ZipFile

import icalendar
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from fleet_rival.core.season.weeks import Changeable, Compound, SeriesWeek
from fleet_rival.core.texts import tidy
from fleet_rival.formats.calendars import CalendarEvent, write_calendar
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.season_export import write_season, write_season_sheet
from fleet_rival.formats.seasons import read_season


def _bomb() -> bytes:
    out = BytesIO()
    with ZipFile(out, "w", ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", bytes(120_000_000))
    return out.getvalue()


HEADER = "series,week,zone,from,to,car,track,layout,starts_utc,wetness\n"


def test_each_bad_row_is_told_and_the_rest_goes_in() -> None:
    file = read_season(
        (
            HEADER
            + "Cup,1,UTC,2031-04-07,2031-04-14,EC-2|Volant,Port Skerrow,Fishmarket,every 90min from 00:20,dry\n"
            + "Cup,2,UTC,2031-04-13,2031-04-20,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,1,UTC,2031-05-07,2031-05-14,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,3,Atlantis/Lost,2031-05-07,2031-05-14,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,4,UTC,2031-05-14,2031-05-14,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,5,UTC,2031-13-14,2031-05-21,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,6,UTC,2031-05-21,2031-05-28,EC-2,Port Skerrow,Ebb Tide,whenever,dry\n"
            + "Cup,seven,UTC,2031-05-21,2031-05-28,EC-2,Port Skerrow,Ebb Tide,,dry\n"
            + "Cup,8,UTC,2031-05-28,2031-06-04,EC-2,Port Skerrow,Ebb Tide,,soaked\n"
            + "Cup,9,UTC,2031-06-04\n"
            + "Cup,10,Europe/Oslo,2031-03-24,2031-03-31,,,,at 02:30 on sun in Europe/Oslo,\n"
        ).encode()
    )
    assert [week.week for _, week in file.weeks] == [1, 10]
    assert file.weeks[0][1].cars == ("EC-2", "Volant")
    assert [(row.line, row.column) for row in file.set_aside] == [
        (3, "from"),
        (4, None),
        (5, "zone"),
        (6, "to"),
        (7, "from"),
        (8, "starts_utc"),
        (9, "week"),
        (10, "wetness"),
        (11, None),
    ]
    assert file.set_aside[0].reason == "overlaps with week 1 of the same series in line 2"
    assert (file.set_aside[1].repeats_line, file.set_aside[1].differs) == (2, True)
    assert [warning.reason for warning in file.warnings if warning.line == 12] == [
        "has no track and layout yet",
        "has no car yet",
        "2031-03-30 02:30 doesn't exist in Europe/Oslo: the clocks are put forward then",
        "the start rule never fires within the week: at 02:30 on sun in Europe/Oslo",
    ]


@pytest.mark.parametrize(
    ("content", "reason"),
    [
        (b"", "empty"),
        (b"series,week\nCup,1\n", "no column from and to"),
        (b"series,week,from,to,week\n", "Two columns"),
        (b"PK\x03\x04nonsense", "can't be read"),
        ("series".encode("utf-16"), "UTF-16"),
        (_bomb(), "unpacks to 120 MB"),
    ],
)
def test_a_file_that_is_no_season_is_refused_in_one_sentence(content: bytes, reason: str) -> None:
    with pytest.raises(UnusableFile, match=reason):
        read_season(content)


def test_a_sheet_made_by_hand_reads_like_the_text() -> None:
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["Series", "Week", "From", "To", "Race minutes", "Air-temp C", "Cautions", "Session local"])
    sheet.append(["Cup", 1, datetime(2031, 4, 7), date(2031, 4, 14), 25, 18.5, True, datetime(2031, 6, 14, 21, 30)])
    out = BytesIO()
    book.save(out)
    ((line, week),) = read_season(out.getvalue()).weeks
    assert line == 2
    assert week == SeriesWeek(
        "Cup",
        1,
        "UTC",
        date(2031, 4, 7),
        date(2031, 4, 14),
        race_minutes=25.0,
        air_temp_c=18.5,
        cautions=True,
        session_local=datetime(2031, 6, 14, 21, 30),
    )


_name = (
    st.text(
        st.characters(codec="utf-8", categories=["L", "N", "P", "S"], exclude_characters="|*'"), min_size=1, max_size=12
    )
    .map(tidy)
    .filter(bool)
)
_amount = st.integers(0, 200).map(lambda number: number / 4)
_weeks = st.builds(
    SeriesWeek,
    series=_name,
    week=st.integers(0, 60),
    zone=st.sampled_from(["UTC", "Europe/Oslo", "America/Halifax"]),
    begins=st.dates(date(2031, 1, 1), date(2031, 12, 1)),
    ends=st.dates(date(2031, 12, 2), date(2032, 3, 1)),
    cars=st.lists(_name, unique=True, max_size=3).map(tuple),
    track=st.none() | _name,
    layout=st.none() | _name,
    race_laps=st.none() | st.integers(1, 90),
    race_minutes=st.none() | st.integers(1, 240).map(float),
    starts=st.sampled_from(
        [None, "every 90min from 00:20", "at 18:00 20:30 on sat", "2031-04-07T18:20Z 2031-04-08T18:20Z"]
    ),
    start=st.sampled_from([None, "standing", "rolling"]),
    setup=st.sampled_from([None, "fixed", "open"]),
    cautions=st.none() | st.booleans(),
    practice_minutes=st.none() | _amount,
    qualifying_laps=st.none() | st.integers(0, 5),
    fuel_rate=st.none() | _amount,
    compounds=st.lists(st.builds(Compound, _name, st.booleans()), unique_by=lambda item: item.name, max_size=3).map(
        tuple
    ),
    damage=st.none() | _name,
    strike_limit=st.none() | st.integers(0, 30),
    session_local=st.none() | st.datetimes(datetime(2031, 1, 1), datetime(2031, 12, 31)),
    air_temp_c=st.none() | _amount,
    wetness=st.sampled_from([None, "dry", "damp", "wet"]),
    note=st.none() | _name,
    changeable=st.sampled_from([(), (Changeable("ABS"), Changeable("brake balance", 56.0, 50.0, 60.0, 0.5, "%"))]),
)


@settings(max_examples=25, deadline=None)
@given(_weeks)
def test_what_goes_out_comes_in_again_as_the_same(week: SeriesWeek) -> None:
    for written in (write_season([week]), write_season_sheet([week])):
        file = read_season(written)
        assert not file.set_aside
        assert [found for _, found in file.weeks] == [week]


def test_a_formula_in_a_name_is_text_in_every_file_and_comes_back() -> None:
    week = SeriesWeek("=1+1", 1, "UTC", date(2031, 4, 7), date(2031, 4, 14), note="@home, -2 °C")
    assert b",=1" not in write_season([week]) and b"\n=1" not in write_season([week])
    for written in (write_season([week]), write_season_sheet([week])):
        assert [found for _, found in read_season(written).weeks] == [week]


def test_a_calendar_is_read_back_with_the_same_instants() -> None:
    start = datetime(2031, 4, 7, 18, 20, tzinfo=UTC)
    events = [
        CalendarEvent(
            "a@x", "Cup: Port Skerrow, Fishmarket", date(2031, 4, 7), date(2031, 4, 14), text="Ends; begins, and\nmore"
        ),
        CalendarEvent("b@x", "Race", start, start + timedelta(minutes=25), "Port Skerrow", sequence=3),
    ]
    calendar = icalendar.Calendar.from_ical(write_calendar("Farhaven", events, start))
    read = [
        (str(event["uid"]), event.decoded("dtstart"), event.decoded("dtend"), str(event["summary"]))
        for event in calendar.walk("VEVENT")
    ]
    assert read == [(event.uid, event.begins, event.ends, event.title) for event in events]
    assert next(str(event.get("description")) for event in calendar.walk("VEVENT")) == events[0].text
