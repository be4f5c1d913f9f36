"""Sessions and their conditions: as files and rigs say, as somebody says of the whole, and back again."""

from datetime import UTC, datetime
from typing import Any

import orjson
import pytest
from sqlalchemy import select

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.db.tables import Driver, Lap, PracticeSession
from fleet_rival.services.drive import files, live, practice
from fleet_rival.services.find import figures as find
from fleet_rival.services.people import rigs, sign_in
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import NotThere, Outdated
from fleet_rival.services.week import combinations
from tests.services.conftest import Season

EVENING = datetime(2031, 4, 8, 18, tzinfo=UTC)
INSIDE = datetime(2031, 6, 1, 21, 30)
TIMES = [90, 70, 66.0, 65.5, 65.8, 65.6, 65.9]
NOTHING: dict[str, Any] = {"session_local": None, "air_temp_c": None, "track_temp_c": None, "wetness": None}


@pytest.fixture
def driven(season: Season) -> Season:
    season.week(1)
    season.drive("Ysolde Farrand", EVENING, TIMES, session_local="2031-06-01T21:30", track_temp_c=22)
    return season


def only(season: Season) -> practice.PracticeView:
    (row,) = practice.practices(season.sessions, season.actor, season.combination())
    return row


def test_a_file_says_when_a_session_was_inside_the_simulation_and_says_it_again_on_the_way_out(driven: Season) -> None:
    row = only(driven)
    assert (row.session_local, row.laps, row.drivers) == (INSIDE, 7, 1)
    assert row.seen == {"air_temp_c": None, "track_temp_c": 22.0, "wetness": "dry"}
    content = files.export_laps(driven.sessions, driven.actor, driven.combination())
    assert content.count(b"2031-06-01T21:30:00") == 7
    file_id = files.upload(driven.sessions, driven.actor, driven.combination(), "again.csv", content)
    seen = files.preview(driven.sessions, driven.actor, file_id)
    assert not isinstance(seen, dict) and seen is not None and (seen.new, seen.same, seen.different_count) == (0, 7, 0)


def test_what_somebody_says_of_a_session_counts_over_its_laps_and_no_file_sees_a_difference(driven: Season) -> None:
    row = only(driven)
    content = files.export_laps(driven.sessions, driven.actor, driven.combination())
    said = {**NOTHING, "wetness": "wet", "air_temp_c": 9.0, "track_temp_c": 50.0}
    changed = practice.change_practice(driven.sessions, driven.actor, row.id, row.version, said)
    assert (changed.wetness, changed.session_local) == ("wet", None)
    body, _ = find.summary(driven.sessions, driven.actor, driven.combination())
    (figures,) = orjson.loads(body)["drivers"]
    assert figures["figures"]["group"]["wetness"] == "wet", "laps of that session are wet laps now"
    assert files.export_laps(driven.sessions, driven.actor, driven.combination()) == content.replace(
        b"2031-06-01T21:30:00", b""
    )
    with driven.sessions() as session:
        assert set(session.scalars(select(Lap.wetness))) == {"dry"}, "the facts of the file stay"
    history.undo(driven.sessions, driven.actor)
    body, _ = find.summary(driven.sessions, driven.actor, driven.combination())
    assert orjson.loads(body)["drivers"][0]["figures"]["group"]["wetness"] == "dry"
    assert only(driven).session_local == INSIDE


def test_two_who_say_it_are_told_and_a_driver_sees_the_own_sessions(driven: Season) -> None:
    row = only(driven)
    practice.change_practice(driven.sessions, driven.actor, row.id, row.version, {**NOTHING, "wetness": "damp"})
    with pytest.raises(Outdated):
        practice.change_practice(driven.sessions, driven.actor, row.id, row.version, NOTHING)
    with driven.sessions() as session:
        keys = {name: key for name, key in session.execute(select(Driver.name, Driver.id))}
    own = add_person(driven.sessions, driven.actor, "Ysolde Farrand", "driver", keys["Ysolde Farrand"])
    other = add_person(driven.sessions, driven.actor, "Corin Ashgrove", "driver", keys["Corin Ashgrove"])
    assert [item.laps for item in practice.practices(driven.sessions, own, driven.combination())] == [7]
    assert practice.practices(driven.sessions, other, driven.combination()) == []


def test_a_rig_says_when_it_was_inside_the_simulation(season: Season) -> None:
    season.week(1)
    token = rigs.make_rig_token(season.sessions, season.actor, "Cellar")[1]
    actor = sign_in.rig(season.sessions, token)
    assert actor is not None
    lap = CoreLap("Ysolde Farrand", 1, 65_000_000, "live", 1, started_at=EVENING)
    delivery = live.Delivery(season.track, season.layout, "Truck A", "Ysolde Farrand", "live", (lap,), INSIDE)
    assert live.deliver(season.sessions, actor, delivery).added == 1
    assert only(season).session_local == INSIDE


def test_a_weeks_own_figures_leave_other_times_out(driven: Season) -> None:
    again = driven.week(9)
    driven.drive("Ysolde Farrand", datetime(2031, 6, 3, 18, tzinfo=UTC), [90, 70, 67.0, 67.2])
    first = combinations.combination(driven.sessions, driven.actor, driven.combination()).weeks
    assert [item.number for item in first] == [9, 1]

    def laps(week_id: Any) -> int:
        body, _ = find.summary(driven.sessions, driven.actor, driven.combination(), week_id)
        return sum(int(row["figures"]["laps"]["total"]) for row in orjson.loads(body)["drivers"])

    assert (laps(None), laps(again.id), laps(first[1].id)) == (11, 4, 7)
    driver = driven.drivers["Ysolde Farrand"]
    body, _ = find.driver_laps(driven.sessions, driven.actor, driven.combination(), driver, again.id)
    assert len(orjson.loads(body)["groups"][0]["laps"]) == 3  # the flying ones
    with driven.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Corin Ashgrove")).one()
        assert session.scalars(select(PracticeSession)).first() is not None
    other = add_person(driven.sessions, driven.actor, "Corin Ashgrove", "driver", key)
    body, _ = find.summary(driven.sessions, other, driven.combination(), again.id)
    assert orjson.loads(body)["drivers"] == []
    with pytest.raises(NotThere):
        find.summary(
            driven.sessions, driven.actor, driven.combination(), driven.other_series("Far", 1, track="Elsewhere").id
        )
