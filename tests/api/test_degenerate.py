"""Practice in which nothing varies, there is one of a thing, or something rises evenly: every page answers, in
figures or with why not.
"""

import math
from typing import Any

import pytest

from tests.api.conftest import Browser
from tests.unvarying import NAMES, lap_file

ASKED = ("eight equal laps", "a lap", "evenly slower", "equal, two ways tried in turn", "equal, two setups")


def finite(value: Any, place: str = "") -> None:
    if isinstance(value, float):
        assert math.isfinite(value), place
    elif isinstance(value, dict):
        for name, item in value.items():
            finite(item, f"{place}.{name}")
    elif isinstance(value, list):
        for number, item in enumerate(value):
            finite(item, f"{place}[{number}]")


def ask_everything(client: Browser, ids: dict[str, str], queries: dict[str, str]) -> list[str]:
    """What every page asks for that names nothing else than what there is."""
    asked = []
    for path, methods in client.get("/api/openapi.json").json["paths"].items():
        operation = methods.get("get")
        if operation is None or path.endswith(("stream", "openapi.json")):
            continue
        parameters = operation.get("parameters", [])
        names = [item["name"] for item in parameters if item["in"] == "path"]
        needed = [item["name"] for item in parameters if item["in"] == "query" and item.get("required")]
        if not set(names) <= ids.keys() or not set(needed) <= queries.keys():
            continue
        url = path.format(**ids) + ("?" + "&".join(f"{name}={queries[name]}" for name in needed) if needed else "")
        answer = client.get(url, buffered=True)
        assert answer.status_code < 500, (url, answer.text[:500])
        if answer.mimetype == "application/json":
            finite(answer.json, url)
        asked.append(path)
    return asked


@pytest.mark.parametrize("kind", ASKED)
def test_every_page_answers(client: Browser, combination: str, kind: str) -> None:
    seen = client.send(f"/api/combinations/{combination}/lap-files", lap_file(kind)).json
    assert not seen["set_aside_count"], seen["set_aside"]
    client.finish(client.post(f"/api/lap-files/{seen['id']}/import", json={"revision": seen["revision"]}))
    one = client.get(f"/api/combinations/{combination}").json
    made = client.post("/api/series", json={"name": "Cup"}).json
    facts = {
        **{
            "week": 1,
            "begins": "2031-03-03",
            "ends": "2031-03-10",
            "cars": ["Cinder Truck"],
            "track": one["track"],
            "layout": one["layout"],
        },
        **{
            "race_minutes": 20,
            "qualifying_minutes": 5,
            "starts": "at 18:00 20:00",
            "strike_limit": 6,
            "incident_limit": 10,
            "wetness": "dry",
        },
        "compounds": [{"name": "hard", "must": True}, {"name": "soft", "must": False}],
    }
    week = client.post(f"/api/series/{made['id']}/weeks", json=facts)
    assert week.status_code == 201, week.text
    drivers = {item["name"]: item["id"] for item in client.get("/api/profiles").json["items"]}
    client.post(
        "/api/entries", json={"week_ids": [week.json["id"]], "driver_ids": list(drivers.values()), "importance": "must"}
    )
    entered = client.get("/api/races?").json
    driver = drivers[NAMES[0]]
    session = client.get(f"/api/combinations/{combination}/runs").json["sessions"][0]
    ids = {
        "combination_id": combination,
        "driver_id": driver,
        "layout_id": one["layout_id"],
        "series_id": made["id"],
        "week_id": week.json["id"],
        "session_id": session["practice"]["id"],
        "run": "1",
    }
    if entered.get("items"):
        ids["entered_id"] = entered["items"][0]["entry_id"]
    asked = ask_everything(
        client, ids, {"day": "2031-03-05", "first": "run:1:1", "second": "run:1:1", "laps": "20", "text": "a"}
    )
    assert len(asked) > 60, asked
    for path in ("board", "plan", "readiness"):
        assert client.get(f"/api/{path}?day=2031-03-05").status_code == 200
    assert (
        client.get(
            f"/api/combinations/{combination}/drivers/{driver}/versus?first=run:1:1&second=run:1:1&laps=20"
        ).status_code
        < 500
    )
    if kind == "eight equal laps":
        assert client.finish(client.post("/api/plan/make", json={"day": "2031-03-05"}))["state"] == "done"


def test_a_track_that_nobody_has_driven_yet_is_answered_too(client: Browser, combination: str) -> None:
    one = client.get(f"/api/combinations/{combination}").json
    driver = client.post("/api/profiles", json={"name": NAMES[0]}).json["id"]
    ids = {"combination_id": combination, "driver_id": driver, "layout_id": one["layout_id"]}
    assert len(ask_everything(client, ids, {"day": "2031-03-05", "text": "a"})) > 40
