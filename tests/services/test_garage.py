"""Cars, drivers, shared things, series and entries: names that are free, ranges that make sense, versions, roles,
and the way back.
"""

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, timedelta
from typing import Any
from uuid import uuid4

import pytest
from sqlalchemy import select

from fleet_rival.db.tables import Driver
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.shared.search import search
from fleet_rival.services.track import tracks
from fleet_rival.services.week import cars, combinations, entries, profiles, series
from tests.services.conftest import NOON, Season

CAR: dict[str, Any] = {
    "car_class": "truck",
    "drive": " rear ",
    "note": "",
    "gears": 6,
    "limiter_rpm": 9000,
    "cold_laps": 2,
    "tank_l": 44.5,
    "battery_kwh": None,
    "shift_rpm": [8000, 8100],
    "assists": ["ABS"],
    "settings": [],
    "traits": ["Slides."],
    "restricted": False,
}
HOURS = {"weekly": [{"days": [0, 2], "begins": "18:30", "ends": "22:00"}], "off": [], "extra": []}


@pytest.fixture
def driver(season: Season) -> Actor:
    with season.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
    return add_person(season.sessions, season.actor, "Ysolde Farrand", "driver", key)


def test_a_car_keeps_what_is_written_and_comes_back(season: Season) -> None:
    made = cars.add_car(season.sessions, season.actor, "  Truck   Z ")
    assert made.name == "Truck Z"
    with pytest.raises(Conflict, match="Truck Z already"):
        cars.add_car(season.sessions, season.actor, "Truck Z")
    seen = cars.change_car(season.sessions, season.actor, made.id, made.version, {**CAR, "name": "Truck Y"}, ())
    assert (seen.name, seen.drive, seen.note, seen.shift_rpm, seen.tank_l) == (
        "Truck Y",
        "rear",
        None,
        (8000, 8100),
        44.5,
    )
    with pytest.raises(Outdated):
        cars.change_car(season.sessions, season.actor, made.id, made.version, {**CAR, "name": "Truck X"}, ())
    other = cars.add_car(season.sessions, season.actor, "Van")
    with pytest.raises(Conflict, match="Van already"):
        cars.change_car(season.sessions, season.actor, made.id, seen.version, {**CAR, "name": "Van"}, ())
    cars.remove_car(season.sessions, season.actor, other.id)
    with pytest.raises(NotThere):
        cars.car(season.sessions, season.actor, other.id)
    history.undo(season.sessions, season.actor)
    assert cars.car(season.sessions, season.actor, other.id).name == "Van"
    assert [item.name for item in cars.cars(season.sessions, season.actor)] == ["Truck Y", "Van"]


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ([{"name": "Wing", "low": 5.0, "high": 5.0}], "Wing has an empty range, 5 to 5"),
        ([{"name": "Wing", "low": 1.0, "high": 5.0, "default": 6.0}], "Wing is 6 by default, outside"),
        ([{"name": "Wing", "low": 1.0, "high": None, "default": 0.5}], "Wing is 0.5 by default, outside"),
        ([{"name": "Wing"}, {"name": "wing"}], "stands there twice"),
    ],
)
def test_settings_that_cannot_be_are_refused(season: Season, settings: list[dict[str, Any]], words: str) -> None:
    made = cars.add_car(season.sessions, season.actor, "Truck Z")
    with pytest.raises(Refused, match=words):
        cars.change_car(
            season.sessions, season.actor, made.id, made.version, {**CAR, "name": "Truck Z", "settings": settings}, ()
        )
    assert cars.car(season.sessions, season.actor, made.id).version == made.version


def test_only_named_drivers_may_drive_a_restricted_car(season: Season) -> None:
    made = cars.add_car(season.sessions, season.actor, "Truck Z")
    one, two = season.drivers.values()
    values = {**CAR, "name": "Truck Z", "restricted": True}
    with pytest.raises(NotThere, match="One of these drivers"):
        cars.change_car(season.sessions, season.actor, made.id, made.version, values, [one, uuid4()])
    seen = cars.change_car(season.sessions, season.actor, made.id, made.version, values, [one, two])
    assert set(seen.driver_ids) == {one, two}
    seen = cars.change_car(season.sessions, season.actor, made.id, seen.version, values, [two])
    assert seen.driver_ids == (two,)
    allowed = {item.id: [car.name for car in item.cars] for item in profiles.profiles(season.sessions, season.actor)}
    assert (allowed[one], allowed[two]) == ([], ["Truck Z"])
    history.undo(season.sessions, season.actor)
    assert set(cars.car(season.sessions, season.actor, made.id).driver_ids) == {one, two}
    seen = cars.car(season.sessions, season.actor, made.id)
    opened = cars.change_car(
        season.sessions, season.actor, made.id, seen.version, {**values, "restricted": False}, [one]
    )
    assert opened.driver_ids == (), "a car that is open to all needs no list"


def test_a_car_that_weeks_have_stays(season: Season) -> None:
    season.week(1)
    made = next(item for item in cars.cars(season.sessions, season.actor) if item.name == "Truck A")
    with pytest.raises(Conflict, match="have this car"):
        cars.remove_car(season.sessions, season.actor, made.id)
    seen = cars.car(season.sessions, season.actor, made.id)
    assert [(item.series, item.number) for item in seen.weeks] == [("Cup", 1)] and len(seen.places) == 1


def test_what_a_car_uses_is_seen_from_its_laps(season: Season) -> None:
    season.week(1)
    fuel = {"fuel_l": 40.0}
    season.drive("Ysolde Farrand", NOON, [70, *[66.0 + n / 10 for n in range(6)]], **fuel)
    season.board()
    made = next(item for item in cars.cars(season.sessions, season.actor) if item.name == "Truck A")
    assert cars.car(season.sessions, season.actor, made.id).consumption == (), (
        "the same on board at each lap tells nothing"
    )


def test_a_profile_is_written_by_the_driver_or_by_those_who_lead(season: Season, driver: Actor) -> None:
    own, other = season.drivers["Ysolde Farrand"], season.drivers["Corin Ashgrove"]
    before = profiles.profile(season.sessions, driver, own)
    seen = profiles.change_profile(
        season.sessions,
        driver,
        own,
        before.version,
        {"nickname": " Yso ", "zone": "Europe/Oslo", "availability": HOURS},
    )
    assert (seen.nickname, seen.zone) == ("Yso", "Europe/Oslo")
    with pytest.raises(Outdated):
        profiles.change_profile(season.sessions, season.actor, own, before.version, {"nickname": "x"})
    for act in (
        lambda: profiles.change_profile(season.sessions, driver, other, 1, {"nickname": "x"}),
        lambda: profiles.profile(season.sessions, driver, other),
    ):
        with pytest.raises(NotThere):
            act()
    assert [item.name for item in profiles.profiles(season.sessions, driver)] == ["Ysolde Farrand"]
    history.undo(season.sessions, driver)
    assert profiles.profile(season.sessions, driver, own).nickname is None


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"zone": "Atlantis/Lost"}, "not a time zone"),
        (
            {"availability": {**HOURS, "weekly": [{"days": [], "begins": "18:00", "ends": "20:00"}]}},
            "hours can't be meant",
        ),
        (
            {"availability": {**HOURS, "off": [{"first": "2031-04-02", "last": "2031-04-01", "why": None}]}},
            "hours can't be meant",
        ),
    ],
)
def test_a_profile_that_nobody_can_mean_is_refused(season: Season, values: dict[str, Any], words: str) -> None:
    own = season.drivers["Ysolde Farrand"]
    with pytest.raises(Refused, match=words):
        profiles.change_profile(season.sessions, season.actor, own, 1, values)
    assert profiles.profile(season.sessions, season.actor, own).version == 1


def test_a_driver_with_laps_entries_or_an_account_stays(season: Season, driver: Actor) -> None:
    with pytest.raises(Conflict, match="Corin Ashgrove already"):
        profiles.add_driver(season.sessions, season.actor, "Corin Ashgrove")
    with pytest.raises(Conflict, match="laps, entries or an account"):
        profiles.remove_driver(season.sessions, season.actor, season.drivers["Ysolde Farrand"])
    profiles.remove_driver(season.sessions, season.actor, season.drivers["Corin Ashgrove"])
    history.undo(season.sessions, season.actor)
    assert len(profiles.profiles(season.sessions, season.actor)) == 2


def test_shared_things_are_written_booked_and_removed(season: Season) -> None:
    with pytest.raises(Refused, match="is not one of"):
        profiles.add_resource(season.sessions, season.actor, "Sofa", "sofa")
    rig = profiles.add_resource(season.sessions, season.actor, "Cellar rig", "rig")
    with pytest.raises(Conflict, match="Cellar rig already"):
        profiles.add_resource(season.sessions, season.actor, "Cellar rig", "coach")
    values = {"name": "Attic rig", "zone": "UTC", "availability": HOURS, "note": " quiet "}
    seen = profiles.change_resource(season.sessions, season.actor, rig.id, rig.version, values)
    assert (seen.name, seen.note) == ("Attic rig", "quiet")
    with pytest.raises(Outdated):
        profiles.change_resource(season.sessions, season.actor, rig.id, rig.version, values)
    made = season.week(1)
    entries.enter(season.sessions, season.actor, [made.id], [season.drivers["Ysolde Farrand"]], "must")
    (entry,) = entry_views(season)
    changed = entries.change_entry(season.sessions, season.actor, entry.id, entry.version, {"resource_id": rig.id})
    with pytest.raises(Conflict, match="booked on it"):
        profiles.remove_resource(season.sessions, season.actor, rig.id)
    entries.change_entry(season.sessions, season.actor, entry.id, changed.version, {"resource_id": None})
    profiles.remove_resource(season.sessions, season.actor, rig.id)
    assert profiles.resources(season.sessions, season.actor) == []


def entry_views(season: Season, actor: Actor | None = None) -> list[Any]:
    from fleet_rival.services.week.rows import load_weeks

    with season.sessions() as session:
        return entries.entries_of_weeks(
            session, actor or season.actor, [item.row.id for item in load_weeks(session, season.actor)]
        )


def test_series_and_weeks_are_renamed_removed_and_brought_back(season: Season) -> None:
    made = season.week(1)
    with pytest.raises(Conflict, match="Cup already"):
        series.add_series(season.sessions, season.actor, " Cup ")
    other = series.add_series(season.sessions, season.actor, "Trophy", "in winter")
    with pytest.raises(Conflict, match="Cup already"):
        series.change_series(season.sessions, season.actor, other.id, other.version, "Cup", None)
    series.change_series(season.sessions, season.actor, season.series_id, 1, "Bowl", " new name ")
    assert series.week(season.sessions, season.actor, made.id).facts.series == "Bowl"
    with pytest.raises(Outdated):
        series.change_series(season.sessions, season.actor, season.series_id, 1, "Pot", None)
    entries.enter(season.sessions, season.actor, [made.id], list(season.drivers.values()), "want")
    for act in (
        lambda: series.remove_series(season.sessions, season.actor, season.series_id),
        lambda: series.remove_week(season.sessions, season.actor, made.id),
    ):
        with pytest.raises(Conflict, match="Take the entries out first"):
            act()
    entries.remove_entries(season.sessions, season.actor, [entry.id for entry in entry_views(season)])
    series.remove_series(season.sessions, season.actor, season.series_id)
    assert [item.name for item in series.series(season.sessions, season.actor)] == ["Trophy"]
    for _ in range(2):
        history.undo(season.sessions, season.actor)
    assert [item.name for item in series.series(season.sessions, season.actor)] == ["Bowl", "Trophy"]
    assert len(entry_views(season)) == 2
    with pytest.raises(NotThere):
        series.week(season.sessions, season.actor, uuid4())


def test_entries_are_made_once_changed_moved_and_taken_out(season: Season, driver: Actor) -> None:
    first, second = season.week(1, cars=("Truck A", "Truck B")), season.week(2)
    one, two = season.drivers["Corin Ashgrove"], season.drivers["Ysolde Farrand"]
    assert entries.enter(season.sessions, season.actor, [first.id, second.id], [one, two], "want") == 4
    assert entries.enter(season.sessions, season.actor, [first.id], [one, two], "must") == 0, (
        "who is entered stays as they are"
    )
    with pytest.raises(Refused, match="is not one of"):
        entries.enter(season.sessions, season.actor, [first.id], [one], "maybe")
    with pytest.raises(Refused, match="at once"):
        entries.enter(
            season.sessions, season.actor, [uuid4() for _ in range(100)], [uuid4() for _ in range(100)], "want"
        )
    own = next(entry for entry in entry_views(season, driver) if entry.week_id == first.id)
    assert {entry.driver for entry in entry_views(season, driver)} == {"Ysolde Farrand"}
    starts = [first.start_times[3], first.start_times[1], first.start_times[3]]
    changed = entries.change_entry(
        season.sessions, driver, own.id, own.version, {"starts": starts, "note": " in the evening "}
    )
    assert changed.starts == (first.start_times[1], first.start_times[3]) and changed.note == "in the evening"
    with pytest.raises(Refused, match="own starts"):
        entries.change_entry(season.sessions, driver, own.id, changed.version, {"importance": "must"})
    with pytest.raises(Outdated):
        entries.change_entry(season.sessions, season.actor, own.id, own.version, {"importance": "must"})
    theirs = next(entry for entry in entry_views(season) if entry.driver_id == one and entry.week_id == first.id)
    for act in (
        lambda: entries.change_entry(season.sessions, driver, theirs.id, theirs.version, {"note": "x"}),
        lambda: entries.entry(season.sessions, driver, theirs.id),
    ):
        with pytest.raises(NotThere):
            act()
    with pytest.raises(Conflict, match="entered there already"):
        entries.move_entry(season.sessions, season.actor, own.id, changed.version, first.id, one)
    entries.remove_entries(
        season.sessions, season.actor, [entry.id for entry in entry_views(season) if entry.week_id == second.id]
    )
    moved = entries.move_entry(season.sessions, season.actor, own.id, changed.version, second.id, two)
    assert moved.week_id == second.id and moved.starts == (), "starts are another week's"
    history.undo(season.sessions, season.actor)
    assert entries.entry(season.sessions, season.actor, own.id).starts == changed.starts


def test_a_start_in_any_zone_is_kept_as_the_same_moment(season: Season) -> None:
    made = season.week(1)
    entries.enter(season.sessions, season.actor, [made.id], [season.drivers["Ysolde Farrand"]], "want")
    (entry,) = entry_views(season)
    from zoneinfo import ZoneInfo

    elsewhere = made.start_times[0].astimezone(ZoneInfo("Asia/Kolkata"))
    changed = entries.change_entry(season.sessions, season.actor, entry.id, entry.version, {"starts": [elsewhere]})
    assert changed.starts == (made.start_times[0],) and changed.starts[0].tzinfo is UTC


def test_search_finds_weeks_tracks_and_cars_and_nothing_of_another_team(season: Season) -> None:
    season.week(1)
    stranger = make_team(season.sessions, "Elsewhere", "Somebody Else")

    def found(text: str, actor: Actor | None = None) -> list[tuple[str, str]]:
        return [(item.kind, item.title) for item in search(season.sessions, actor or season.actor, text)]

    assert ("track", f"{season.track}, {season.layout}") in found(season.track.split()[0].lower())
    assert ("week", "Cup, week 1") in found("cup") and ("car", "Truck A") in found("truck")
    assert ("driver", "Ysolde Farrand") in found("ysol")
    place = next(item for item in search(season.sessions, season.actor, season.track) if item.kind == "track")
    assert place.layout_id == tracks.layouts(season.sessions, season.actor)[0].id and place.combination_id is None
    assert found("zzz") == found("   ") == [] and found("cup", stranger) == found(season.track, stranger) == []


Act = Callable[[], Any]


def test_everything_is_taken_back_to_the_beginning_and_done_again_to_the_end(season: Season) -> None:
    """A week's work in one chain, and the same state at each step on the way back and forth."""

    def state() -> Any:
        return (
            [(item.name, item.restricted, item.drivers) for item in cars.cars(season.sessions, season.actor)],
            [
                (item.name, item.nickname, item.availability)
                for item in profiles.profiles(season.sessions, season.actor)
            ],
            [(item.name, item.note) for item in series.series(season.sessions, season.actor)],
            [(item.driver, item.importance, item.starts) for item in entry_views(season)],
            [(item.car, item.note, item.target) for item in combinations.combinations(season.sessions, season.actor)],
            [(item.track, item.layout) for item in tracks.layouts(season.sessions, season.actor)],
        )

    def book_hours() -> None:
        own = season.drivers["Ysolde Farrand"]
        profiles.change_profile(season.sessions, season.actor, own, 1, {"availability": HOURS, "nickname": "Yso"})

    def restrict() -> None:
        made = next(item for item in cars.cars(season.sessions, season.actor) if item.name == "Truck A")
        seen = cars.car(season.sessions, season.actor, made.id)
        values = {**CAR, "name": "Truck A", "restricted": True}
        cars.change_car(
            season.sessions, season.actor, made.id, seen.version, values, [season.drivers["Ysolde Farrand"]]
        )

    def choose() -> None:
        entry = next(item for item in entry_views(season) if item.driver == "Ysolde Farrand")
        entries.change_entry(
            season.sessions,
            season.actor,
            entry.id,
            entry.version,
            {"starts": [NOON + timedelta(hours=6)], "importance": "must"},
        )

    def note() -> None:
        made = combinations.combinations(season.sessions, season.actor)[0]
        combinations.change_combination(
            season.sessions, season.actor, made.id, made.version, "Mind the bump.", {"cold_laps": 1}
        )

    def rename_week() -> None:
        seen = series.week(season.sessions, season.actor, weeks[0].id)
        series.change_week(season.sessions, season.actor, seen.id, seen.version, replace(seen.facts, note="x"))

    weeks: list[Any] = []
    acts: list[Act] = [
        lambda: weeks.append(season.week(1, cars=("Truck A", "Truck B"))),
        book_hours,
        restrict,
        lambda: entries.enter(season.sessions, season.actor, [weeks[0].id], list(season.drivers.values()), "want"),
        choose,
        note,
        lambda: series.add_series(season.sessions, season.actor, "Trophy"),
        rename_week,
    ]
    states = [state()]
    for act in acts:
        act()
        states.append(state())
    assert len({repr(item) for item in states}) >= len(acts), "each act shows"
    for before in reversed(states[:-1]):
        history.undo(season.sessions, season.actor)
        assert state() == before
    for after in states[1:]:
        history.redo(season.sessions, season.actor)
        assert state() == after
    with pytest.raises(Conflict, match="nothing to do again"):
        history.redo(season.sessions, season.actor)
