"""A team out and in again: byte for byte, as valid packages, one week alone, and nothing of what can't be."""

import csv
import io
import json
import zipfile
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Base, Lap, LayoutCorner, Membership, Person, Team
from fleet_rival.services.exchange.bring import bring_team
from fleet_rival.services.exchange.export import export_team, package_name
from fleet_rival.services.exchange.let_in import let_in
from fleet_rival.services.exchange.tables import TELEMETRY, plain_tables
from fleet_rival.services.fix import clinic
from fleet_rival.services.log import lessons, results
from fleet_rival.services.people.rigs import make_rig_token
from fleet_rival.services.people.sign_in import password_fits
from fleet_rival.services.people.team import give_password, make_team
from fleet_rival.services.race import sheet
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.week import entries, series
from fleet_rival.telemetry.store import store
from fleet_rival.wording.files import LEFT_OUT
from tests.conftest import manager_of
from tests.filled import Filled
from tests.formats.test_packages import validate
from tests.services.test_plan import RACE, TUESDAY
from tests.services.test_plan import Team as Desk
from tests.services.test_race import entry_of

Sessions = sessionmaker[Session]


def team_of(sessions: Sessions) -> Desk:
    """A team that has driven, planned, raced and learned."""
    desk = Desk(sessions, manager_of(sessions))
    entry = entry_of(desk, "Ysolde Farrand")
    desk.make()
    sheet.hand_out(sessions, desk.actor, entry, lambda: TUESDAY)
    results.add_result(
        sessions,
        desk.actor,
        entry,
        {"starts_at": RACE, "points": 21.0, "incidents": [{"corner": "T1", "what": "spin", "fault": "own"}]},
    )
    lessons.add_lesson(
        sessions, desk.actor, {"text": "Later, on “cold” tyres;\nwith care", "driver_id": desk.desk.driver}
    )
    return desk


@pytest.fixture
def team(sessions: Sessions, fill_once: Filled) -> Desk:
    return fill_once(sessions, team_of)


def out(sessions: Sessions, actor: Actor, **how: Any) -> bytes:
    file = io.BytesIO()
    export_team(sessions, actor, file, **how)
    return file.getvalue()


def tables(content: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def rows(content: bytes, table: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(tables(content)[f"data/{table}.csv"].decode(), newline="")))


def wipe(sessions: Sessions) -> None:
    """Nothing is left but the tables."""
    with sessions.begin() as session:
        session.execute(text("SET SESSION foreign_key_checks = 0"))
        for table in Base.metadata.sorted_tables:
            session.execute(table.delete())
        session.execute(text("SET SESSION foreign_key_checks = 1"))


def test_every_table_goes_out_or_has_a_reason_not_to() -> None:
    names = {table.name for table in plain_tables()}
    assert (
        names.isdisjoint(LEFT_OUT) and names | LEFT_OUT.keys() == set(Base.metadata.tables) and set(TELEMETRY) <= names
    )


@pytest.mark.parametrize("telemetry", [False, True])
def test_out_in_and_out_again_is_the_same_byte_for_byte(sessions: Sessions, team: Desk, telemetry: bool) -> None:
    before = out(sessions, team.actor, telemetry=telemetry)
    told = clinic.driver_clinic(sessions, team.actor, team.desk.combination, team.desk.driver)[0]
    laps = len(rows(before, "lap"))
    assert laps == 32 and len(rows(before, "race_result")) == 1 and len(rows(before, "plan_block")) > 0
    assert ("data/trace.csv" in tables(before)) == telemetry
    wipe(sessions)
    if telemetry:
        for digest in store().traces():
            store().remove_traces(digest)
    brought = bring_team(sessions, io.BytesIO(before))
    assert brought.rows == sum(
        len(rows(before, table.name))
        for table in plain_tables()
        if table.name != "person" and f"data/{table.name}.csv" in tables(before)
    )
    manager = brought.members[0]
    after = out(sessions, manager, telemetry=telemetry)
    assert tables(after) == tables(before)
    # The same laps tell the same, with traces where they came along.
    again = clinic.driver_clinic(sessions, manager, team.desk.combination, team.desk.driver)[0]
    if telemetry:
        assert json.loads(again)["mistakes"] == json.loads(told)["mistakes"]
    else:
        assert json.loads(again)["mistakes"]


def test_a_package_is_valid_by_the_standard(sessions: Sessions, team: Desk, tmp_path: Path) -> None:
    report = validate(tmp_path, out(sessions, team.actor, telemetry=True))
    assert report.valid, report.flatten(["title", "rowNumber", "fieldName", "note"])[:10]
    assert {task.name for task in report.tasks} == {table.name for table in plain_tables()}


def test_no_way_in_goes_along(sessions: Sessions, team: Desk) -> None:
    from fleet_rival.services.people.team import give_password

    give_password(sessions, team.actor.person_id, "keziah-at-home", "a long enough secret")
    _, token = make_rig_token(sessions, team.actor, "Cellar")
    content = b"".join(tables(out(sessions, team.actor)).values())
    with sessions() as session:
        kept = session.scalars(select(Person.password_hash).where(Person.password_hash.is_not(None))).one()
    for secret in ("keziah-at-home", "a long enough secret", token, kept or "?"):
        assert secret.encode() not in content


def test_of_another_team_nothing_goes_along(sessions: Sessions, team: Desk) -> None:
    other = make_team(sessions, "Elsewhere", "Somebody Else")
    content = out(sessions, other)
    assert rows(content, "lap") == rows(content, "driver") == [] and [row["name"] for row in rows(content, "team")] == [
        "Elsewhere"
    ]
    assert [row["name"] for row in rows(content, "person")] == ["Somebody Else"]
    assert b"Elsewhere" not in b"".join(tables(out(sessions, team.actor)).values())


def test_one_week_goes_alone(sessions: Sessions, team: Desk) -> None:
    place = team.desk.track
    facts = SeriesWeek(
        *(
            "Harbour evenings",
            2,
            "UTC",
            date(2031, 4, 14),
            date(2031, 4, 21),
            (team.desk.car.name,),
            place.name,
            place.layout,
        )
    )
    later = series.add_week(sessions, team.actor, team.series, facts).id
    entries.enter(sessions, team.actor, [later], [team.desk.driver], "must")
    whole, first, second = (out(sessions, team.actor, week_ids=ids) for ids in (None, [team.week], [later]))
    assert [len(rows(content, "series_week")) for content in (whole, first, second)] == [2, 1, 1]
    assert [len(rows(content, "lap")) for content in (whole, first, second)] == [32, 32, 0]
    assert [len(rows(content, "entry")) for content in (whole, first, second)] == [3, 2, 1]
    assert (
        rows(second, "race_result") == rows(second, "plan_block") == rows(second, "lap_file") == []
        and len(rows(first, "race_result")) == 1
    )
    assert len(rows(second, "driver")) == 2, "who drives is known all the same"
    wipe(sessions)
    manager = bring_team(sessions, io.BytesIO(first)).members[0]
    assert tables(out(sessions, manager)) == tables(first)
    with pytest.raises(NotThere):
        out(sessions, manager, week_ids=[later])


def test_a_team_that_is_here_does_not_come_twice(sessions: Sessions, team: Desk) -> None:
    content = out(sessions, team.actor)
    with sessions() as session:
        before = session.scalar(select(func.count()).select_from(Lap))
    with pytest.raises(Conflict, match="here already"):
        bring_team(sessions, io.BytesIO(content))
    with sessions() as session:
        assert session.scalar(select(func.count()).select_from(Lap)) == before
        assert session.scalar(select(func.count()).select_from(Team)) == 1


def test_who_brings_a_team_manages_it_and_acts_of_before_cannot_be_taken_back(sessions: Sessions, team: Desk) -> None:
    content = out(sessions, team.actor)
    wipe(sessions)
    who = make_team(sessions, "Elsewhere", "Somebody Else")
    brought = bring_team(sessions, io.BytesIO(content), who)
    with sessions() as session:
        roles = dict(
            session.execute(
                select(Person.name, Membership.role)
                .join(Membership, Membership.person_id == Person.id)
                .where(Membership.team_id == brought.team_id)
            ).all()
        )  # type: ignore[arg-type]
    assert roles["Somebody Else"] == "manager" and len(roles) == 2
    old = next(item for item in brought.members if item.person_id != who.person_id)
    page = history.history(sessions, old)
    assert page.items and not any(item.can_undo or item.can_redo for item in page.items)
    assert history.steps(sessions, old).undo is None
    with pytest.raises(Conflict):
        history.undo(sessions, old, page.items[-1].id)
    # What somebody does from here on can.
    lessons.add_lesson(sessions, old, {"text": "new", "driver_id": team.desk.driver})
    history.undo(sessions, old)


def test_everybody_who_came_gets_a_way_in_of_their_own(sessions: Sessions, team: Desk) -> None:
    team.driver("Ysolde Farrand")
    content = out(sessions, team.actor)
    wipe(sessions)
    here = make_team(sessions, "Elsewhere", "Somebody Else")
    give_password(sessions, here.person_id, "ysolde-farrand-at-home", "a long enough secret")
    came = bring_team(sessions, io.BytesIO(content))
    ways = let_in(sessions, came.members, came.newcomers)
    assert [(way.role, way.sign_in_name) for way in ways] == [
        ("manager", "maren-holloway"),
        ("driver", "ysolde-farrand-at-home-2"),
    ]
    with sessions() as session:
        person = session.scalars(select(Person).where(Person.sign_in_name == ways[0].sign_in_name)).one()
        assert password_fits(session, person.id, ways[0].password) and not password_fits(
            session, person.id, ways[1].password
        )
    # A person who was here before, though without a way in, isn't anybody's to let in who brings a package.
    wipe(sessions)
    known = make_team(sessions, "Before", "Maren Holloway")
    with sessions.begin() as session:
        session.get_one(Person, known.person_id).public_id = UUID(rows(content, "person")[0]["public_id"])
    brought = bring_team(sessions, io.BytesIO(content))
    assert [way.role for way in let_in(sessions, brought.members, brought.newcomers)] == ["driver"]


def changed(table: str, change: Callable[[list[list[str]]], None]) -> Callable[[bytes], bytes]:
    """A package with another table."""

    def make(content: bytes) -> bytes:
        told = tables(content)
        path = f"data/{table}.csv"
        cells = list(csv.reader(io.StringIO(told[path].decode(), newline="")))
        change(cells)
        text_out = io.StringIO()
        csv.writer(text_out, lineterminator="\r\n").writerows(cells)
        return packed({**told, path: text_out.getvalue().encode()})

    return make


def packed(files: dict[str, bytes]) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return made.getvalue()


def put(column: str, value: str, row: int = 1) -> Callable[[list[list[str]]], None]:
    return lambda cells: cells[row].__setitem__(cells[0].index(column), value)


def no_file(content: bytes) -> bytes:
    return packed({name: body for name, body in tables(content).items() if not name.startswith("files/")})


def newer(content: bytes) -> bytes:
    told = tables(content)
    described = json.loads(told["datapackage.json"])
    described["resources"].append({"name": "wing", "path": "data/wing.csv", "schema": {"fields": [{"name": "key"}]}})
    return packed({**told, "datapackage.json": json.dumps(described).encode()})


def test_a_package_of_before_a_column_was_there_comes_in(sessions: Sessions, team: Desk) -> None:
    content = out(sessions, team.actor)

    def without(cells: list[list[str]]) -> None:
        at = cells[0].index("lanes")
        for row in cells:
            del row[at]

    told = tables(changed("layout_corner", without)(content))
    described = json.loads(told["datapackage.json"])
    [corner] = [one for one in described["resources"] if one["name"] == "layout_corner"]
    corner["schema"]["fields"] = [one for one in corner["schema"]["fields"] if one["name"] != "lanes"]
    wipe(sessions)
    brought = bring_team(sessions, io.BytesIO(packed({**told, "datapackage.json": json.dumps(described).encode()})))
    with sessions() as session:
        assert set(map(tuple, session.scalars(select(LayoutCorner.lanes)))) == {()} and brought.rows


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (changed("lap", put("driver_id", "99")), "names row 99 of driver, which isn't there"),
        (changed("lap", put("time_us", "fast")), "Row 1 of lap: time_us isn't a whole number"),
        (changed("lap", put("time_us", "9" * 30)), "too large"),
        (changed("lap", put("time_us", "")), "time_us is empty"),
        (changed("lap", put("valid", "perhaps")), "true or false"),
        (changed("lap", put("started_at", "yesterday")), "isn't a moment"),
        (changed("lap", put("fuel_l", "nan")), "isn't a number"),
        (changed("lap", put("segments", "{")), "isn't JSON"),
        (changed("lap", put("segments", "[1]")), "isn't an object"),
        (changed("entry", put("starts", "{}")), "isn't a list"),
        (changed("team", put("public_id", "me")), "isn't an identifier"),
        (changed("driver", put("name", "x" * 200)), "more than 120 characters"),
        (changed("series_week", put("begins", "soon")), "isn't a day"),
        (changed("lap", put("key", "1", 2)), "stands twice"),
        (changed("team", lambda cells: cells.append(cells[1])), "stands twice|one team"),
        (no_file, "is missing in the package"),
        (newer, "wing"),
        (lambda content: b"nothing", "isn't an exchange package"),
    ],
)
def test_one_wrong_cell_and_nothing_comes_in(
    sessions: Sessions, team: Desk, change: Callable[[bytes], bytes], words: str
) -> None:
    content = out(sessions, team.actor)
    wipe(sessions)
    with pytest.raises(Refused, match=words):
        bring_team(sessions, io.BytesIO(change(content)))
    with sessions() as session:
        assert (
            session.scalar(select(func.count()).select_from(Team))
            == session.scalar(select(func.count()).select_from(Person))
            == 0
        )
    assert bring_team(sessions, io.BytesIO(content)).rows


def test_traces_that_were_changed_do_not_come_in(sessions: Sessions, team: Desk) -> None:
    told = tables(out(sessions, team.actor, telemetry=True))
    path = next(name for name in told if name.startswith("telemetry/"))
    wipe(sessions)
    for files, words in (
        ({**told, path: told[path] + b"x"}, "was changed"),
        ({name: body for name, body in told.items() if name != path}, "is missing"),
    ):
        with pytest.raises(Refused, match=words):
            bring_team(sessions, io.BytesIO(packed(files)))


def test_a_package_has_a_name_that_any_disk_takes() -> None:
    assert package_name("Fårhaven / Racing: “A”", RACE) == "fårhaven---racing---a-2031-04-12.package.zip"
    assert package_name("//", RACE).startswith("team-")
