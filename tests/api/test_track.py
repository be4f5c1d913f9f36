"""The track book over HTTP: borders that hold, both states told, boundaries as a job, files and pictures out."""

import io
from typing import Any

import pytest
from PIL import Image
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import Browser, Sign, is_problem
from tests.conftest import example

Sessions = sessionmaker[Session]
BOARD = {"point": "braking", "kind": "board", "thing": "second board"}
BY_HAND: dict[str, Any] = {
    "track": "Quernholm",
    "layout": "Short",
    "length_m": 1000,
    "sectors": [{"code": "S1", "start_m": 0}, {"code": "S2", "start_m": 500}],
    "corners": [
        {"code": "T1", "start_m": 100, "apex_m": 120, "end_m": 150, "direction": "left"},
        {"code": "T2", "start_m": 600, "apex_m": 620, "end_m": 650},
    ],
}


@pytest.fixture
def layout(client: Browser, combination: str) -> str:
    return str(client.get(f"/api/combinations/{combination}").json["layout_id"])


def book(client: Browser, layout: str, **query: str) -> Any:
    answer = client.get(f"/api/layouts/{layout}", query_string=query)
    assert answer.status_code == 200
    return answer.json


def at(version: int) -> dict[str, str]:
    return {"If-Match": f'"{version}"'}


def draft(shown: Any) -> dict[str, Any]:
    """The boundaries as they are, to be changed."""
    names = ("id", "code", "name", "start_m", "apex_m", "end_m", "direction")
    return {
        "sectors": shown["sectors"],
        "corners": [{name: corner[name] for name in names} for corner in shown["corners"]],
    }


def test_a_layout_is_drawn_up_changed_and_written_out(client: Browser) -> None:
    made = client.post("/api/layouts/by-hand", json=BY_HAND)
    assert made.status_code == 201
    shown = book(client, made.json["id"])
    schemas.BookOut.model_validate(shown)
    assert [corner["code"] for corner in shown["corners"]] == ["T1", "T2"] and not shown["has_centreline"]
    told = {
        "track": "Quernholm",
        "layout": "Long",
        "kind": "oval",
        "pit": {"entry_m": 950, "exit_m": 40, "side": "left"},
        "pit_exit_note": "Left.",
    }
    changed = client.put(f"/api/layouts/{shown['id']}", json=told, headers=at(shown["version"]))
    assert changed.status_code == 200 and changed.json["pit"]["exit_m"] == 40
    refused = client.put(
        f"/api/layouts/{shown['id']}", json={"track": "x", "layout": "x", "kind": "x"}, headers=at(shown["version"])
    )
    assert is_problem(refused, 412) and refused.json["current"]["layout"] == "Long"
    sent = client.get(f"/api/layouts/{shown['id']}/track.json")
    assert read_track(sent.data).layout == "Long" and "quernholm-long.track.json" in sent.headers["Content-Disposition"]
    turned = client.post(f"/api/layouts/{shown['id']}/derive", json={"how": "reversed", "layout": "Gnoh Ⅱ"})
    assert turned.status_code == 201
    assert "gnoh-%E2%85%B1" in client.get(f"/api/layouts/{turned.json['id']}/track.json").headers["Content-Disposition"]
    assert client.delete(f"/api/layouts/{turned.json['id']}").status_code == 204
    assert client.delete(f"/api/layouts/{shown['id']}").status_code == 204
    assert is_problem(client.get(f"/api/layouts/{shown['id']}"), 404)


NO_LAYOUT: list[Any] = [
    ({"length_m": 0}, ""),
    ({"sectors": []}, ""),
    ({"unknown": 1}, ""),
    ({"track": "  "}, "Give the track a name"),
    ({"layout": " "}, "Give the layout a name"),
    ({"kind": "x" * 41}, ""),
    ({"length_m": 500}, "sector S2 starts at 500 m, outside the lap"),
    ({"corners": [*reversed(BY_HAND["corners"])]}, "corner T1 starts at 100 m, not after T2"),
    ({"corners": [{"code": "T1", "start_m": 100, "apex_m": 20, "end_m": 150}] * 2}, "stands twice"),
    ({"pit": {"entry_m": 2000, "exit_m": 10}}, "the pit entry at 2000 m lies outside"),
]


def test_a_layout_that_contradicts_itself_is_refused_with_the_place(client: Browser) -> None:
    for changes, words in NO_LAYOUT:
        assert is_problem(client.post("/api/layouts/by-hand", json={**BY_HAND, **changes}), 422, words)
        assert client.get("/api/layouts").json["items"] == []


NO_TRACK_FILE: list[Any] = [
    (b'"start_m": 275.3', b'"start_m": 27.5', "must ascend"),
    (b'"start_m": 677.6', b'"start_m": 6776', "outside the lap"),
    (b'"length_m": 804.6', b'"length_m": 1804.6', "steps of 4.99"),
]


def test_a_track_file_that_contradicts_itself_leaves_nothing_behind(client: Browser) -> None:
    for find, put, words in NO_TRACK_FILE:
        content = example("dirty/practice.track.json").replace(find, put)
        assert content != example("dirty/practice.track.json")
        assert is_problem(client.send("/api/layouts", content), 422, words)
        assert client.get("/api/layouts").json["items"] == []
        assert [item["action"] for item in client.get("/api/history").json["items"]] == ["people.join"]


def test_two_who_write_of_a_corner_or_a_reference_are_both_told(client: Browser, layout: str) -> None:
    corner = book(client, layout)["corners"][0]
    assert (
        client.put(f"/api/corners/{corner['id']}", json={"note": "mine"}, headers=at(corner["version"])).status_code
        == 204
    )
    refused = client.put(f"/api/corners/{corner['id']}", json={"note": "theirs"}, headers=at(corner["version"]))
    assert is_problem(refused, 412) and refused.json["current"]["note"] == "mine"
    made = client.post(f"/api/corners/{corner['id']}/references", json=BOARD).json["id"]
    assert client.put(f"/api/references/{made}", json={**BOARD, "thing": "oak"}, headers=at(1)).status_code == 204
    refused = client.put(f"/api/references/{made}", json=BOARD, headers=at(1))
    assert is_problem(refused, 412) and refused.json["current"]["thing"] == "oak"


NO_REFERENCE: list[Any] = [
    {"point": "somewhere"},
    {"kind": "star"},
    {"offset_m": 5000},
    {"brake_peak_pct": 130},
    {"gear": 0},
    {"variant": "snow"},
    {"state": "confirmed"},
    {"thing": "x" * 201},
    {"side": "below"},
    {"throttle": "somehow"},
    {"lasts": "forever"},
]


def test_a_reference_in_other_words_is_refused_at_the_border(client: Browser, layout: str) -> None:
    for changes in NO_REFERENCE:
        corner = book(client, layout)["corners"][0]["id"]
        assert is_problem(client.post(f"/api/corners/{corner}/references", json={**BOARD, **changes}), 422)
        assert book(client, layout)["references"] == []


NO_CORNER: list[Any] = [
    {"importance": "huge"},
    {"traits": [{"kind": "lava"}]},
    {"kerbs": [{"where": "exit", "use": "eat"}]},
    {"limits": [{"where": "exit", "cost": "money"}]},
    {"passing": [{"side": "above", "risk": "low"}]},
    {"lanes": [{"phase": "lap 3", "lane": "inside"}]},
    {"start_m": 3},
    {"other_names": [""]},
]


def test_a_corner_in_other_words_is_refused_at_the_border(client: Browser, layout: str) -> None:
    for changes in NO_CORNER:
        corner = book(client, layout)["corners"][0]
        assert is_problem(client.put(f"/api/corners/{corner['id']}", json=changes, headers=at(corner["version"])), 422)
        assert book(client, layout)["corners"][0] == corner


def test_all_that_is_written_of_a_corner_comes_out_the_same(client: Browser, layout: str) -> None:
    first, second = book(client, layout)["corners"][:2]
    told = {
        "name": "Boiler House",
        "other_names": ["The Boiler", "Kettle"],
        "move": "Esses",
        "given_up_for": second["code"],
        "importance": "high",
        "traits": [{"kind": "crest", "where": "entry"}, {"kind": "grip", "where": "painted patch"}],
        "kerbs": [{"where": "exit, first half", "use": "never", "why": "throws the car"}],
        "limits": [{"where": "exit", "part": "all four wheels", "cost": "strike", "rules": "2031-2"}],
        "passing": [{"side": "left", "risk": "low", "wrong": "", "yield_when": "when alongside at the board"}],
        "lanes": [{"phase": "end", "lane": "outside", "where": "second groove", "why": "it has rubber"}],
        "note": "Two lines work.",
    }
    assert client.put(f"/api/corners/{first['id']}", json=told, headers=at(first["version"])).status_code == 204
    shown = book(client, layout)["corners"][0]
    assert {name: shown[name] for name in told if name != "importance"} == {
        name: value for name, value in told.items() if name != "importance"
    }
    assert shown["importance"]["said"] == "high"


def test_a_driver_proposes_and_those_who_lead_confirm(
    client: Browser, browser: Sign, sessions: Sessions, manager: Actor, layout: str
) -> None:
    driver = browser(add_person(sessions, manager, "Ysolde Farrand", "driver"))
    corner = book(client, layout)["corners"][0]["id"]
    made = driver.post(f"/api/corners/{corner}/references", json={**BOARD, "confirmed": True}).json["id"]
    assert book(driver, layout)["references"][0]["state"] == "proposed"
    assert is_problem(driver.post(f"/api/references/{made}/confirm"), 403)
    assert client.post(f"/api/references/{made}/confirm").status_code == 204
    shown = book(driver, layout)["references"][0]
    assert (shown["state"], shown["settled_by"], shown["mine"]) == ("confirmed", "Maren Holloway", False)
    assert is_problem(driver.delete(f"/api/references/{made}"), 409, "no longer only a proposal")
    assert (
        client.post(f"/api/corners/{corner}/references", json={**BOARD, "point": "apex", "confirmed": True}).status_code
        == 201
    )
    assert {item["state"] for item in book(client, layout)["references"]} == {"confirmed"}
    assert client.post(f"/api/references/{made}/decline").status_code == 204
    assert client.get(f"/api/layouts/{layout}/card").json["lines"][0]["words"].startswith("Apex")


def test_boundaries_move_as_a_job_that_can_be_taken_back(client: Browser, filled: str) -> None:
    layout = client.get(f"/api/combinations/{filled}").json["layout_id"]
    shown = book(client, layout)
    codes = [corner["code"] for corner in shown["corners"]]
    wanted = draft(shown)
    wanted["corners"][2]["start_m"] -= 4
    told = client.post(f"/api/layouts/{layout}/boundaries/look", json=wanted).json
    assert told["lost"] == [codes[1], codes[2]] and told["losing"][0]["laps"] == told["laps"] > 60

    before = client.get(f"/api/combinations/{filled}/laps.csv").text
    job = client.finish(client.post(f"/api/layouts/{layout}/boundaries", json=wanted, headers=at(shown["version"])))
    assert job["state"] == "done" and job["result"]["lost"] == [codes[1], codes[2]]
    assert client.get(f"/api/combinations/{filled}/laps.csv").text != before
    assert book(client, layout)["corners"][2]["start_m"] == wanted["corners"][2]["start_m"]
    late = client.finish(client.post(f"/api/layouts/{layout}/boundaries", json=wanted, headers=at(shown["version"])))
    assert late["state"] == "failed" and "while you were looking" in late["trouble"]
    assert client.post("/api/history/undo").status_code == 200
    assert client.get(f"/api/combinations/{filled}/laps.csv").text == before
    wanted["corners"][2]["start_m"] = 1e5
    assert is_problem(
        client.post(f"/api/layouts/{layout}/boundaries", json=wanted, headers=at(1)), 422, "outside the lap"
    )


def test_pictures_come_out_as_what_they_are_and_nothing_else(client: Browser, layout: str) -> None:
    corner = book(client, layout)["corners"][0]["id"]
    made = client.post(f"/api/corners/{corner}/references", json=BOARD).json["id"]
    out = io.BytesIO()
    Image.new("RGB", (64, 32), "teal").save(out, "PNG")
    assert client.send(f"/api/references/{made}/picture", out.getvalue(), "x.png").status_code == 204
    answer = client.get(f"/api/pictures/{book(client, layout)['references'][0]['picture_id']}.jpg")
    assert answer.mimetype == "image/jpeg" and "private" in answer.headers["Cache-Control"]
    with Image.open(io.BytesIO(answer.data)) as picture:
        assert picture.size == (64, 32)
    assert is_problem(client.send(f"/api/references/{made}/picture", b"<script>", "x.png"), 422, "isn't a picture")
    assert client.delete(f"/api/references/{made}/picture").status_code == 204
    assert book(client, layout)["references"][0]["picture_id"] is None


def test_questions_go_round(client: Browser, layout: str) -> None:
    corner = book(client, layout)["corners"][0]["id"]
    made = client.post(f"/api/layouts/{layout}/questions", json={"corner_id": corner, "text": "By what?"}).json["id"]
    assert client.put(f"/api/questions/{made}", json={"answer": "the hoarding"}, headers=at(1)).status_code == 204
    assert is_problem(client.put(f"/api/questions/{made}", json={"answer": "x"}, headers=at(1)), 412)
    closing = {"became": "reference", "reference": {**BOARD, "thing": ""}}
    assert client.post(f"/api/questions/{made}/close", json=closing, headers=at(2)).status_code == 204
    shown = book(client, layout)
    assert shown["references"][0]["thing"] == "the hoarding" and shown["questions"][0]["became"] == "reference"
    assert client.delete(f"/api/questions/{made}").status_code == 204
    assert is_problem(client.post(f"/api/layouts/{layout}/questions", json={"text": ""}), 422)


def test_the_outline_comes_apart_from_the_book(client: Browser, layout: str) -> None:
    outline = client.get(f"/api/layouts/{layout}/outline").json
    assert len(outline["x_m"]) == len(outline["y_m"]) == 161 and outline["step_m"] == 4.997516


def test_what_was_written_of_a_corner_and_a_reference_has_a_history_each(client: Browser, layout: str) -> None:
    corner = book(client, layout)["corners"][0]
    client.put(f"/api/corners/{corner['id']}", json={"note": "Bumpy."}, headers=at(corner["version"]))
    made = client.post(f"/api/corners/{corner['id']}/references", json=BOARD).json["id"]
    client.put(f"/api/references/{made}", json={**BOARD, "thing": "oak"}, headers=at(1))

    def acts(thing: str, key: str) -> list[str]:
        items = client.get("/api/history", query_string={"thing": thing, "id": key}).json["items"]
        assert all(item["person"] == "Maren Holloway" and item["made_at"] for item in items)
        return [item["action"] for item in items]

    assert acts("layout_corner", corner["id"]) == ["corner.change", "track.add"]
    assert acts("reference_point", made) == ["reference.change", "reference.propose"]
    assert acts("layout", layout) == ["track.add"]
    assert client.post("/api/history/undo").status_code == 200
    assert book(client, layout)["references"][0]["thing"] == "second board"
