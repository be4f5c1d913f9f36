"""Undo and redo: as a person expects it, row for row, and never over what somebody else did."""

from typing import Any
from uuid import UUID

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.recording import NotRecorded
from fleet_rival.db.tables import Base, Car, Driver, Lap, LapFileRow, Membership
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.importing import Wishes
from fleet_rival.services.people import members
from fleet_rival.services.people.team import add_person, make_team
from fleet_rival.services.plan import rules
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import example, manager_of

Sessions = sessionmaker[Session]
PLAIN = example("dirty/practice.plain.laps.csv")
NO_SETTINGS: dict[str, Any] = {}


class Desk:
    def __init__(self, sessions: Sessions, actor: Actor, layout: UUID) -> None:
        self.sessions = sessions
        self.actor = actor
        self.combinations = [
            combinations.add_combination(sessions, actor, layout, car).id for car in ("Truck A", "Truck B")
        ]

    def write(self, index: int, note: str | None, actor: Actor | None = None) -> None:
        seen = combinations.combination(self.sessions, self.actor, self.combinations[index])
        combinations.change_combination(self.sessions, actor or self.actor, seen.id, seen.version, note, NO_SETTINGS)

    def notes(self) -> list[str | None]:
        return [combinations.combination(self.sessions, self.actor, key).note for key in self.combinations]

    def import_file(self, content: bytes = PLAIN) -> UUID:
        seen = combinations.combination(self.sessions, self.actor, self.combinations[0])
        file_id = files.upload(self.sessions, self.actor, seen.id, "practice.laps.csv", content)
        importing.confirm(self.sessions, self.actor, file_id, Wishes(seen.revision))
        return history.history(self.sessions, self.actor).items[0].id

    def rows(self, *tables: type[Base]) -> list[Any]:
        """Everything that people entered, but for versions, which count how often."""
        with self.sessions() as session:
            return [
                [
                    {name: value for name, value in row._mapping.items() if name not in ("version", "revision")}
                    for row in session.execute(select(table.__table__))
                ]
                for table in tables
            ]


@pytest.fixture
def desk(sessions: Sessions) -> Desk:
    actor = manager_of(sessions)
    return Desk(sessions, actor, tracks.add_track(sessions, actor, example("dirty/practice.track.json")).id)


STEPS = st.lists(
    st.one_of(st.tuples(st.integers(0, 1), st.sampled_from(["a", "b", None])), st.sampled_from(["undo", "redo"])),
    max_size=16,
)


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(steps=STEPS)
def test_any_order_of_changing_taking_back_and_doing_again_is_as_on_paper(desk: Desk, steps: list[Any]) -> None:
    for index in (0, 1):
        desk.write(index, None)
    begin = history.history(desk.sessions, desk.actor).items[0].number
    past: list[list[str | None]] = []
    future: list[list[str | None]] = []
    now = desk.notes()
    for step in steps:
        if step == "undo":
            if past:
                future.append(now)
                now = past.pop()
                history.undo(desk.sessions, desk.actor)
        elif step == "redo":
            if future:
                past.append(now)
                now = future.pop()
                history.redo(desk.sessions, desk.actor)
            elif not past:
                continue
            else:
                with pytest.raises(Conflict, match="nothing to do again"):
                    history.redo(desk.sessions, desk.actor)
        else:
            index, note = step
            if now[index] == note:
                continue  # no change is no step
            past, future = [*past, now], []
            now = [note if place == index else old for place, old in enumerate(now)]
            desk.write(index, note)
        assert desk.notes() == now
    assert history.history(desk.sessions, desk.actor).items[0].number >= begin


def test_an_import_comes_back_row_for_row_with_all_that_hung_on_it(desk: Desk) -> None:
    before = desk.rows(Lap, Driver)
    entry = desk.import_file()
    after = desk.rows(Lap, Driver)
    for _ in range(3):
        history.undo(desk.sessions, desk.actor, entry)
        assert desk.rows(Lap, Driver) == before
        with desk.sessions() as session:
            assert session.scalars(select(LapFileRow.state)).all() == ["taken_back"]
        history.redo(desk.sessions, desk.actor, entry)
        restored = desk.rows(Lap, Driver)
        assert [[{**row, "change_set_id": 0} for row in rows] for rows in restored] == [
            [{**row, "change_set_id": 0} for row in rows] for rows in after
        ]


def test_what_somebody_else_changed_since_is_told_and_left_alone(desk: Desk) -> None:
    other = add_person(desk.sessions, desk.actor, "Idrik Fenwold", "coach")
    desk.write(0, "mine")
    mine = history.history(desk.sessions, desk.actor).items[0].id
    desk.write(0, "theirs", other)
    with pytest.raises(
        Conflict, match=r"changed since\. Idrik Fenwold did the last: Changed Truck A.*Take that back first"
    ):
        history.undo(desk.sessions, desk.actor)
    assert desk.notes()[0] == "theirs"
    # What they take back themselves is out of the way again.
    history.undo(desk.sessions, other)
    history.undo(desk.sessions, desk.actor, mine)
    assert desk.notes()[0] is None
    history.redo(desk.sessions, desk.actor)
    history.redo(desk.sessions, other)
    assert desk.notes()[0] == "theirs"


def test_writing_needs_the_version_that_was_read(desk: Desk) -> None:
    seen = combinations.combination(desk.sessions, desk.actor, desk.combinations[0])
    desk.write(0, "first")
    with pytest.raises(Outdated):
        combinations.change_combination(desk.sessions, desk.actor, seen.id, seen.version, "second", NO_SETTINGS)
    assert desk.notes()[0] == "first"


def test_laps_that_came_later_keep_what_they_need(desk: Desk) -> None:
    first = desk.import_file()
    desk.import_file(b"driver,session,lap,time\nKeziah Umberlin,9,1,20.7\n")
    history.undo(desk.sessions, desk.actor, first)
    laps, drivers = desk.rows(Lap, Driver)
    assert len(laps) == 1 and [row["name"] for row in drivers if row["id"] == laps[0]["driver_id"]] == [
        "Keziah Umberlin"
    ]
    history.redo(desk.sessions, desk.actor, first)
    assert len(desk.rows(Lap)[0]) == 73


def test_each_role_takes_back_what_it_may_do(desk: Desk) -> None:
    coach = add_person(desk.sessions, desk.actor, "Idrik Fenwold", "coach")
    driver = add_person(desk.sessions, desk.actor, "Ysolde Farrand", "driver")
    members.change_team(desk.sessions, desk.actor, 1, "Farhaven", False, {})
    renamed = history.history(desk.sessions, desk.actor).items[0].id
    with pytest.raises(Conflict, match="As coach you can't do this"):
        history.undo(desk.sessions, coach, renamed)
    desk.write(0, "by the manager")
    written = history.history(desk.sessions, desk.actor).items[0].id
    with pytest.raises(NotThere):
        history.undo(desk.sessions, driver, written)
    assert not [entry for entry in history.history(desk.sessions, driver).items if entry.person != "Ysolde Farrand"]
    stranger = make_team(desk.sessions, "Elsewhere", "Somebody Else")
    with pytest.raises(NotThere):
        history.undo(desk.sessions, stranger, written)
    assert not [entry for entry in history.history(desk.sessions, stranger).items if "Truck" in entry.summary]
    history.undo(desk.sessions, coach, written)
    assert desk.notes()[0] is None


def test_who_was_demoted_brings_nothing_back_that_is_no_longer_theirs_to_do(desk: Desk) -> None:
    """Made a manager, removed an accomplice, was demoted: neither undo nor redo, with or without an id, makes either
    a manager again.
    """
    other = add_person(desk.sessions, desk.actor, "Somebody", "manager")
    friend = add_person(desk.sessions, desk.actor, "Accomplice", "manager")

    def member(name: str) -> members.Member:
        return next(item for item in members.members(desk.sessions, desk.actor) if item.person == name)

    members.remove_member(desk.sessions, other, member("Accomplice").id)
    removal = history.history(desk.sessions, other, mine=True).items[0].id
    history.undo(desk.sessions, other)
    turned_back = history.history(desk.sessions, other, mine=True).items[0].id
    for role in ("coach", "driver"):
        shown = member("Somebody")
        members.change_member(desk.sessions, desk.actor, shown.id, shown.version, role, None)  # type: ignore[arg-type]
        demoted = Actor(other.team_id, other.person_id, role)
        for turn in (history.undo, history.redo):
            for which in (None, removal, turned_back):
                with pytest.raises(Conflict):
                    turn(desk.sessions, demoted, which)
        assert history.steps(desk.sessions, demoted) == history.Steps(None, None)
    assert member("Somebody").role == "driver"
    assert member("Accomplice").role == "manager" and friend.person_id


def test_the_plans_rules_are_a_managers_to_take_back_too(desk: Desk) -> None:
    other = add_person(desk.sessions, desk.actor, "Somebody", "manager")
    rules.change_rules(desk.sessions, other, 0, {}, {"walk": {"minutes": 50}})
    written = history.history(desk.sessions, other, mine=True).items[0].id
    demoted = Actor(other.team_id, other.person_id, "coach")
    for which in (None, written):
        with pytest.raises(Conflict):
            history.undo(desk.sessions, demoted, which)
    assert history.undo(desk.sessions, other, written).rows == 1


def test_a_driver_takes_back_what_is_the_own_and_nothing_of_the_team(desk: Desk) -> None:
    """A coach's acts stay a coach's: as a driver, the same person can't bring a note, an import of others' laps or
    an entry's points back.
    """
    coach = add_person(desk.sessions, desk.actor, "Somebody", "coach")
    desk.write(0, "dusty", coach)
    seen = combinations.combination(desk.sessions, coach, desk.combinations[0])
    file_id = files.upload(desk.sessions, coach, seen.id, "practice.laps.csv", PLAIN)
    importing.confirm(desk.sessions, coach, file_id, Wishes(seen.revision))
    own = next(
        item.id for item in history.history(desk.sessions, coach, mine=True).items if item.action == "laps.import"
    )
    with desk.sessions() as session:
        driver = session.scalars(select(Driver.id).where(Driver.name == "Keziah Umberlin")).one()
    demoted = Actor(coach.team_id, coach.person_id, "driver", driver)
    for which in (None, own):
        with pytest.raises(Conflict, match="can't do this any more"):
            history.undo(desk.sessions, demoted, which)
    # The own laps alone are the own.
    alone = b"driver,session,lap,time\nKeziah Umberlin,late,1,20.7\n"
    seen = combinations.combination(desk.sessions, demoted, desk.combinations[0])
    file_id = files.upload(desk.sessions, demoted, seen.id, "own.csv", alone)
    importing.confirm(desk.sessions, demoted, file_id, Wishes(seen.revision))
    assert history.undo(desk.sessions, demoted).rows == 2
    assert history.redo(desk.sessions, demoted).rows == 2


def test_a_team_keeps_a_manager_whatever_is_taken_back(desk: Desk) -> None:
    other = add_person(desk.sessions, desk.actor, "Idrik Fenwold", "coach")
    member = next(item for item in members.members(desk.sessions, desk.actor) if item.person == "Idrik Fenwold")
    members.change_member(desk.sessions, desk.actor, member.id, member.version, "manager", None)
    promoted = history.history(desk.sessions, desk.actor).items[0].id
    own = next(item for item in members.members(desk.sessions, desk.actor) if item.yourself)
    members.remove_member(desk.sessions, Actor(other.team_id, other.person_id, "manager"), own.id)
    with pytest.raises(Conflict, match="no manager"):
        history.undo(desk.sessions, Actor(other.team_id, other.person_id, "manager"), promoted)
    with pytest.raises(Conflict, match="needs a manager"):
        members.remove_member(desk.sessions, Actor(other.team_id, other.person_id, "manager"), member.id)
    # Taking the removal back lets the first one in again, as the same member.
    history.undo(desk.sessions, Actor(other.team_id, other.person_id, "manager"))
    with desk.sessions() as session:
        assert sorted(session.scalars(select(Membership.role))) == ["manager", "manager"]


def test_nothing_that_must_be_recorded_is_changed_without_a_record(desk: Desk) -> None:
    with pytest.raises(NotRecorded, match="car changed outside of a change set"), desk.sessions.begin() as session:
        session.scalars(select(Car).limit(1)).one().name = "Renamed"
    assert {row["name"] for row in desk.rows(Car)[0]} == {"Truck A", "Truck B"}


def test_a_history_tells_who_when_and_what_of_one_thing(desk: Desk) -> None:
    desk.write(0, "once")
    desk.write(1, "elsewhere")
    of_one = history.history(desk.sessions, desk.actor, ("combination", desk.combinations[0])).items
    assert [entry.summary.split(" on ")[0] for entry in of_one] == ["Changed Truck A", "Added Truck A"]
    assert all(entry.person == "Maren Holloway" and entry.standing for entry in of_one)
    _, changes = history.entry(desk.sessions, desk.actor, of_one[0].id)
    assert [(change.before, change.after) for change in changes] == [({"note": None}, {"note": "once"})]
    with pytest.raises(NotThere):
        history.history(desk.sessions, desk.actor, ("person", desk.combinations[0]))
    parts = history.history(desk.sessions, desk.actor, before=of_one[0].number).items
    assert all(entry.number < of_one[0].number for entry in parts)
