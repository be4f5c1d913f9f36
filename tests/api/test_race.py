"""The race and its sheet over HTTP: the same out as in, its borders field by field, and what a driver may."""

import json
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.db.tables import Driver
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem
from tests.api.test_plan import at, driver

__all__ = ["driver"]

Sessions = sessionmaker[Session]
WISH: dict[str, Any] = {
    "pit_s": 21.5,
    "pit_deviation_s": 0.8,
    "caution_pit_s": 12.5,
    "risk": 0.1,
    "formation_laps": 1.0,
    "saving": 0.05,
    "leader_us": 61_000_000,
    "rivals_us": [60_500_000, 61_200_000],
    "life": {"soft": 12},
    "wet_on_dry_us": 66_000_000,
    "dry_on_wet_us": 80_000_000,
    "remember": "Hands quiet.",
    "early": "Two attack early.",
}


@pytest.fixture
def race(client: Browser, driver: Any) -> Any:
    """The race ahead of somebody who is entered."""
    [item] = client.get("/api/races").json["items"]
    assert item["driver_id"] == driver["id"] and item["series"] == "Cinder League" and item["race_at"] is None
    told = client.get(f"/api/races/{item['entry_id']}").json
    schemas.RaceOut.model_validate(told)
    return told


def test_what_people_know_comes_back_as_it_was_written(client: Browser, race: Any) -> None:
    path = f"/api/races/{race['entry_id']}"
    assert race["wish"]["pit_s"] == 25.0 and race["wish"]["life"] == {} and race["distance"]["laps"] == 20
    told = client.put(path, json=WISH, headers=at(race["version"]))
    assert told.status_code == 200 and told.json["wish"] == WISH and told.json["version"] == race["version"] + 1
    assert client.get(path).json["wish"] == WISH
    assert is_problem(client.put(path, json=WISH, headers=at(race["version"])), 412)
    # What isn't named is as usual again: the form holds all of it.
    assert client.put(path, json={}, headers=at(told.json["version"])).json["wish"] == race["wish"]


@pytest.mark.parametrize(
    "wrong",
    [
        {"risk": 0},
        {"risk": 0.6},
        {"saving": 1},
        {"pit_s": -1},
        {"caution_pit_s": -1},
        {"pit_s": "long"},
        {"leader_us": 10},
        {"rivals_us": [10]},
        {"formation_laps": 9},
        {"life": {"soft": "many"}},
        {"life": {"soft": 0}},
        {"remember": "x" * 201},
        {"colour": "red"},
    ],
)
def test_what_cannot_be_is_refused(client: Browser, race: Any, wrong: dict[str, Any]) -> None:
    path = f"/api/races/{race['entry_id']}"
    assert is_problem(client.put(path, json=wrong, headers=at(race["version"])), 422)
    assert client.get(path).json == race


def test_a_sheet_goes_out_in_numbers_and_is_printed(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, driver: Any, race: Any
) -> None:
    path = f"/api/races/{race['entry_id']}"
    draft = client.get(f"{path}/sheet").json
    schemas.SheetOut.model_validate(draft)
    assert (
        draft["number"] is None
        and draft["outdated"]
        and [part["title"] for part in draft["parts"]][:2] == ["Remember", "Qualifying"]
    )
    first = client.post(f"{path}/sheet")
    assert first.status_code == 201 and first.json["number"] == 1 and first.json["by"] == manager_name(client)
    assert is_problem(client.post(f"{path}/sheet"), 422, "says the same")
    for query in ("", "?zone=Europe/Oslo"):
        printed = client.get(f"{path}/sheet.pdf{query}")
        assert (
            printed.status_code == 200 and printed.mimetype == "application/pdf" and printed.data.startswith(b"%PDF-")
        )
    assert is_problem(client.get(f"{path}/sheet.pdf?zone=Nowhere/Land"), 422, "zone")

    with sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == driver["name"])).one()
    own, other = (
        browser(add_person(sessions, manager, "At home", "driver", key)),
        browser(add_person(sessions, manager, "Nobody yet", "driver")),
    )
    assert is_problem(client.post(f"{path}/sheet/read", json={"number": 1}), 403)
    assert own.get(f"{path}/sheet").json["last"] == first.json["last"]
    assert is_problem(own.post(f"{path}/sheet/read", json={"number": 2}), 422, "newer")
    assert own.post(f"{path}/sheet/read", json={"number": 1}).status_code == 204
    assert client.get(f"{path}/sheet").json["read_at"] is not None
    assert is_problem(own.post(f"{path}/sheet"), 403) and is_problem(
        own.put(path, json=WISH, headers=at(race["version"])), 403
    )
    for address in (path, f"{path}/sheet", f"{path}/sheet.pdf"):
        assert is_problem(other.get(address), 404)
    assert other.get("/api/races").json["items"] == [] and [
        item["entry_id"] for item in own.get("/api/races").json["items"]
    ] == [race["entry_id"]]


def manager_name(client: Browser) -> str:
    name: str = client.get("/api/me").json["person"]
    return name


PRESSURES: dict[str, Any] = {
    "cold_kpa": {"front_left": 160.0},
    "hot_kpa": {"front_left": 190.0},
    "wanted_kpa": {"front_left": 185.0},
}


def test_pressures_are_worked_out_on_the_cars_step(client: Browser, combination: str) -> None:
    told = client.post("/api/races/pressures", json={**PRESSURES, "step_kpa": 2}).json
    assert (
        told["cold_kpa"]["front_left"] % 2 == 0
        and abs(told["cold_kpa"]["front_left"] - told["exactly_kpa"]["front_left"]) <= 1
    )
    hotter = client.post(
        "/api/races/pressures", json={**PRESSURES, "cold_c": 20, "track_c": 30, "now_track_c": 45}
    ).json
    assert hotter["exactly_kpa"]["front_left"] < told["exactly_kpa"]["front_left"]
    for wrong in (
        {"hot_kpa": {}},
        {"step_kpa": 0},
        {"cold_kpa": {"front_left": "low"}},
        {"cold_c": 300},
        {"hot_kpa": {"front_left": 100.0}},
    ):
        assert is_problem(client.post("/api/races/pressures", json={**PRESSURES, **wrong}), 422), wrong


def test_nobody_entered_is_an_empty_list(client: Browser, filled: str) -> None:
    assert client.get("/api/races").json == {"items": []}
    assert is_problem(client.get("/api/races/00000000-0000-0000-0000-000000000000"), 404)


def test_answers_and_errors_say_quantities_in_the_units_of_who_asks(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, combination: str
) -> None:
    other = browser(add_person(sessions, manager, "From elsewhere", "coach"))
    assert client.put("/api/me/preferences", json={"pressure": "psi", "speed": "mph"}).status_code == 200
    wrong = {**PRESSURES, "cold_kpa": dict.fromkeys(PRESSURES["cold_kpa"], 10)}
    told, plain = (asked.post("/api/races/pressures", json=wrong).json["detail"] for asked in (client, other))
    assert (
        "1.5 psi is none of a tyre: 5.8 psi to 87.0 psi" in told
        and "10 kPa is none of a tyre: 40 kPa to 600 kPa" in plain
    )
    assert [" mph " in json.dumps(asked.get("/api/thresholds").json) for asked in (client, other)] == [True, False]
    # Kept answers are told apart by units, or a browser would go on showing the old ones.
    path = f"/api/combinations/{combination}/analysis"
    assert client.get(path).headers["ETag"] != other.get(path).headers["ETag"]

    me = client.get("/api/me").json
    assert (
        me["units"] == {"speed": "mph", "temperature": "°C", "pressure": "psi", "volume": "l"}
        and me["team_units"]["speed"] == "km/h"
    )
    units = {"speed": "km/h", "temperature": "°F", "pressure": "bar", "volume": "gal"}
    assert (
        client.put(
            "/api/team",
            json={"name": me["team"], "open_ranking": False, "units": units},
            headers=at(me["team_version"]),
        ).status_code
        == 200
    )
    assert other.get("/api/me").json["units"] == units
    assert client.get("/api/me").json["units"] == {**units, "speed": "mph", "pressure": "psi"}
    assert is_problem(
        client.put(
            "/api/team", json={"name": "x", "open_ranking": False, "units": {**units, "speed": "knots"}}, headers=at(2)
        ),
        422,
    )
