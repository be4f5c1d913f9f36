"""Seasons by hand and from files, entries, cars and profiles: kept as they were written, told where two write at
once, taken back whole.
"""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import icalendar
import pytest
from sqlalchemy import select

from fleet_rival.clock import now
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Combination, Entry, Series, SeriesWeekRow
from fleet_rival.formats.season_export import write_season
from fleet_rival.formats.seasons import read_season
from fleet_rival.services.people.team import add_person
from fleet_rival.services.plan import calendars
from fleet_rival.services.shared import history, search
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.track import tracks
from fleet_rival.services.week import cars, entries, profiles, season_files, series
from tests.services.conftest import MONDAY, TRACK, Season


def rows(season: Season, table: Any) -> list[Any]:
    with season.sessions() as session:
        return list(session.scalars(select(table).order_by(table.id)))


def test_a_week_keeps_all_that_was_written_and_brings_its_combination(season: Season) -> None:
    told = {
        "cars": ("Truck A", "Truck B"),
        "note": "Cold evenings",
        "fuel_rate": 2.0,
        "session_local": datetime(2031, 6, 1, 21, 30),
    }
    made = season.week(1, **told)
    assert made.facts == season.facts(1, **told)
    assert len(made.start_times) == 14 and made.warnings == ()
    assert len(rows(season, Combination)) == 2
    changed = series.change_week(
        season.sessions, season.actor, made.id, made.version, replace(made.facts, cars=("Truck B",))
    )
    assert [car.name for car in changed.cars] == ["Truck B"]
    with pytest.raises(Outdated):
        series.change_week(season.sessions, season.actor, made.id, made.version, made.facts)
    history.undo(season.sessions, season.actor)
    assert [car.name for car in series.week(season.sessions, season.actor, made.id).cars] == ["Truck A", "Truck B"]


def test_what_nobody_can_mean_is_refused_and_the_rest_is_told(season: Season) -> None:
    season.week(1)
    with pytest.raises(Conflict, match="week 1 already"):
        season.week(1, begins=date(2031, 9, 1), ends=date(2031, 9, 8))
    with pytest.raises(Refused, match="overlaps with week 1"):
        season.week(2, begins=MONDAY + timedelta(days=6))
    with pytest.raises(Refused, match="isn't after it begins"):
        season.week(2, ends=MONDAY)
    with pytest.raises(Refused, match="never fires"):
        season.week(2, starts="every 60min from 20:00 to 19:00")
    assert season.week(2, track="Elsewhere", starts="2031-01-01T10:00Z").warnings == (
        "Elsewhere, " + season.layout + " isn't known yet: add its track file",
        "2031-01-01T10:00Z lies outside the week",
        "the start rule never fires within the week: 2031-01-01T10:00Z",
    )


def test_a_week_finds_its_layout_when_the_track_comes_later(season: Season) -> None:
    made = season.week(1, track="Quernholm", layout="Long")
    assert made.layout_id is None
    layout = tracks.add_track(
        season.sessions,
        season.actor,
        TRACK.replace(season.track.encode(), b"Quernholm").replace(season.layout.encode(), b"Long"),
    )
    assert series.week(season.sessions, season.actor, made.id).layout_id == layout.id
    history.undo(season.sessions, season.actor)
    assert series.week(season.sessions, season.actor, made.id).layout_id is None


def test_a_season_goes_out_and_comes_in_again_as_the_same(season: Season) -> None:
    facts = [season.facts(number, fuel_rate=number / 2, starts=f"every {number}h from 00:20") for number in (1, 2, 3)]
    for item in facts:
        series.add_week(season.sessions, season.actor, season.series_id, item)
    for sheet in (False, True):
        _, content = season_files.export(season.sessions, season.actor, season.series_id, sheet=sheet)
        assert [week for _, week in read_season(content).weeks] == [
            season.facts(n, fuel_rate=n / 2, starts=f"every {n}h from 00:20") for n in (1, 2, 3)
        ]
        file_id = season_files.upload(season.sessions, season.actor, "again", content)
        assert {row.state for row in season_files.preview(season.sessions, season.actor, file_id).weeks} == {"same"}


def test_a_season_file_is_looked_at_then_imported_and_taken_back_as_one(season: Season) -> None:
    season.week(1)
    with pytest.raises(Refused, match="5 MB at most"):
        season_files.upload(season.sessions, season.actor, "large.csv", b"x" * 5_000_001)
    weeks = [
        season.facts(1, wetness="wet"),
        season.facts(2),
        replace(season.facts(3), series="Trophy", cars=("Truck Z",), track="Far", layout="Away"),
        season.facts(4, begins=MONDAY + timedelta(days=3)),  # overlaps with the first
    ]
    file_id = season_files.upload(season.sessions, season.actor, "cup.season.csv", write_season(weeks))
    seen = season_files.preview(season.sessions, season.actor, file_id)
    assert [(row.series, row.week, row.state, row.differs) for row in seen.weeks] == [
        ("Cup", 1, "changed", ("wetness",)),
        ("Cup", 2, "new", ()),
        ("Trophy", 3, "new", ()),
    ]
    assert (seen.new_series, seen.new_cars, seen.unknown_layouts) == (("Trophy",), ("Truck Z",), ("Far, Away",))
    assert [(row.line, row.column) for row in seen.set_aside] == [(5, "from")]
    done = season_files.import_season(season.sessions, season.actor, file_id, seen.stamp, take_changes=True)
    assert (done.added, done.changed, done.set_aside) == (2, 1, 1)
    with pytest.raises(Conflict, match="imported already"):
        season_files.import_season(season.sessions, season.actor, file_id, seen.stamp, take_changes=True)
    history.undo(season.sessions, season.actor)
    assert [(row.number, row.wetness) for row in rows(season, SeriesWeekRow)] == [(1, "dry")]
    assert [row.name for row in rows(season, Series)] == ["Cup"]
    history.redo(season.sessions, season.actor)
    assert [(row.number, row.wetness) for row in rows(season, SeriesWeekRow)] == [(1, "wet"), (2, "dry"), (3, "dry")]


def test_taking_a_season_back_leaves_what_laps_hang_on(season: Season) -> None:
    file_id = season_files.upload(season.sessions, season.actor, "cup.season.csv", write_season([season.facts(1)]))
    stamp = season_files.preview(season.sessions, season.actor, file_id).stamp
    season_files.import_season(season.sessions, season.actor, file_id, stamp, take_changes=False)
    season.drive("Ysolde Farrand", datetime(2031, 4, 8, 18, tzinfo=UTC), [70, 66, 65.5])
    entry = next(
        item for item in history.history(season.sessions, season.actor).items if item.action == "season.import"
    )
    history.undo(season.sessions, season.actor, entry.id)
    assert not rows(season, SeriesWeekRow) and len(rows(season, Combination)) == 1


def test_nothing_is_written_over_that_nobody_saw(season: Season) -> None:
    there = season.week(1)
    file_id = season_files.upload(
        season.sessions, season.actor, "cup.season.csv", write_season([season.facts(1, wetness="wet")])
    )
    seen = season_files.preview(season.sessions, season.actor, file_id)
    series.change_week(season.sessions, season.actor, there.id, there.version, season.facts(1, note="low sun at T3"))
    with pytest.raises(Conflict, match="changed since you looked"):
        season_files.import_season(season.sessions, season.actor, file_id, seen.stamp, take_changes=True)
    assert [(row.wetness, row.note) for row in rows(season, SeriesWeekRow)] == [("dry", "low sun at T3")]
    again = season_files.preview(season.sessions, season.actor, file_id)
    assert again.weeks[0].differs == ("wetness", "note")
    season_files.import_season(season.sessions, season.actor, file_id, again.stamp, take_changes=True)
    assert [(row.wetness, row.note) for row in rows(season, SeriesWeekRow)] == [("wet", None)]


def test_a_week_that_stays_as_it_is_keeps_its_days_against_the_file(season: Season) -> None:
    """The file moves week 1 back by a week and puts week 2 in its place; whoever keeps week 1 can't have week 2
    there.
    """
    season.week(1)
    moved = [
        season.facts(1, begins=MONDAY - timedelta(weeks=1), ends=MONDAY),
        season.facts(2, begins=MONDAY, ends=MONDAY + timedelta(weeks=1)),
    ]
    for take_changes, expected in ((False, [(1, MONDAY)]), (True, [(1, MONDAY - timedelta(weeks=1)), (2, MONDAY)])):
        file_id = season_files.upload(season.sessions, season.actor, "cup.season.csv", write_season(moved))
        stamp = season_files.preview(season.sessions, season.actor, file_id).stamp
        done = season_files.import_season(season.sessions, season.actor, file_id, stamp, take_changes=take_changes)
        assert (done.added, done.kept, done.set_aside) == ((1, 0, 0) if take_changes else (0, 1, 1))
        assert [(row.number, row.begins) for row in rows(season, SeriesWeekRow)] == expected


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"ends": MONDAY}, "isn't after it begins"),
        ({"zone": "Atlantis/Lost", "starts": None}, "Atlantis/Lost is not a time zone"),
        ({"zone": "Atlantis/Lost"}, "Atlantis/Lost is not a time zone"),
        ({"starts": "now and then"}, "start times can't be read"),
        ({"starts": "every 90min from 20:00 to 10:00"}, "never fires"),
    ],
)
def test_a_week_that_nobody_can_mean_is_refused_and_leaves_nothing(
    season: Season, changes: dict[str, Any], message: str
) -> None:
    with pytest.raises(Refused, match=message):
        season.week(1, **changes)
    assert not rows(season, SeriesWeekRow)
    good = season.week(1)
    with pytest.raises(Refused, match=message):
        series.change_week(season.sessions, season.actor, good.id, good.version, season.facts(1, **changes))
    assert season.board()["columns"][0]["number"] == 1


def test_drivers_are_entered_for_a_whole_season_in_one_act_and_taken_out_again(season: Season) -> None:
    weeks = [season.week(number).id for number in (1, 2, 3)]
    both = list(season.drivers.values())
    assert entries.enter(season.sessions, season.actor, weeks[:1], both[:1], "must") == 1
    assert entries.enter(season.sessions, season.actor, weeks, both, "want") == 5
    assert sorted(row.importance for row in rows(season, Entry)) == ["must", *["want"] * 5]
    history.undo(season.sessions, season.actor)
    assert len(rows(season, Entry)) == 1
    with pytest.raises(Conflict, match="Somebody is entered"):
        series.remove_week(season.sessions, season.actor, weeks[0])


def test_an_entry_is_changed_by_one_at_a_time_and_handed_over(season: Season) -> None:
    first, second = season.week(1), season.week(2)
    entries.enter(season.sessions, season.actor, [first.id], list(season.drivers.values()), "want")
    mine = _entry(season, "Ysolde Farrand")
    changed = entries.change_entry(
        season.sessions,
        season.actor,
        mine.public_id,
        mine.version,
        {"starts": [first.start_times[1], first.start_times[0]]},
    )
    assert changed.starts == first.start_times[:2]
    with pytest.raises(Outdated):
        entries.change_entry(season.sessions, season.actor, mine.public_id, mine.version, {"importance": "must"})
    with pytest.raises(Conflict, match="entered there already"):
        entries.move_entry(
            season.sessions, season.actor, mine.public_id, changed.version, first.id, season.drivers["Corin Ashgrove"]
        )
    moved = entries.move_entry(
        season.sessions, season.actor, mine.public_id, changed.version, second.id, season.drivers["Ysolde Farrand"]
    )
    assert (moved.week_id, moved.starts) == (second.id, ()), "another week has other starts"


def test_a_driver_chooses_the_own_starts_and_nothing_else(season: Season) -> None:
    made = season.week(1)
    entries.enter(season.sessions, season.actor, [made.id], list(season.drivers.values()), "want")
    mine, theirs = _entry(season, "Ysolde Farrand"), _entry(season, "Corin Ashgrove")
    driver = add_person(season.sessions, season.actor, "Ysolde Farrand", "driver", mine.driver_id)
    changed = entries.change_entry(
        season.sessions, driver, mine.public_id, mine.version, {"starts": [made.start_times[0]], "note": "late shift"}
    )
    assert changed.note == "late shift"
    with pytest.raises(Refused, match="your own starts"):
        entries.change_entry(season.sessions, driver, mine.public_id, changed.version, {"importance": "must"})
    for ask in (
        lambda: entries.entry(season.sessions, driver, theirs.public_id),
        lambda: _write(season, driver, theirs),
    ):
        with pytest.raises(NotThere):
            ask()
    own = profiles.profiles(season.sessions, driver)
    assert [item.name for item in own] == ["Ysolde Farrand"]
    with pytest.raises(NotThere):
        profiles.change_profile(season.sessions, driver, season.drivers["Corin Ashgrove"], 1, {"nickname": "Ash"})


def _write(season: Season, driver: Any, row: Entry) -> None:
    entries.change_entry(season.sessions, driver, row.public_id, row.version, {"note": "x"})


def _entry(season: Season, name: str) -> Entry:
    with season.sessions() as session:
        found = entries.entries_of_weeks(
            session, season.actor, [row.id for row in session.scalars(select(SeriesWeekRow))]
        )
    public = next(item.id for item in found if item.driver == name)
    return next(row for row in rows(season, Entry) if row.public_id == public)


def test_a_car_and_a_profile_are_kept_as_written_and_nonsense_is_refused(season: Season) -> None:
    season.week(1)
    (row,) = cars.cars(season.sessions, season.actor)
    seen = cars.car(season.sessions, season.actor, row.id)
    setting = {
        "name": "Brake balance",
        "unit": "%",
        "low": 50.0,
        "high": 60.0,
        "step": 0.5,
        "default": 56.0,
        "does": "More is safer.",
    }
    values = {
        **{name: getattr(seen, name) for name in seen.__slots__},
        "settings": [setting],
        "traits": ["Light behind."],
        "restricted": True,
    }
    changed = cars.change_car(
        season.sessions, season.actor, row.id, seen.version, values, [season.drivers["Ysolde Farrand"]]
    )
    assert (changed.settings, changed.traits, changed.driver_ids) == (
        (setting,),
        ("Light behind.",),
        (season.drivers["Ysolde Farrand"],),
    )
    assert [week.number for week in changed.weeks] == [1]
    assert [
        car.name for car in profiles.profile(season.sessions, season.actor, season.drivers["Ysolde Farrand"]).cars
    ] == ["Truck A"]
    history.undo(season.sessions, season.actor)
    before = cars.car(season.sessions, season.actor, row.id)
    assert (before.settings, before.driver_ids, before.restricted) == ((), (), False)
    history.redo(season.sessions, season.actor)
    changed = cars.car(season.sessions, season.actor, row.id)
    assert changed.driver_ids == (season.drivers["Ysolde Farrand"],)
    for bad in ({**setting, "high": 40.0}, {**setting, "default": 99.0}):
        with pytest.raises(Refused):
            cars.change_car(season.sessions, season.actor, row.id, changed.version, {**values, "settings": [bad]}, [])
    with pytest.raises(Conflict):
        cars.remove_car(season.sessions, season.actor, row.id)
    with pytest.raises(Refused, match="not a time zone"):
        profiles.change_profile(
            season.sessions, season.actor, season.drivers["Ysolde Farrand"], 1, {"zone": "Atlantis/Lost"}
        )
    slot = {"begins": "2031-04-08T20:00:00", "ends": "2031-04-08T19:00:00"}
    with pytest.raises(Refused, match="ends before it begins"):
        profiles.change_profile(
            season.sessions, season.actor, season.drivers["Ysolde Farrand"], 1, {"availability": {"extra": [slot]}}
        )


def test_a_calendar_holds_the_weeks_and_the_starts_with_the_same_instants(season: Season) -> None:
    made = season.week(1)
    season.week(2)
    entries.enter(season.sessions, season.actor, [made.id], list(season.drivers.values()), "want")
    for name in season.drivers:
        row = _entry(season, name)
        entries.change_entry(
            season.sessions, season.actor, row.public_id, row.version, {"starts": [made.start_times[3]]}
        )
    _, content = calendars.series_calendar(season.sessions, season.actor, season.series_id)
    events = icalendar.Calendar.from_ical(content).walk("VEVENT")
    starts = [event.decoded("dtstart") for event in events if isinstance(event.decoded("dtstart"), datetime)]
    assert tuple(starts[:14]) == made.start_times and len(starts) == 28
    driver = add_person(
        season.sessions, season.actor, "Ysolde Farrand", "driver", _entry(season, "Ysolde Farrand").driver_id
    )
    address, token = calendars.make_address(season.sessions, driver, "Phone")
    whose = calendars.address_of(season.sessions, token)
    assert whose == driver
    own = icalendar.Calendar.from_ical(calendars.subscribed(season.sessions, driver)).walk("VEVENT")
    assert [event.decoded("dtstart") for event in own] == [MONDAY, made.start_times[3]]
    assert "Corin" not in calendars.subscribed(season.sessions, driver).decode()
    both = icalendar.Calendar.from_ical(calendars.subscribed(season.sessions, season.actor)).walk("VEVENT")
    assert [str(event["summary"]) for event in both if isinstance(event.decoded("dtstart"), datetime)] == [
        f"Cup: {season.track}, {season.layout} (Corin Ashgrove, Ysolde Farrand)"
    ]
    with pytest.raises(NotThere):
        calendars.revoke_address(season.sessions, season.actor, address.id)
    calendars.revoke_address(season.sessions, driver, address.id)
    assert calendars.address_of(season.sessions, token) is None


def test_weeks_and_cars_are_found_those_that_come_first(season: Season) -> None:
    far = now().date() + timedelta(days=400)
    for number, begins in ((1, far - timedelta(days=800)), (2, far), (3, far - timedelta(days=380))):
        season.week(number, begins=begins, ends=begins + timedelta(days=7))
    assert [item.title for item in search.search(season.sessions, season.actor, "CUP")] == [
        "Cup, week 3",
        "Cup, week 2",
        "Cup, week 1",
    ]
    (hit,) = search.search(season.sessions, season.actor, "cup week 2")
    assert hit.week_id and season.track in hit.more
    car = next(item for item in search.search(season.sessions, season.actor, "truck") if item.kind == "car")
    assert (car.title, cars.car(season.sessions, season.actor, car.car_id or far).name) == ("Truck A", "Truck A")  # type: ignore[arg-type]


def test_weeks_know_each_other_by_facts_alone() -> None:
    week = SeriesWeek("Cup", 1, "UTC", MONDAY, MONDAY + timedelta(weeks=1))
    assert week.differences(replace(week, grid=20, wetness="wet")) == ("grid", "wetness")
