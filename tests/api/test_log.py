"""What was learned over HTTP: written, found, confirmed, and its borders."""

from typing import Any

import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem
from tests.api.test_plan import TODAY, at, driver

__all__ = ["driver"]

NOBODY = "00000000-0000-0000-0000-000000000000"


@pytest.fixture
def layout(client: Browser, filled: str) -> str:
    key: str = client.get("/api/layouts").json["items"][0]["id"]
    return key


def test_a_lesson_goes_through_a_team(
    client: Browser, browser: Sign, sessions: sessionmaker[Session], manager: Actor, layout: str
) -> None:
    own, other = (
        browser(add_person(sessions, manager, "At home", "driver")),
        browser(add_person(sessions, manager, "Somebody", "driver")),
    )
    body = {"text": "  later turn-in\n over the bumps ", "layout_id": layout, "corner": "T1", "condition": "wet"}
    made = own.post("/api/lessons", json=body)
    assert made.status_code == 201
    [seen] = client.get("/api/lessons").json["items"]
    schemas.LessonOut.model_validate(seen)
    assert seen["id"] == made.json["id"] and seen["text"] == "later turn-in over the bumps" and seen["by"] == "At home"
    assert (seen["corner"], seen["condition"], seen["confirmed_at"], seen["own"]) == ("T1", "wet", None, False)
    assert other.get("/api/lessons").json["items"] == [] and own.get("/api/lessons").json["items"][0]["own"]

    path = f"/api/lessons/{seen['id']}"
    assert is_problem(own.post(f"{path}/confirm", headers=at(1)), 403)
    assert own.put(path, json={**body, "text": "later turn-in"}, headers=at(1)).status_code == 204
    assert is_problem(own.put(path, json=body, headers=at(1)), 412)
    assert is_problem(other.put(path, json=body, headers=at(2)), 404) and is_problem(
        other.delete(path, headers=at(2)), 404
    )
    assert client.post(f"{path}/confirm", headers=at(2)).status_code == 204
    assert [item["confirmed_by"] for item in other.get("/api/lessons").json["items"]] == [
        client.get("/api/me").json["person"]
    ]
    assert is_problem(own.delete(path, headers=at(3)), 404), "it is the team's now"
    assert client.delete(path, headers=at(3)).status_code == 204 and client.get("/api/lessons").json["items"] == []


def test_lessons_are_found_by_words_and_ties(client: Browser, layout: str) -> None:
    car = client.get("/api/cars").json["items"][0]["id"]
    said: tuple[tuple[str, dict[str, str]], ...] = (
        ("pushes when full", {"car_id": car}),
        ("pushes over the crest", {"layout_id": layout}),
        ("both", {"car_id": car, "layout_id": layout}),
    )
    for text, ties in said:
        assert client.post("/api/lessons", json={"text": text, **ties}).status_code == 201

    def found(**query: str) -> set[str]:
        return {item["text"] for item in client.get("/api/lessons", query_string=query).json["items"]}

    assert found(q="PUSH") == {"pushes when full", "pushes over the crest"} and found(q="crest push") == {
        "pushes over the crest"
    }
    assert found(car=car) == {"pushes when full", "both"} and found(car=car, layout=layout) == {"both"}
    assert found(q="full", layout=layout) == set() and found(driver=NOBODY) == set()


WRONG: list[dict[str, Any]] = [
    {"text": ""},
    {"text": "   "},
    {"text": "x" * 501},
    {"condition": "snow"},
    {"corner": "T99"},
    {"layout_id": "somewhere"},
    {"colour": "red"},
]


@pytest.mark.parametrize("wrong", WRONG)
def test_what_cannot_be_is_refused(client: Browser, layout: str, wrong: dict[str, Any]) -> None:
    assert is_problem(client.post("/api/lessons", json={"text": "true", "layout_id": layout, **wrong}), 422)
    assert client.get("/api/lessons").json["items"] == []


def test_what_is_not_there_is_not_there(client: Browser, layout: str) -> None:
    assert is_problem(client.post("/api/lessons", json={"text": "true", "car_id": NOBODY}), 404)
    assert is_problem(client.post("/api/lessons", json={"text": "tied to nothing"}), 422, "where it holds")
    assert is_problem(client.post(f"/api/lessons/{NOBODY}/confirm", headers=at(1)), 404)
    assert is_problem(client.get(f"/api/weeks/{NOBODY}/lessons"), 404)
    for query in ("?car=x", "?colour=red", f"?q={'x' * 201}"):
        assert is_problem(client.get(f"/api/lessons{query}"), 422)


RESULT: dict[str, Any] = {
    "qualifying_us": 61_200_000,
    "grid": 4,
    "finish": 2,
    "laps": 20,
    "stops": [{"lap": 9, "seconds": 24.5, "compound": "soft"}],
    "incidents": [{"corner": None, "what": "contact", "fault": "shared", "lap": 1, "note": "side by side"}],
    "points": 31.5,
    "note": "Held the place.",
}


@pytest.fixture
def entry(client: Browser, driver: Any) -> str:
    key: str = client.get("/api/races").json["items"][0]["entry_id"]
    return key


def test_a_result_comes_back_as_it_was_written(client: Browser, entry: str) -> None:
    body = {**RESULT, "starts_at": TODAY.isoformat().replace("+00:00", "Z")}
    made = client.post(f"/api/races/{entry}/results", json=body)
    assert made.status_code == 201, made.text
    told = client.get(f"/api/races/{entry}/debrief").json
    schemas.DebriefOut.model_validate(told)
    [result] = told["results"]
    assert {name: result[name] for name in body} == body and (result["id"], result["version"]) == (made.json["id"], 1)
    listed = client.get("/api/results").json
    schemas.RacesBehind.model_validate(listed)
    assert [item["points"] for item in listed["items"]] == [31.5] and listed["calibration"] == []
    path = f"/api/results/{result['id']}"
    assert client.put(path, json={**body, "points": None, "incidents": []}, headers=at(1)).status_code == 204
    assert is_problem(client.put(path, json=body, headers=at(1)), 412)
    assert is_problem(client.post(f"/api/races/{entry}/results", json=body), 409, "already")
    assert client.delete(path, headers=at(2)).status_code == 204
    assert client.get(f"/api/races/{entry}/debrief").json["results"] == []


@pytest.mark.parametrize(
    "wrong",
    [
        {"starts_at": "2031-04-09T19:00"},
        {"starts_at": "2001-04-09T19:00:00Z"},
        {"qualifying_us": 5},
        {"grid": 0},
        {"finish": "first"},
        {"laps": -1},
        {"stops": [{"seconds": 3}]},
        {"incidents": [{"corner": "T1", "what": "bang", "fault": "own"}]},
        {"incidents": [{"corner": "T1", "what": "spin", "fault": "mine"}]},
        {"incidents": [{"corner": "T99", "what": "spin", "fault": "own"}]},
        {"note": "x" * 2001},
        {"colour": "red"},
    ],
)
def test_results_that_cannot_be_are_refused(client: Browser, entry: str, wrong: dict[str, Any]) -> None:
    assert is_problem(
        client.post(f"/api/races/{entry}/results", json={**RESULT, "starts_at": TODAY.isoformat(), **wrong}), 422
    )
    assert client.get(f"/api/races/{entry}/debrief").json["results"] == []
