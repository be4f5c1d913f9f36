"""Cars, drivers, shared things, targets and conditions over HTTP: what is sent comes out the same, and borders hold
field by field.
"""

from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.db.tables import Driver
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem

Sessions = sessionmaker[Session]
CAR: dict[str, Any] = {
    "name": "Cinder Truck",
    "car_class": "truck",
    "drive": "rear",
    "gears": 6,
    "limiter_rpm": 9000,
    "shift_rpm": [8000, 8100],
    "assists": ["ABS"],
    "settings": [
        {"name": "Wing", "unit": "°", "low": 1.0, "high": 9.0, "step": 1.0, "default": 5.0, "does": "Holds the rear."}
    ],
    "traits": ["Slides."],
    "cold_laps": 2,
    "tank_l": 44.5,
    "battery_kwh": None,
    "note": "Borrowed.",
    "restricted": False,
    "driver_ids": [],
}
HOURS = {
    "weekly": [{"days": [0, 2], "begins": "18:30", "ends": "22:00"}],
    "off": [{"first": "2031-04-10", "last": "2031-04-12", "why": "away"}],
    "extra": [{"begins": "2031-04-13T10:00:00", "ends": "2031-04-13T12:00:00"}],
}
PROFILE: dict[str, Any] = {
    "nickname": "Yso",
    "zone": "Europe/Oslo",
    "assists": {"abs": "off", "traction": "1", "shifting": "paddles", "line": None},
    "controls": "wheel and three pedals",
    "view": {"field_of_view_deg": 62.0, "screens": 3, "words": "seat low"},
    "preferences": "short notes",
    "units": {"speed": "mph", "temperature": "°F", "pressure": "psi", "fuel": "gal"},
    "availability": HOURS,
}


def at(version: int) -> dict[str, str]:
    return {"If-Match": f'"{version}"'}


@pytest.fixture
def car(client: Browser, combination: str) -> Any:
    return client.get(f"/api/cars/{client.get(f'/api/combinations/{combination}').json['car_id']}").json


@pytest.fixture
def driver(client: Browser) -> Any:
    made = client.post("/api/profiles", json={"name": "Ysolde Farrand"})
    assert made.status_code == 201
    return made.json


def test_a_car_comes_out_as_it_was_sent(client: Browser, car: Any) -> None:
    answer = client.put(f"/api/cars/{car['id']}", json=CAR, headers=at(car["version"]))
    assert answer.status_code == 200
    assert {name: answer.json[name] for name in CAR} == CAR
    schemas.CarOut.model_validate(answer.json)
    late = client.put(f"/api/cars/{car['id']}", json=CAR, headers=at(car["version"]))
    assert is_problem(late, 412) and late.json["current"]["note"] == "Borrowed."


NO_CAR: list[Any] = [
    {"name": ""},
    {"name": "x" * 121},
    {"gears": 0},
    {"gears": 21},
    {"gears": 4.5},
    {"limiter_rpm": -1},
    {"shift_rpm": [-1]},
    {"shift_rpm": "8000"},
    {"settings": [{"name": ""}]},
    {"settings": [{"name": "Wing", "step": 0}]},
    {"settings": [{"name": "Wing", "colour": "red"}]},
    {"traits": ["x" * 501]},
    {"cold_laps": 21},
    {"tank_l": -1},
    {"battery_kwh": "full"},
    {"note": "x" * 5001},
    {"driver_ids": ["nobody"]},
    {"edition": 3},
]


def test_a_car_in_other_words_is_refused_at_the_border(client: Browser, car: Any) -> None:
    for changes in NO_CAR:
        assert is_problem(
            client.put(f"/api/cars/{car['id']}", json={**CAR, **changes}, headers=at(car["version"])), 422
        )
        assert client.get(f"/api/cars/{car['id']}").json["version"] == car["version"]


NO_VERSION: list[Any] = ["", "1", '"x"', '"-1"', 'W/"1"', '"1", "2"', "*"]


def test_a_version_that_is_none_is_refused(client: Browser, car: Any) -> None:
    for header in NO_VERSION:
        assert is_problem(client.put(f"/api/cars/{car['id']}", json=CAR, headers={"If-Match": header}), 422)


def test_a_profile_comes_out_as_it_was_sent(client: Browser, driver: Any) -> None:
    answer = client.put(f"/api/profiles/{driver['id']}", json=PROFILE, headers=at(driver["version"]))
    assert answer.status_code == 200
    assert {name: answer.json[name] for name in PROFILE} == PROFILE
    schemas.ProfileOut.model_validate(answer.json)
    # What isn't sent stays.
    partly = client.put(
        f"/api/profiles/{driver['id']}", json={"nickname": None}, headers=at(answer.json["version"])
    ).json
    assert partly["nickname"] is None and partly["zone"] == "Europe/Oslo" and partly["availability"] == HOURS


NO_PROFILE: list[Any] = [
    {"nickname": "x" * 121},
    {"zone": "Nowhere"},
    {"units": {"speed": "knots"}},
    {"units": {"length": "m"}},
    {"view": {"screens": 0}},
    {"view": {"field_of_view_deg": 400}},
    {"availability": {"weekly": [{"days": [7], "begins": "18:00", "ends": "20:00"}]}},
    {"availability": {"weekly": [{"days": [], "begins": "18:00", "ends": "20:00"}]}},
    {"availability": {"weekly": [{"days": [1], "begins": "25:00", "ends": "20:00"}]}},
    {"availability": {"off": [{"first": "2031-02-30", "last": "2031-03-01"}]}},
    {"availability": {"off": [{"first": "2031-03-02", "last": "2031-03-01"}]}},
    {"availability": {"extra": [{"begins": "2031-04-13T10:00Z", "ends": "2031-04-13T12:00Z"}]}},
    {"availability": {"extra": [{"begins": "2031-04-13T12:00", "ends": "2031-04-13T10:00"}]}},
    {"guest": True},
]


def test_a_profile_in_other_words_is_refused_at_the_border(client: Browser, driver: Any) -> None:
    for changes in NO_PROFILE:
        assert is_problem(client.put(f"/api/profiles/{driver['id']}", json=changes, headers=at(driver["version"])), 422)
        assert client.get(f"/api/profiles/{driver['id']}").json == driver


def test_a_driver_reads_and_writes_the_own_profile_alone(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, driver: Any
) -> None:
    other = client.post("/api/profiles", json={"name": "Corin Ashgrove"}).json
    with sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
    person = add_person(sessions, manager, "Ysolde Farrand", "driver", key)
    own = browser(person)
    assert [item["name"] for item in own.get("/api/profiles").json["items"]] == ["Ysolde Farrand"]
    assert (
        own.put(f"/api/profiles/{driver['id']}", json={"nickname": "Yso"}, headers=at(driver["version"])).status_code
        == 200
    )
    assert is_problem(own.get(f"/api/profiles/{other['id']}"), 404)
    assert is_problem(
        own.put(f"/api/profiles/{other['id']}", json={"nickname": "x"}, headers=at(other["version"])), 404
    )
    assert is_problem(own.post("/api/profiles", json={"name": "Third"}), 403)


def test_a_shared_rig_comes_out_as_it_was_sent(client: Browser) -> None:
    made = client.post("/api/resources", json={"name": "Cellar rig", "kind": "rig"}).json
    told = {"name": "Attic rig", "zone": "UTC", "availability": HOURS, "note": "quiet"}
    answer = client.put(f"/api/resources/{made['id']}", json=told, headers=at(made["version"]))
    assert {name: answer.json[name] for name in told} == told
    assert is_problem(client.post("/api/resources", json={"name": "Attic rig", "kind": "coach"}), 409, "already")
    assert is_problem(client.post("/api/resources", json={"name": "Sofa", "kind": "sofa"}), 422)
    assert client.delete(f"/api/resources/{made['id']}").status_code == 204
    assert is_problem(client.delete(f"/api/resources/{made['id']}"), 404)


NO_TARGET: list[Any] = [
    ({"target": {"rule": "wish"}, "benchmark": None}, 422, ""),
    ({"target": {"rule": "time", "time_us": 0}, "benchmark": None}, 422, ""),
    ({"target": {"rule": "time"}, "benchmark": None}, 422, "time is missing"),
    ({"target": {"rule": "benchmark"}, "benchmark": None}, 422, "no benchmark yet"),
    ({"target": {"rule": "ideal", "per_cent": 80}, "benchmark": None}, 422, ""),
    ({"target": None, "benchmark": {"time_us": 60_000_000, "whose": "x" * 121}}, 422, ""),
    ({"target": None, "benchmark": None, "strike_limit": -1}, 422, ""),
    ({"target": None, "benchmark": None, "incident_limit": 1001}, 422, ""),
    ({"target": None}, 422, ""),
]


def test_a_target_that_nobody_can_follow_is_refused(client: Browser, combination: str) -> None:
    for body, status, words in NO_TARGET:
        before = client.get(f"/api/combinations/{combination}").json
        assert is_problem(
            client.put(f"/api/combinations/{combination}/target", json=body, headers=at(before["version"])),
            status,
            words,
        )
        assert client.get(f"/api/combinations/{combination}").json == before


def test_a_target_comes_out_as_it_was_sent(client: Browser, combination: str) -> None:
    body = {
        "target": {"rule": "benchmark", "time_us": None, "per_cent": 100.5},
        "benchmark": {"time_us": 61_000_000, "whose": "a friend", "source": "last season", "conditions": "dry"},
        "strike_limit": 8,
        "incident_limit": None,
    }
    answer = client.put(f"/api/combinations/{combination}/target", json=body, headers=at(1))
    assert answer.status_code == 200 and {name: answer.json[name] for name in body} == body
    late = client.put(f"/api/combinations/{combination}/target", json=body, headers=at(1))
    assert is_problem(late, 412) and late.json["current"]["strike_limit"] == 8


NO_CONDITIONS: list[Any] = [
    {"session_local": "2031-06-14T21:30Z", "air_temp_c": None, "track_temp_c": None, "wetness": None},
    {"session_local": None, "air_temp_c": 400, "track_temp_c": None, "wetness": None},
    {"session_local": None, "air_temp_c": None, "track_temp_c": None, "wetness": "snow"},
    {"session_local": None, "air_temp_c": None, "wetness": None},
]


def test_conditions_that_cannot_be_are_refused(client: Browser, filled: str) -> None:
    for body in NO_CONDITIONS:
        session = client.get(f"/api/combinations/{filled}/sessions").json["items"][0]
        assert is_problem(client.put(f"/api/sessions/{session['id']}", json=body, headers=at(session["version"])), 422)
