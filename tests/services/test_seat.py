"""Who sits at the wheel, for how long, and what their laps tell."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.db.tables import Driver, Lap
from fleet_rival.services.people.team import add_person
from fleet_rival.services.plan import seat
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import profiles
from tests.conftest import manager_of
from tests.services.test_fix import Desk

EVENING = datetime(2031, 4, 8, 19, tzinfo=UTC)


@pytest.fixture
def desk(sessions: sessionmaker[Session]) -> Desk:
    return Desk(sessions, manager_of(sessions))


def looked(desk: Desk, moment: datetime, actor: Actor | None = None) -> list[seat.Seat]:
    told = seat.seats(desk.sessions, actor or desk.actor, lambda: moment)
    s.SeatsOut.model_validate({"items": told}, from_attributes=True)
    return told


def test_who_sits_longer_than_their_limit_is_told_in_a_friendly_way(desk: Desk) -> None:
    desk.drive(0.0, 4, EVENING, traces=False)
    with desk.sessions() as session:
        ended = max(session.scalars(select(Lap.started_at)).all())
    [found] = looked(desk, ended + timedelta(minutes=2))
    assert found.driver == "Ysolde Farrand" and 15 <= found.minutes <= 40 and found.laps == 16, (
        "forty minutes lie between the runs"
    )
    profile = profiles.profile(desk.sessions, desk.actor, desk.driver)
    profiles.change_profile(
        desk.sessions, desk.actor, desk.driver, profile.version, {"care": {"seat_limit_minutes": 15.0}}
    )
    [over] = looked(desk, ended + timedelta(minutes=2))
    assert over.over and "the limit is 15" in over.words[0] and "take 10 minutes" in over.words[0]
    assert any(words.startswith("Better now: a break") for words in over.words)
    # Who has got up is left alone; so is everybody before they sit down.
    assert looked(desk, ended + timedelta(minutes=30)) == [] and looked(desk, EVENING - timedelta(hours=1)) == []


def test_laps_that_look_like_tiredness_are_said_so(desk: Desk) -> None:
    desk.drive(0.0, 4, EVENING - timedelta(days=1), traces=False)
    desk.drive(0.0, 5, EVENING, traces=False)
    with desk.sessions() as session:
        ended = max(session.scalars(select(Lap.started_at)).all())
    moment = ended + timedelta(minutes=1)
    [before] = looked(desk, moment)
    assert before.stop is None
    with desk.sessions.begin() as session:
        last = session.scalars(
            select(Lap.id).where(Lap.kind == "flying").order_by(Lap.started_at.desc()).limit(7)
        ).all()
        session.execute(update(Lap).where(Lap.id.in_(last)).values(time_us=Lap.time_us + 900_000, valid=False))
    [tired] = looked(desk, moment)
    assert tired.stop is not None and tired.stop["kind"] == "tired" and tired.stop["slips"] >= 3
    assert any("look like tiredness" in words for words in tired.words)


def test_a_driver_sees_the_own_seat_alone(desk: Desk) -> None:
    desk.drive(0.0, 4, EVENING, traces=False)
    with desk.sessions() as session:
        ended = max(session.scalars(select(Lap.started_at)).all())
        keys = {
            name: key
            for name, key in session.execute(select(Driver.name, Driver.id).where(Driver.team_id == desk.actor.team_id))
        }
    own = add_person(desk.sessions, desk.actor, "Ysolde at home", "driver", keys["Ysolde Farrand"])
    other = add_person(desk.sessions, desk.actor, "Corin at home", "driver", keys["Corin Ashgrove"])
    assert [item.driver for item in looked(desk, ended, own)] == ["Ysolde Farrand"] and looked(desk, ended, other) == []
