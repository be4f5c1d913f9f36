"""Setups: what differs, what speaks against one, files that come back as they went, versions of one team's cars."""

from datetime import timedelta
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import event, insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.runs.context import RunContext
from fleet_rival.core.runs.setups import BadSetup, Difference, SetupSheet, SetupValue, differences, warnings_of
from fleet_rival.core.texts import tidy
from fleet_rival.core.words import SETUP_PURPOSES
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import Driver, Layout, Series, SeriesWeekRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.setups import read_setup, setup_csv, setup_json
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.runs import declare, edit, run_list
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.fix import setups
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.week import cars, combinations
from tests.conftest import manager_of
from tests.services.test_fix import Desk

Sessions = sessionmaker[Session]
words = (
    st.text(st.characters(codec="utf-8", categories=("L", "N", "P", "S")), min_size=1, max_size=12)
    .map(tidy)
    .filter(lambda text: text[:1] not in ("", "'"))
)
lines = st.lists(
    st.builds(SetupValue, words, words, st.none() | words, st.none() | words),
    min_size=1,
    max_size=6,
    unique_by=lambda item: (item.name, item.corner),
)
sheets = st.builds(
    SetupSheet,
    words,
    st.just(1),
    lines.map(tuple),
    st.sampled_from(SETUP_PURPOSES),
    st.none() | words,
    st.none() | words,
)
BAR = SetupValue("Rear bar", "3")
WING = SetupValue("Rear wing", "7")


@given(sheets)
def test_a_sheet_comes_back_from_its_files_as_it_went(sheet: SetupSheet) -> None:
    assert read_setup(setup_json(sheet), "other") == sheet
    assert read_setup(setup_csv(sheet), sheet.name).values == sheet.values


@given(sheets, sheets)
def test_differences_lead_from_one_sheet_to_the_other(first: SetupSheet, second: SetupSheet) -> None:
    told = {(item.name, item.corner): item for item in differences(first, second)}
    before, after = (
        {(item.name, item.corner): (item.value, item.unit) for item in sheet.values} for sheet in (first, second)
    )
    assert set(told) == {key for key in before.keys() | after.keys() if before.get(key) != after.get(key)}
    assert not differences(first, first)


def test_a_difference_has_a_number_only_where_units_agree() -> None:
    ride = [
        SetupSheet("x", 1, (SetupValue("Ride height", value, unit),))
        for value, unit in (("46", "mm"), ("48,5", "mm"), ("4.8", "cm"))
    ]
    assert differences(ride[0], ride[1]) == [Difference("Ride height", None, "mm", "46", "48,5", 2.5)]
    assert differences(ride[1], ride[2]) == [Difference("Ride height", None, None, "48,5 mm", "4.8 cm", None)]
    assert differences(SetupSheet("x", 1, (BAR,)), SetupSheet("x", 2, (WING,))) == [
        Difference("Rear bar", None, None, "3", None, None),
        Difference("Rear wing", None, None, None, "7", None),
    ]


def test_what_speaks_against_a_setup() -> None:
    quick = SetupSheet("Low", 2, (BAR,), "qualifying", assists="traction")
    assert "qualifying only" in warnings_of(quick, RunContext(purpose="rehearsal"))[0]
    assert "qualifying only" in warnings_of(quick, RunContext(session_kind="race"))[0]
    assert warnings_of(quick, RunContext(purpose="qualifying", assists="traction")) == []
    assert "assumes the assists traction" in warnings_of(quick, RunContext(purpose="qualifying", assists="none"))[0]
    rain = SetupSheet("Rain", 1, (BAR,), "wet")
    assert "for the wet" in warnings_of(rain, RunContext(), "dry")[0] and not warnings_of(rain, RunContext(), "wet")
    assert "not for the wet" in warnings_of(SetupSheet("Dry", 1, (BAR,)), RunContext(), "wet")[0]
    with pytest.raises(BadSetup, match="twice"):
        SetupSheet("x", 1, (BAR, BAR))


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"\xff\xfe", "UTF-8"),
        (b"", "columns name and value"),
        (b"name,value\n", "columns name and value"),
        (b"part,setting\nWing,3\n", "columns name and value"),
        (b"name,value\nWing,3\nWing,4\n", "twice"),
        (b"name,value\nWing,\n", "needs a name and a value"),
        (b"{", "valid JSON"),
        (b'{"format": "something", "values": []}', "holds no setup"),
        (b'{"format": "fleet-rival/setup", "values": [3]}', "name and a value"),
        (b'{"format": "fleet-rival/setup", "values": []}', "no value"),
        (b'{"format": "fleet-rival/setup", "purpose": "party", "values": [{"name": "Wing", "value": 3}]}', "party"),
        (b"name,value\n" + b"".join(b"a%d,1\n" % number for number in range(1001)), "at most 1000"),
        (b"name,value\n" + b"x" * 1_000_000, "megabyte"),
    ],
)
def test_a_file_that_is_no_setup_is_refused_in_a_sentence(content: bytes, why: str) -> None:
    with pytest.raises(UnusableFile, match=why):
        read_setup(content, "x")


def test_a_spreadsheet_runs_nothing_and_gives_back_what_it_was_given() -> None:
    sheet = SetupSheet("x", 1, (SetupValue("=1+1", "-3"), SetupValue("@wing", "+go")))
    assert b"'=1+1,-3" in setup_csv(sheet) and b"'@wing,'+go" in setup_csv(sheet)
    assert read_setup(setup_csv(sheet), "x") == sheet
    assert read_setup(b"\xef\xbb\xbfName;Value;Unit\nWing;3,5;mm\n", "x").values == (SetupValue("Wing", "3,5", "mm"),)


def _values(*lines: SetupValue, **more: str) -> dict[str, object]:
    told = [{"name": item.name, "value": item.value, "unit": item.unit, "corner": item.corner} for item in lines]
    return {"values": told, "purpose": "any", **more}


@pytest.fixture
def desk(sessions: Sessions) -> Desk:
    return Desk(sessions, manager_of(sessions))


def _car_id(desk: Desk) -> UUID:
    return next(item.id for item in cars.cars(desk.sessions, desk.actor) if item.name == desk.car.name)


def test_versions_say_what_they_changed_and_nobody_writes_over_another(desk: Desk) -> None:
    sessions, actor = desk.sessions, desk.actor
    own = setups.add_setup(sessions, actor, _car_id(desk), " Quay ", _values(BAR, WING))
    told = setups.add_version(sessions, actor, own, 1, _values(SetupValue("Rear bar", "2"), WING, reason="it let go"))
    latest = told.versions[0]
    assert (told.name, latest.label, latest.reason) == ("Quay", "Quay v2", "it let go")
    assert [(item.name, item.before, item.after, item.by) for item in latest.changed] == [("Rear bar", "3", "2", -1.0)]
    with pytest.raises(Conflict, match="version 2 while you were looking at 1"):
        setups.add_version(sessions, actor, own, 1, _values(WING))
    with pytest.raises(Conflict, match="Nothing is other"):
        setups.add_version(sessions, actor, own, 2, _values(SetupValue("Rear bar", "2"), WING))
    with pytest.raises(Conflict, match="called Quay already"):
        setups.add_setup(sessions, actor, _car_id(desk), "Quay", _values(BAR))
    with pytest.raises(Refused, match="twice"):
        setups.add_setup(sessions, actor, _car_id(desk), "Other", _values(BAR, BAR))
    taken = setups.add_setup(
        sessions,
        actor,
        _car_id(desk),
        "Taken over",
        {"file": setup_json(SetupSheet("Theirs", 1, (BAR,), "wet")).decode()},
    )
    assert setups.setup(sessions, actor, taken).versions[0].purpose == "wet"
    assert [item.name for item in setups.difference(sessions, actor, own, 2, 1, taken)] == ["Rear bar", "Rear wing"]
    with pytest.raises(NotThere):
        setups.difference(sessions, actor, own, 1, 9)
    body, name = setups.file_of(sessions, actor, own, 2, "csv")
    assert name == "quay-v2.csv" and read_setup(body, "Quay").values[0] == SetupValue("Rear bar", "2")
    with pytest.raises(Outdated):
        setups.remove_setup(sessions, actor, own, 99)
    setups.remove_setup(sessions, actor, own, setups.setup(sessions, actor, own).version)
    assert [item.name for item in setups.setups(sessions, actor)] == ["Taken over"]
    undone = next(item for item in history.history(sessions, actor).items if "Took away the setup Quay" in item.summary)
    history.undo(sessions, actor, undone.id)
    assert [version.number for version in setups.setup(sessions, actor, own).versions] == [2, 1]
    with pytest.raises(NotThere):
        setups.setup(sessions, manager_of(sessions, "Others", "Someone else"), own)


def test_a_qualifying_setup_is_warned_of_before_a_rehearsal(desk: Desk) -> None:
    setups.add_setup(desk.sessions, desk.actor, _car_id(desk), "One lap", {**_values(BAR), "purpose": "qualifying"})
    context = {
        **declare.template(desk.sessions, desk.actor, desk.combination, desk.driver).context,
        "purpose": "rehearsal",
    }
    told = {
        setup: declare.checks(desk.sessions, desk.actor, desk.combination, desk.driver, {**context, "setup": setup})
        for setup in ("One lap v1", "base")
    }
    [warning] = [item for item in told["One lap v1"] if item.why == "warning"]
    assert warning.words.startswith("One lap v1 is for qualifying only")
    assert not any(item.why == "warning" for item in told["base"])
    assert (
        declare.template(desk.sessions, desk.actor, desk.combination, desk.driver).known["setup"][0] == "One lap v1"
    ), "offered by its name"
    # It is a warning: the run may be declared all the same, without a tick at it.
    others = [item.key for item in told["One lap v1"] if item.why != "warning"]
    declare.declare(
        desk.sessions, desk.actor, desk.combination, desk.driver, {**context, "setup": "One lap v1"}, others
    )


@pytest.mark.parametrize(
    ("purpose", "wetness", "words"),
    [("wet", "dry", "for the wet"), ("race", "wet", "not for the wet"), ("wet", "wet", None), ("any", "dry", None)],
)
def test_a_setup_for_other_weather_than_the_weeks_is_warned_of(
    desk: Desk, purpose: str, wetness: str, words: str | None
) -> None:
    setups.add_setup(desk.sessions, desk.actor, _car_id(desk), "Quay", {**_values(BAR), "purpose": purpose})
    with desk.sessions.begin() as session:
        team, layout = (
            desk.actor.team_id,
            session.scalars(select(Layout).where(Layout.team_id == desk.actor.team_id)).one(),
        )
        [series_id] = (
            session.execute(insert(Series).values(team_id=team, name="Harbour evenings")).inserted_primary_key or ()
        )
        begun = now().date() - timedelta(days=2)
        days = {"begins": begun, "ends": begun + timedelta(days=6), "number": 1, "zone": "UTC"}
        session.execute(
            insert(SeriesWeekRow).values(
                team_id=team, series_id=series_id, layout_id=layout.id, wetness=wetness, **days
            )
        )
    context = {
        **declare.template(desk.sessions, desk.actor, desk.combination, desk.driver).context,
        "purpose": "long",
        "setup": "Quay v1",
    }
    told = [
        item.words
        for item in declare.checks(desk.sessions, desk.actor, desk.combination, desk.driver, context)
        if item.why == "warning"
    ]
    assert len(told) == (words is not None) and (words or "") in "".join(told)


def test_what_a_change_brought_stands_beside_how_the_runs_felt(desk: Desk) -> None:
    sessions, actor = desk.sessions, desk.actor
    own = setups.add_setup(sessions, actor, _car_id(desk), "Quay", _values(BAR, WING))
    setups.add_version(sessions, actor, own, 1, _values(SetupValue("Rear bar", "2"), WING))
    setups.add_version(sessions, actor, own, 2, _values(SetupValue("Rear bar", "1"), SetupValue("Rear wing", "5")))
    rows = [
        *_run("1", 1, 66.4, "Quay v1"),
        *_run("1", 2, 65.9, "Quay v2"),
        *_run("1", 3, 65.1, "Quay v3"),
        *_run("1", 4, 65.0, "theirs"),
    ]
    content = "\n".join(["driver,session,run,lap,kind,time,setup,tyre_age", *rows]).encode()
    file_id = files.upload(sessions, actor, desk.combination, "a.csv", content)
    importing.confirm(
        sessions, actor, file_id, importing.Wishes(combinations.combination(sessions, actor, desk.combination).revision)
    )
    driven = run_list.driven(sessions, actor, desk.combination).sessions[0]
    key = RunKey(driven.practice.id, desk.driver, 2)
    edit.write_feel(sessions, actor, key, 0, {"handling": {}, "readings": [], "note": "calmer over the rails"})
    told = {(item.before, item.after): item for item in setups.brought(sessions, actor, own)}
    assert set(told) == {("Quay v1", "Quay v2"), ("Quay v2", "Quay v3")}, (
        "a setup that is no sheet of ours says nothing"
    )
    one, both = told["Quay v1", "Quay v2"], told["Quay v2", "Quay v3"]
    assert one.one_change and not both.one_change
    assert one.felt == ("Session 1, run 2: calmer over the rails",) and both.felt == ()
    assert one.driver == "Ysolde Farrand" and "0.50 s faster" in one.words
    with sessions() as session:
        keys = {
            name: key
            for name, key in session.execute(select(Driver.name, Driver.id).where(Driver.team_id == actor.team_id))
        }
    others = add_person(sessions, actor, "Corin at home", "driver", keys["Corin Ashgrove"])
    mine = add_person(sessions, actor, "Ysolde at home", "driver", keys["Ysolde Farrand"])
    assert setups.brought(sessions, others, own) == [] and len(setups.brought(sessions, mine, own)) == 2


def _run(session: str, run: int, seconds: float, setup: str) -> list[str]:
    """An out lap and eight flying ones, a little apart from each other."""
    times = [seconds + 0.02 * (lap % 3) for lap in range(8)]
    out = f"Ysolde Farrand,{session},{run},{run * 10},out,{seconds + 12:.3f},{setup},0"
    return [
        out,
        *(
            f"Ysolde Farrand,{session},{run},{run * 10 + 1 + lap},flying,{time:.3f},{setup},{lap + 1}"
            for lap, time in enumerate(times)
        ),
    ]


def test_setups_and_their_versions_are_asked_for_at_once(desk: Desk) -> None:
    for number in range(4):
        own = setups.add_setup(desk.sessions, desk.actor, _car_id(desk), f"Sheet {number}", _values(BAR))
        setups.add_version(desk.sessions, desk.actor, own, 1, _values(SetupValue("Rear bar", "9")))
    asked: list[str] = []
    engine = engine_of(desk.sessions)

    def note(_: Any, __: Any, statement: str, *___: Any) -> None:
        asked.append(statement)

    event.listen(engine, "before_cursor_execute", note)
    try:
        found = setups.setups(desk.sessions, desk.actor)
    finally:
        event.remove(engine, "before_cursor_execute", note)
    assert len(found) == 4 and all(len(item.versions) == 2 for item in found)
    assert len([statement for statement in asked if statement.lstrip().upper().startswith("SELECT")]) <= 4
