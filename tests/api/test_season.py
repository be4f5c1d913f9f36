"""The week over HTTP: borders that hold, versions that are told, answers that are kept as long as they are right."""

from datetime import date, datetime, timedelta
from io import BytesIO
from typing import Any

import icalendar
import pytest
from openpyxl import load_workbook
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.clock import now
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem

Sessions = sessionmaker[Session]
TODAY = now().date()
WEEK: dict[str, Any] = {
    "week": 1,
    "begins": str(TODAY - timedelta(days=2)),
    "ends": str(TODAY + timedelta(days=5)),
    "cars": ["Cinder Truck"],
    "starts": "every 90min from 00:20",
    "race_minutes": 25,
    "changeable": [{"name": "Brake balance", "default": 56, "low": 50, "high": 60, "step": 0.5, "unit": "%"}],
    "session_local": "2031-06-14T21:30",
}


@pytest.fixture
def place(client: Browser, combination: str) -> dict[str, Any]:
    """Names of the track and layout that are there."""
    seen = client.get(f"/api/combinations/{combination}").json
    return {"track": seen["track"], "layout": seen["layout"]}


@pytest.fixture
def series(client: Browser) -> str:
    made = client.post("/api/series", json={"name": "Cinder League"})
    assert made.status_code == 201
    return str(made.json["id"])


def add(client: Browser, series: str, **changes: Any) -> Any:
    return client.post(f"/api/series/{series}/weeks", json={**WEEK, **changes})


def test_a_week_goes_in_with_all_its_fields_and_comes_out_the_same(client: Browser, series: str, place: Any) -> None:
    facts = {
        **WEEK,
        **place,
        "cautions": True,
        "compounds": [{"name": "slick", "must": True}, {"name": "rain", "must": False}],
        "wetness": "damp",
    }
    made = client.post(f"/api/series/{series}/weeks", json=facts)
    assert made.status_code == 201
    seen = client.get(f"/api/weeks/{made.json['id']}").json
    for name, value in facts.items():
        assert seen["facts"][name] == value or name == "session_local", name
    assert seen["facts"]["session_local"].startswith("2031-06-14T21:30") and len(seen["start_times"]) == 7 * 16
    assert seen["layout_id"] and seen["warnings"] == []


@pytest.mark.parametrize(
    ("changes", "status", "words"),
    [
        ({"begins": "2031-02-30"}, 422, ""),
        ({"session_local": "2031-06-14T21:30Z"}, 422, ""),
        ({"cars": ["A|B"]}, 422, ""),
        ({"race_laps": 0}, 422, ""),
        ({"unknown": 1}, 422, ""),
        ({"changeable": [{"name": "x=y"}]}, 422, ""),
        ({"zone": "Atlantis/Lost"}, 422, "not a time zone"),
        ({"starts": "every 1min from 00:00"}, 422, "closer than 5 minutes"),
        ({"ends": WEEK["begins"]}, 422, "isn't after it begins"),
    ],
)
def test_a_week_that_cannot_be_is_refused_at_the_border(
    client: Browser, series: str, changes: dict[str, Any], status: int, words: str
) -> None:
    assert is_problem(add(client, series, **changes), status, words)
    assert client.get(f"/api/series/{series}/weeks").json["items"] == []


def test_two_who_change_a_week_an_entry_a_car_or_a_profile_are_both_told(
    client: Browser, series: str, place: Any
) -> None:
    week = add(client, series, **place).json
    driver = client.post("/api/profiles", json={"name": "Ysolde Farrand"}).json
    client.post("/api/entries", json={"week_ids": [week["id"]], "driver_ids": [driver["id"]]})
    cell = next(row for row in client.get("/api/board").json["drivers"] if row["id"] == driver["id"])["cells"][0]
    car = client.get(f"/api/cars/{week['cars'][0]['id']}").json
    rig = client.post("/api/resources", json={"name": "Cellar rig", "kind": "rig"}).json
    changes: list[tuple[str, int, Any]] = [
        (f"/api/weeks/{week['id']}", week["version"], {**WEEK, **place, "note": "first"}),
        (f"/api/entries/{cell['entry']['id']}", cell["entry"]["version"], {"note": "first"}),
        (f"/api/cars/{car['id']}", car["version"], {"name": car["name"], "traits": ["Light behind."]}),
        (f"/api/profiles/{driver['id']}", driver["version"], {"nickname": "Ys"}),
        (f"/api/resources/{rig['id']}", rig["version"], {"name": "Attic rig"}),
    ]
    for path, version, body in changes:
        headers = {"If-Match": f'"{version}"'}
        assert client.put(path, json=body, headers=headers).status_code == 200, path
        late = client.put(path, json=body, headers=headers)
        assert is_problem(late, 412), path
        assert late.json["current"]["version"] == version + 1, path
        assert is_problem(client.put(path, json=body), 422), "without a version nothing is written"


def test_the_board_is_sent_again_only_when_it_changed(client: Browser, series: str, place: Any) -> None:
    add(client, series, **place)
    first = client.get("/api/board?zone=Europe/Oslo")
    schemas.BoardOut.model_validate(first.json)
    again = client.get("/api/board?zone=Europe/Oslo", headers={"If-None-Match": first.headers["ETag"]})
    # The minute may have turned between the two.
    assert again.status_code == 304 or again.json["now"][:16] != first.json["now"][:16]
    client.post("/api/series", json={"name": "Another"})
    assert (
        client.get("/api/board?zone=Europe/Oslo", headers={"If-None-Match": first.headers["ETag"]}).status_code == 200
    )
    assert is_problem(client.get("/api/board?zone=Atlantis/Lost"), 422, "no time zone")
    assert is_problem(client.get("/api/board?day=2031-02-30"), 422)


def test_each_role_gets_its_own_board(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, series: str, place: Any
) -> None:
    week = add(client, series, **place).json
    driver = client.post("/api/profiles", json={"name": "Ysolde Farrand"}).json
    other = client.post("/api/profiles", json={"name": "Keziah Umberlin"}).json
    client.post("/api/entries", json={"week_ids": [week["id"]], "driver_ids": [driver["id"], other["id"]]})
    unmatched = browser(add_person(sessions, manager, "Somebody", "driver"))
    assert unmatched.get("/api/board").json["drivers"] == []
    assert "Umberlin" not in unmatched.get("/api/board").text
    assert is_problem(unmatched.get(f"/api/entries/{_entry(client, other['id'])}"), 404)
    coach = browser(add_person(sessions, manager, "Idrik Fenwold", "coach"))
    assert len(coach.get("/api/board").json["drivers"]) == 2


def _entry(client: Browser, driver: str) -> str:
    row = next(row for row in client.get("/api/board").json["drivers"] if row["id"] == driver)
    return str(row["cells"][0]["entry"]["id"])


def test_a_series_is_downloaded_as_text_sheet_and_calendar(client: Browser, series: str, place: Any) -> None:
    add(client, series, **place)
    text = client.get(f"/api/series/{series}/season.csv")
    assert text.headers["Content-Disposition"] == 'attachment; filename="cinder-league.season.csv"'
    assert text.data.splitlines()[1].startswith(b"Cinder League,1,UTC,")
    sheet = load_workbook(BytesIO(client.get(f"/api/series/{series}/season.xlsx").data)).active
    assert sheet is not None and sheet["A2"].value == "Cinder League" and sheet["A2"].data_type == "s"
    calendar = icalendar.Calendar.from_ical(client.get(f"/api/series/{series}/season.ics").data)
    starts = [event.decoded("dtstart") for event in calendar.walk("VEVENT")]
    assert starts[0] == date.fromisoformat(WEEK["begins"]) and len(starts) == 1 + 7 * 16
    assert starts[1:] == [
        datetime.fromisoformat(start)
        for start in client.get(f"/api/series/{series}/weeks").json["items"][0]["start_times"]
    ]


def test_a_season_file_is_looked_at_imported_once_and_discarded(client: Browser, series: str) -> None:
    file = b"series,week,from,to\nCinder League,4,2031-05-05,2031-05-12\nCinder League,x,2031-05-12,2031-05-19\n"
    seen = client.send("/api/season-files", file, "may.season.csv")
    assert seen.status_code == 201 and [row["column"] for row in seen.json["set_aside"]] == ["week"]
    path = f"/api/season-files/{seen.json['id']}"
    assert client.get(path).json == seen.json
    wishes = {"stamp": seen.json["stamp"]}
    assert client.post(f"{path}/import", json=wishes).json == {
        "added": 1,
        "changed": 0,
        "same": 0,
        "kept": 0,
        "set_aside": 1,
    }
    assert is_problem(client.post(f"{path}/import", json=wishes), 409, "imported already")
    assert is_problem(client.delete(path), 409, "stays as the record")
    again = client.send("/api/season-files", file).json
    assert again["weeks"][0]["state"] == "same"
    assert client.delete(f"/api/season-files/{again['id']}").status_code == 204
    assert is_problem(client.send("/api/season-files", b"nothing\n"), 422, "no column series")


def test_a_calendar_address_opens_one_persons_calendar_until_it_is_revoked_or_they_leave(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, series: str, place: Any
) -> None:
    add(client, series, **place)
    coach = browser(add_person(sessions, manager, "Idrik Fenwold", "coach"))
    address = coach.post("/api/me/calendars", json={"name": "Phone"}).json["address"]
    nobody = browser(None)
    answer = nobody.get(address)
    assert (
        answer.status_code == 200
        and answer.mimetype == "text/calendar"
        and "no-store" in answer.headers["Cache-Control"]
    )
    assert coach.get("/api/me/calendars").json["items"][0]["used_at"]
    assert is_problem(nobody.get(address.replace("cal_", "cal_x")), 404)
    member = next(item for item in client.get("/api/people").json["items"] if item["person"] == "Idrik Fenwold")
    client.delete(f"/api/people/{member['id']}")
    assert is_problem(nobody.get(address), 404)


def test_figures_of_a_week_alone_and_of_all_times_are_different_answers(
    client: Browser, series: str, place: Any, filled: str
) -> None:
    week = add(client, series, **place).json
    path = f"/api/combinations/{filled}/analysis"
    assert len(client.get(path).json["drivers"]) > 0
    # The file's laps were driven in another year; laps without a time count from when they came in.
    of_week = client.get(f"{path}?week={week['id']}").json
    whole = client.get(path).json
    assert sum(row["figures"]["laps"]["total"] for row in of_week["drivers"]) < sum(
        row["figures"]["laps"]["total"] for row in whole["drivers"]
    )
    shown = client.get(f"/api/combinations/{filled}").json["weeks"]
    assert [(item["series"], item["number"]) for item in shown] == [("Cinder League", 1)]
    assert is_problem(client.get(f"{path}?week=00000000-0000-7000-8000-000000000000"), 404)
