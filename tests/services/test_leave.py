"""Who leaves takes their data along, and nothing that stays says whose it was; the team's figures stay."""

import io
import json
import zipfile
from typing import Any

import pytest
from sqlalchemy import select, text
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Base, Combination, Driver, Lap, Person
from fleet_rival.jobs.kinds import KINDS, PACKAGE, AskedPackage
from fleet_rival.services.exchange import packages
from fleet_rival.services.exchange.export import export_driver
from fleet_rival.services.exchange.leave import make_nameless
from fleet_rival.services.fix import clinic
from fleet_rival.services.log import lessons, results
from fleet_rival.services.people import members
from fleet_rival.services.people.sign_in import hash_of, start
from fleet_rival.services.people.team import add_person, give_password, make_team
from fleet_rival.services.race import sheet
from fleet_rival.services.shared import history, jobs
from fleet_rival.services.shared.errors import Conflict, NotThere
from fleet_rival.services.week import profiles
from fleet_rival.telemetry.store import store
from tests.conftest import manager_of
from tests.filled import Filled
from tests.services.test_exchange import rows, tables
from tests.services.test_plan import RACE, TUESDAY, Team
from tests.services.test_race import entry_of

NAME = "Ysolde Farrand"
OTHER = "Corin Ashgrove"


def team_of(sessions: sessionmaker[Session]) -> Team:
    made = Team(sessions, manager_of(sessions))
    made.desk.drive(0.2, 77, traces=False, name=OTHER)
    entry = entry_of(made, NAME)
    made.make()
    sheet.hand_out(sessions, made.actor, entry, lambda: TUESDAY)
    results.add_result(sessions, made.actor, entry, {"starts_at": RACE, "points": 21.0, "note": f"{NAME} held on"})
    lessons.add_lesson(
        sessions, made.actor, {"text": f"{NAME} brakes later than Ysolde Farrandale", "driver_id": made.desk.driver}
    )
    lessons.add_lesson(sessions, made.actor, {"text": "another's", "driver_id": made.desk.other})
    return made


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def everything(team: Team) -> dict[str, str]:
    """All that the database says, table by table, as text."""
    out = {}
    with team.sessions() as session:
        for table in Base.metadata.sorted_tables:
            out[table.name] = "\n".join(
                str(tuple(row)) for row in session.execute(text(f"SELECT * FROM `{table.name}`"))
            )
    return out


def test_nothing_says_any_more_whose_laps_they_were(team: Team) -> None:
    own = add_person(team.sessions, team.actor, NAME, "driver", _key(team))
    give_password(team.sessions, own.person_id, "ysolde-at-home", "a long enough secret")
    with team.sessions.begin() as session:
        token = start(session, own.person_id, own.team_id, "a test")
    before = json.loads(clinic.team_clinic(team.sessions, team.actor, team.desk.combination)[0])
    with team.sessions() as session:
        laps = session.scalars(select(Lap.time_us).order_by(Lap.id)).all()
    assert make_nameless(team.sessions, team.actor, team.desk.driver) == "Former driver 1"
    told = everything(team)
    assert {
        name
        for name, content in told.items()
        if NAME in content.replace("Ysolde Farrandale", "") or "ysolde-at-home" in content
    } == set()
    assert "Ysolde Farrandale" in told["lesson"], "somebody else's name is theirs"
    assert hash_of(token) not in told["sign_in"]
    # The team's figures stay as they were, and name nobody.
    with team.sessions() as session:
        assert session.scalars(select(Lap.time_us).order_by(Lap.id)).all() == laps
        assert session.get_one(Person, own.person_id).password_hash is None
    after = json.loads(clinic.team_clinic(team.sessions, team.actor, team.desk.combination)[0])
    costs = lambda answer: sorted(item["cost_us"] for item in answer["drivers"])  # noqa: E731
    assert costs(after) == costs(before) and {item["name"] for item in after["drivers"]} == {"Former driver 1", OTHER}
    # Traces too: their files are others now, and their kinds of mistakes are still told.
    for digest in _digests(team):
        with store().open_traces(digest) as source:
            assert NAME.encode() not in source.read()
    assert any(item["source"] == "telemetry" for item in team.desk.clinic()["mistakes"])
    assert (
        history.history(team.sessions, team.actor).items[0].summary
        == "Let a driver go, whose laps stay as those of Former driver 1"
    )
    profile = profiles.profile(team.sessions, team.actor, team.desk.driver)
    assert profile.name == "Former driver 1" and not profile.availability["weekly"] and profile.zone is None


def test_packages_of_before_are_gone_with_who_leaves(team: Team) -> None:
    job = jobs.start(team.sessions, team.actor, PACKAGE, "A package", AskedPackage()).id
    jobs.run(team.sessions, jobs.key_of(team.sessions, job), KINDS)
    packages.package_file(team.sessions, team.actor, job)[1].close()
    make_nameless(team.sessions, team.actor, team.drivers[NAME])
    with pytest.raises(NotThere):
        packages.package_file(team.sessions, team.actor, job)


def test_the_next_one_gets_the_next_number_and_nobody_lets_themselves_go(team: Team) -> None:
    assert make_nameless(team.sessions, team.actor, team.desk.driver) == "Former driver 1"
    assert make_nameless(team.sessions, team.actor, team.desk.other) == "Former driver 2"
    mine = add_person(team.sessions, team.actor, "Both", "manager", _key(team))
    with pytest.raises(Conflict, match="whoever does it stays"):
        make_nameless(team.sessions, mine, team.desk.driver)


def test_who_is_in_another_team_too_keeps_their_own_way_in(team: Team, sessions: sessionmaker[Session]) -> None:
    own = add_person(sessions, team.actor, NAME, "driver", _key(team))
    give_password(sessions, own.person_id, "ysolde-at-home", "a long enough secret")

    elsewhere = make_team(sessions, "Elsewhere", "Somebody Else")
    with sessions.begin() as session:
        session.execute(
            text("UPDATE membership SET person_id = :person WHERE team_id = :team"),
            {"person": own.person_id, "team": elsewhere.team_id},
        )
    make_nameless(sessions, team.actor, team.desk.driver)
    with sessions() as session:
        person = session.get_one(Person, own.person_id)
        assert person.name == NAME and person.password_hash is not None
    assert NAME not in {item.person for item in members.members(sessions, team.actor)}


def test_own_data_goes_along_and_nobody_elses(team: Team) -> None:
    own = team.driver(NAME)
    file = io.BytesIO()
    export_driver(team.sessions, own, file, team.desk.driver, telemetry=True)
    content = file.getvalue()
    assert [row["name"] for row in rows(content, "driver")] == [NAME]
    assert (
        len(rows(content, "lap")) == 32 and len(rows(content, "race_result")) == 1 and len(rows(content, "entry")) == 1
    )
    assert [row["text"] for row in rows(content, "lesson")] == [f"{NAME} brakes later than Ysolde Farrandale"]
    assert {row["name"] for row in rows(content, "person")} == {"Somebody", f"{NAME} at home"}
    whole = b"".join(tables(content).values())
    assert OTHER.encode() not in whole and b"Maren" not in whole and b"another's" not in whole
    assert (
        len(rows(content, "trace")) == 32
        and sum(name.startswith("telemetry/") for name in zipfile.ZipFile(io.BytesIO(content)).namelist()) == 1
    )
    with team.sessions.begin() as session:
        session.execute(text("UPDATE team SET open_ranking = 1"))
    with pytest.raises(NotThere):
        export_driver(team.sessions, own, io.BytesIO(), team.desk.other)


def _key(team: Team) -> int:
    with team.sessions() as session:
        return session.scalars(select(Driver.id).where(Driver.public_id == team.desk.driver)).one()


def _digests(team: Team) -> list[str]:
    with team.sessions() as session:
        assert session.scalars(select(Combination.revision)).one()
        found: Any = session.execute(text("SELECT sha256 FROM trace_file")).scalars().all()
        return list(found)
