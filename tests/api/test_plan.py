"""The plan over HTTP: made by a worker, changed while looked at, the same out as in, and its borders field by field."""

from datetime import datetime, timedelta
from typing import Any

import icalendar
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.clock import now
from fleet_rival.db.tables import Driver
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem

Sessions = sessionmaker[Session]
TODAY = now().replace(hour=0, minute=0, second=0, microsecond=0)
"""The pages plan from now on: the week is laid around it, whenever this runs."""


def at(version: int) -> dict[str, str]:
    return {"If-Match": f'"{version}"'}


@pytest.fixture
def driver(client: Browser, filled: str) -> Any:
    """Somebody who is entered in a week that runs, and has time every day."""
    row = client.get("/api/profiles").json["items"][0]
    hours = {"weekly": [{"days": list(range(7)), "begins": "18:00", "ends": "22:00"}], "off": [], "extra": []}
    care = {"seat_limit_minutes": 45.0, "quiet_from": "21:00", "quiet_to": "08:00"}
    told = client.put(
        f"/api/profiles/{row['id']}",
        json={"zone": "UTC", "availability": hours, "care": care},
        headers=at(row["version"]),
    )
    assert told.status_code == 200 and told.json["care"] == {**care, "break_minutes": None, "day_limit_minutes": None}
    series = client.post("/api/series", json={"name": "Cinder League"}).json["id"]
    days = {"begins": str((TODAY - timedelta(days=1)).date()), "ends": str((TODAY + timedelta(days=6)).date())}
    place = {"cars": ["Cinder Truck"], "track": "Quernholm", "layout": "Short", "race_laps": 20}
    week = client.post(f"/api/series/{series}/weeks", json={"week": 1, **days, **place}).json["id"]
    assert client.post("/api/entries", json={"week_ids": [week], "driver_ids": [row["id"]]}).status_code == 201
    return row


@pytest.fixture
def plan(client: Browser, driver: Any) -> Any:
    job = client.finish(client.post("/api/plan/make", json={}))
    assert job["state"] == "done" and job["result"]["placed"] > 0, job
    told = client.get("/api/plan").json
    schemas.PlanOut.model_validate(told)
    return told


def test_a_plan_is_made_shown_and_changed(client: Browser, driver: Any, plan: Any) -> None:
    assert plan["proven"] and plan["made_at"] and not plan["changed"]
    [lane] = [lane for lane in plan["lanes"] if lane["id"] == driver["id"]]
    assert lane["care"] == {"seat_limit_minutes": 45.0, "break_minutes": 10.0, "day_limit_minutes": 150.0}
    assert all(block["broken"] == [] and block["driver_id"] == driver["id"] for block in plan["blocks"])
    one = plan["blocks"][0]
    moved = (datetime.fromisoformat(one["begins_at"]) + timedelta(minutes=5)).isoformat()
    path = f"/api/plan/blocks/{one['id']}"
    assert client.put(path, json={"begins_at": moved}, headers=at(one["version"])).status_code == 204
    assert is_problem(client.put(path, json={"minutes": 20}, headers=at(one["version"])), 412)
    assert is_problem(client.delete(path, headers=at(one["version"])), 412)
    [now] = [block for block in client.get("/api/plan").json["blocks"] if block["id"] == one["id"]]
    assert datetime.fromisoformat(now["begins_at"]) == datetime.fromisoformat(moved) and now["locked"]
    assert client.delete(path, headers=at(now["version"])).status_code == 204
    assert is_problem(client.delete(path, headers=at(now["version"])), 404)
    assert len(client.get("/api/plan").json["blocks"]) == len(plan["blocks"]) - 1


NO_CHANGE: list[Any] = [
    {"minutes": 0},
    {"minutes": 601},
    {"minutes": 12.5},
    {"begins_at": "soon"},
    {"rig_id": "none"},
    {"locked": "maybe"},
    {"kind": "walk"},
    {"gain_us": 1_000_000},
]


def test_a_change_in_other_words_is_refused_at_the_border(client: Browser, plan: Any) -> None:
    one = plan["blocks"][0]
    for values in NO_CHANGE:
        assert is_problem(client.put(f"/api/plan/blocks/{one['id']}", json=values, headers=at(one["version"])), 422), (
            values
        )
    assert is_problem(
        client.put(f"/api/plan/blocks/{one['id']}", json={"minutes": 7}, headers=at(one["version"])),
        422,
        "whole five minutes",
    )
    for wish in ({"day": "tomorrow"}, {"drivers": ["nobody"]}, {"everybody": True}):
        assert is_problem(client.post("/api/plan/make", json=wish), 422)
    for path in ("/api/plan?day=x", "/api/readiness?week=1", "/api/plan/why", "/api/plan/why?key="):
        assert is_problem(client.get(path), 422)
    [same] = [block for block in client.get("/api/plan").json["blocks"] if block["id"] == one["id"]]
    assert same == one


def test_the_same_plan_is_not_made_twice_at_once(client: Browser, driver: Any) -> None:
    begun = client.post("/api/plan/make", json={})
    assert is_problem(client.post("/api/plan/make", json={}), 409, "under way")
    assert client.finish(begun)["state"] == "done"
    assert client.finish(client.post("/api/plan/make", json={"drivers": [driver["id"]]}))["state"] == "done"


def test_why_answers_for_what_stands_there_and_for_what_does_not(client: Browser, plan: Any) -> None:
    told = client.get("/api/plan/why", query_string={"key": plan["blocks"][0]["key"]})
    schemas.WhyOut.model_validate(told.json)
    assert told.status_code == 200 and told.json["words"][0].startswith("Worth ")
    for left in plan["left"][:2]:
        assert client.get("/api/plan/why", query_string={"key": left["key"]}).status_code == 200
    assert is_problem(client.get("/api/plan/why", query_string={"key": "nothing"}), 404)


def test_a_driver_reads_the_own_plan_and_changes_nothing(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, driver: Any, plan: Any
) -> None:
    with sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == driver["name"])).one()
    own, other = (
        browser(add_person(sessions, manager, "At home", "driver", key)),
        browser(add_person(sessions, manager, "Nobody yet", "driver")),
    )
    assert {block["id"] for block in own.get("/api/plan").json["blocks"]} == {block["id"] for block in plan["blocks"]}
    coming = own.get("/api/plan/coming").json["items"]
    assert [item["id"] for item in coming] == [block["id"] for block in plan["blocks"]]
    assert [item["driver"] for item in own.get("/api/readiness").json["items"]] == [driver["name"]]
    for empty in (
        other.get("/api/plan").json["blocks"],
        other.get("/api/plan").json["lanes"],
        other.get("/api/plan/coming").json["items"],
    ):
        assert empty == []
    assert other.get("/api/readiness").json["items"] == [] and driver["name"] not in other.get("/api/plan").text
    one = plan["blocks"][0]
    assert is_problem(own.put(f"/api/plan/blocks/{one['id']}", json={"locked": True}, headers=at(one["version"])), 403)
    assert is_problem(own.post("/api/plan/make", json={}), 403)


def test_blocks_stand_in_the_private_calendar(client: Browser, plan: Any) -> None:
    address = client.post("/api/me/calendars", json={"name": "Phone"}).json["address"]
    read = icalendar.Calendar.from_ical(client.get(address[address.index("/api/") :]).data)
    events = {str(event["uid"]): event for event in read.walk("VEVENT")}
    for block in plan["blocks"]:
        event = events[f"{block['id']}@fleet-rival"]
        assert event["dtstart"].dt == datetime.fromisoformat(block["begins_at"]) and block["words"] in str(
            event["summary"]
        )
        assert event["dtend"].dt - event["dtstart"].dt == timedelta(minutes=block["minutes"])


def test_nobody_entered_is_an_empty_plan(client: Browser, filled: str) -> None:
    told = client.get("/api/plan").json
    schemas.PlanOut.model_validate(told)
    assert told["lanes"] == told["blocks"] == told["left"] == [] and told["made_at"] is None
    assert client.get("/api/readiness").json["items"] == []
    assert client.finish(client.post("/api/plan/make", json={}))["state"] == "done"


def test_rules_and_kinds_come_back_as_they_were_written(client: Browser, plan: Any) -> None:
    usual = client.get("/api/plan/rules").json
    schemas.PlanRulesOut.model_validate(usual)
    body = rules_of(usual)
    body["checks"]["laps"] = {"met": 40, "close": 20, "weight": 5}
    body["blocks"]["own-x"] = {
        **body["blocks"]["build"],
        "name": "standing starts",
        "times": 2,
        "driving": True,
        "coached": False,
    }
    kept = client.put("/api/plan/rules", json=body, headers=at(0))
    assert kept.status_code == 200 and kept.json["version"] == 1
    told = {item["key"]: item for item in client.get("/api/plan/rules").json["checks"]}
    assert (told["laps"]["met"], told["laps"]["close"], told["laps"]["weight"], told["laps"]["usual_met"]) == (
        40,
        20,
        5,
        60,
    )
    assert [item["words"] for item in kept.json["blocks"] if item["own"]] == ["standing starts"]
    assert is_problem(client.put("/api/plan/rules", json=body, headers=at(0)), 412)
    # As usual again: nothing is kept of it, and kinds that are missing are gone.
    again = client.put("/api/plan/rules", json=rules_of(usual), headers=at(1)).json
    assert {**again, "version": 0} == usual


def rules_of(told: Any) -> Any:
    names = ("laps", "minutes", "rank", "share", "planned", "pass_mark")
    return {
        "checks": {item["key"]: {name: item[name] for name in ("met", "close", "weight")} for item in told["checks"]},
        "blocks": {item["code"]: {name: item[name] for name in names} for item in told["blocks"]},
    }


NO_RULES: list[dict[str, Any]] = [
    {"checks": {"wings": {"met": 1, "close": 1, "weight": 1}}, "blocks": {}},
    {"checks": {"laps": {"met": "many", "close": 1, "weight": 1}}, "blocks": {}},
    {"checks": {"laps": {"met": 5, "close": 10, "weight": 1}}, "blocks": {}},
    {"checks": {"spread": {"met": -1, "close": 1, "weight": 1}}, "blocks": {}},
    {"checks": {}, "blocks": {"build": {"laps": 3}}},
    {"checks": {}},
    {"checks": {}, "blocks": {}, "colour": "red"},
]


@pytest.mark.parametrize("wrong", NO_RULES)
def test_rules_that_cannot_be_are_refused(client: Browser, filled: str, wrong: dict[str, Any]) -> None:
    before = client.get("/api/plan/rules").json
    assert is_problem(client.put("/api/plan/rules", json=wrong, headers=at(0)), 422)
    assert client.get("/api/plan/rules").json == before


def test_what_if_and_room_are_answered_by_a_worker(client: Browser, driver: Any, plan: Any) -> None:
    begins = (TODAY + timedelta(days=1)).isoformat()
    away = {
        "kind": "less_time",
        "driver_id": driver["id"],
        "begins_at": begins,
        "ends_at": (TODAY + timedelta(days=7)).isoformat(),
    }
    told = client.finish(client.post("/api/plan/what-if", json={"changes": [away]}))
    assert (
        told["state"] == "done"
        and told["result"]["gained_us"] <= 0
        and set(told["result"]) == {"gained_us", "words", "before", "after"}
    )
    assert client.get("/api/plan").json["blocks"] == plan["blocks"], "nothing of it is kept"
    key = plan["blocks"][0]["key"]
    room = client.finish(client.post("/api/plan/room", json={"key": key}))
    assert room["state"] == "done" and room["result"]["key"] == key and room["result"]["items"] == [], "it has a place"
    failed = client.finish(client.post("/api/plan/room", json={"key": "nothing"}))
    assert failed["state"] == "failed" and "isn't wanted" in failed["trouble"]
    for wrong in (
        {"changes": []},
        {"changes": [{"kind": "more"}]},
        {"changes": [{**away, "begins_at": "2031-04-09T19:00"}]},
        {"changes": [away] * 11},
    ):
        assert is_problem(client.post("/api/plan/what-if", json=wrong), 422)


def test_readiness_is_looked_back_at_by_who_may_see_it(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, driver: Any, plan: Any
) -> None:
    [entry] = {block["entry_id"] for block in plan["blocks"]}
    told = client.finish(client.post("/api/readiness/history", json={"entry_id": entry}))
    assert told["state"] == "done" and set(told["result"]) == {"entry_id", "days", "earlier"}
    other = browser(add_person(sessions, manager, "Nobody yet", "driver"))
    assert is_problem(other.post("/api/readiness/history", json={"entry_id": entry}), 404)


def test_line_up_outlook_and_seats(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, driver: Any
) -> None:
    told = client.post("/api/lineup", json={"most_each": 1}).json
    schemas.LineupOut.model_validate(told)
    assert [race["series"] for race in told["races"]] == ["Cinder League"]
    series = told["races"][0]["series_id"]
    assert not any(
        cell["chosen"]
        for row in client.post("/api/lineup", json={"places": {series: 0}}).json["rows"]
        for cell in row["cells"]
    )
    for wrong in ({"most_each": 0}, {"places": {"nowhere": 1}}, {"whole_season": "no, thank you"}, {"colour": "red"}):
        assert is_problem(client.post("/api/lineup", json=wrong), 422)
    version = next(item for item in client.get("/api/series").json["items"] if item["id"] == series)["version"]
    assert client.put(f"/api/series/{series}/counting", json={"best_weeks": 4}, headers=at(version)).status_code == 204
    assert [item["best_weeks"] for item in client.post("/api/lineup", json={}).json["standings"]] == [4]
    assert is_problem(
        client.put(f"/api/series/{series}/counting", json={"best_weeks": 0}, headers=at(version + 1)), 422
    )

    ahead = client.get("/api/outlook").json
    schemas.OutlookOut.model_validate(ahead)
    assert [race["series"] for race in ahead["steps"][0]["races"]] == ["Cinder League"]
    assert driver["name"] in {item["driver"] for item in ahead["drivers"]}
    assert client.get("/api/seats").json == {"items": []}, "nobody drove in the last hours"
    nobody = browser(add_person(sessions, manager, "Nobody yet", "driver"))
    assert nobody.get("/api/outlook").json["drivers"] == [] and is_problem(nobody.post("/api/lineup", json={}), 403)
