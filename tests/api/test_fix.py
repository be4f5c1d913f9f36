"""The clinic over HTTP: answers that are kept, corrections, exercises and setups as they are sent, and their
borders.
"""

from typing import Any

import pytest

from fleet_rival.api import schemas
from fleet_rival.core.words import ACCOUNTS
from tests.api.conftest import Browser, is_problem

SHEET: dict[str, Any] = {
    "name": "Quay",
    "purpose": "race",
    "assists": "traction",
    "reason": "a place to begin",
    "values": [
        {"name": "Rear bar", "value": "3", "unit": None, "corner": None},
        {"name": "Brake balance", "value": "54.5", "unit": "%", "corner": "T1"},
    ],
}
EXERCISE: dict[str, Any] = {
    **{"code": "ours", "version": 0, "kind": "kerb", "title": "Off the kerb"},
    **{"work": "Ten laps.", "of_passes": 8, "good_passes": 6},
}


def at(version: int) -> dict[str, str]:
    return {"If-Match": f'"{version}"'}


@pytest.fixture
def run(client: Browser, filled: str) -> Any:
    """A run with its laps."""
    return client.get(f"/api/combinations/{filled}/runs").json["sessions"][0]["runs"][0] | {
        "session_id": client.get(f"/api/combinations/{filled}/runs").json["sessions"][0]["practice"]["id"]
    }


def passes(run: Any, lap: int = 3, corner: str = "T1") -> str:
    return (
        f"/api/sessions/{run['session_id']}/drivers/{run['driver_id']}/runs/{run['number']}/laps/{lap}/passes/{corner}"
    )


def test_a_clinic_is_answered_once_until_something_changes(client: Browser, filled: str, run: Any) -> None:
    path = f"/api/combinations/{filled}/drivers/{run['driver_id']}/clinic"
    first = client.get(path)
    schemas.DriverClinic.model_validate(first.json)
    assert client.get(path, headers={"If-None-Match": first.headers["ETag"]}).status_code == 304
    assert client.put(passes(run), json={"kind": "wide-exit", "remark": "seen from the stand"}).status_code == 204
    again = client.get(path, headers={"If-None-Match": first.headers["ETag"]})
    assert again.status_code == 200 and again.headers["ETag"] != first.headers["ETag"]
    team = client.get(f"/api/combinations/{filled}/clinic").json
    schemas.TeamClinic.model_validate(team)
    assert run["driver_id"] in {item["id"] for item in team["drivers"]}
    assert client.delete(passes(run)).status_code == 204 and is_problem(client.delete(passes(run)), 404)
    schemas.ReferenceAudit.model_validate(client.get(path.replace("/clinic", "/audit")).json)
    schemas.CardOfThree.model_validate(client.get(path.replace("/clinic", "/card")).json)


def test_accounts_add_up_over_the_wire_and_follow_what_people_say(client: Browser, filled: str, run: Any) -> None:
    path = f"/api/combinations/{filled}/drivers/{run['driver_id']}/accounts"
    first = client.get(path)
    schemas.DriverAccountsOut.model_validate(first.json)
    assert first.json["laps"] and [item["account"] for item in first.json["accounts"]] == list(ACCOUNTS)
    for told in (*first.json["laps"], first.json["average"], *first.json["team"]):
        assert sum(value or 0 for value in told["accounts"].values()) == told["time_us"]
    assert run["driver_id"] in {item["id"] for item in first.json["team"]}
    assert client.get(path, headers={"If-None-Match": first.headers["ETag"]}).status_code == 304
    table = client.get(f"{path}.csv")
    assert table.mimetype == "text/csv" and len(table.text.splitlines()) == 1 + len(first.json["laps"])
    assert client.put(passes(run), json={"kind": "wide-exit"}).status_code == 204
    assert client.get(path).headers["ETag"] != first.headers["ETag"]


@pytest.mark.parametrize(
    "values",
    [
        {"kind": "nonsense"},
        {"cause_corner": "x" * 41},
        {"no_mistake": "perhaps"},
        {"remark": "x" * 501},
        {"like": "nonsense", "kind": "spin"},
        {},
    ],
)
def test_a_correction_in_other_words_is_refused(client: Browser, run: Any, values: Any) -> None:
    assert is_problem(client.put(passes(run), json=values), 422)


def test_a_correction_of_what_is_not_there(client: Browser, run: Any) -> None:
    assert is_problem(client.put(passes(run, lap=999), json={"kind": "spin"}), 404)
    assert is_problem(client.put(passes(run, corner="T99"), json={"kind": "spin"}), 422)
    assert is_problem(client.put(passes({**run, "number": 77}), json={"kind": "spin"}), 404)


def test_an_exercise_is_written_given_and_ended(client: Browser, filled: str, run: Any) -> None:
    made = client.put("/api/exercises", json=EXERCISE)
    schemas.ExerciseOut.model_validate(made.json)
    assert made.json["mark"].startswith("6 of 8") and not made.json["shipped"]
    assert is_problem(client.put("/api/exercises", json=EXERCISE), 412)
    for wrong in (
        {"good_passes": 9},
        {"code": "Our Own"},
        {"work": " "},
        {"of_passes": 51},
        {"kind": "nonsense"},
        {"title": ""},
    ):
        assert is_problem(client.put("/api/exercises", json={**EXERCISE, "version": 1, **wrong}), 422), wrong
    given = f"/api/combinations/{filled}/drivers/{run['driver_id']}/assignments"
    told = client.post(given, json={"corner": "T1", "kind": "kerb", "exercise": "ours"})
    [item] = told.json["items"]
    assert told.status_code == 201 and (item["title"], item["ended_at"]) == ("Off the kerb", None)
    assert is_problem(client.post(given, json={"corner": "T1", "kind": "kerb", "exercise": "ours"}), 409)
    assert is_problem(client.post(given, json={"corner": "T99", "kind": "kerb", "exercise": "ours"}), 422)
    assert is_problem(client.post(given, json={"corner": "T2", "kind": "kerb", "exercise": "none"}), 404)
    [helped] = client.get("/api/exercises/helped").json["items"]
    assert (helped["title"], helped["given"]) == ("Off the kerb", 1) and helped["low"] <= helped["removed"] <= helped[
        "high"
    ]
    assert client.delete(f"/api/assignments/{item['id']}").status_code == 204
    assert is_problem(client.delete(f"/api/assignments/{item['id']}"), 409)
    assert client.get(f"/api/combinations/{filled}/assignments").json["items"][0]["ended_at"] is not None
    assert is_problem(client.delete("/api/exercises/ours"), 422)
    assert is_problem(client.delete("/api/exercises/ours", headers=at(2)), 412)
    assert client.delete("/api/exercises/ours", headers=at(1)).status_code == 204
    assert client.get("/api/exercises/helped").json["items"][0]["title"] == "Off the kerb", (
        "what it brought outlives it"
    )


class TestSetups:
    @pytest.fixture
    def car(self, client: Browser, combination: str) -> str:
        return str(client.get(f"/api/combinations/{combination}").json["car_id"])

    @pytest.fixture
    def setup(self, client: Browser, car: str) -> str:
        return str(client.post("/api/setups", json={**SHEET, "car_id": car}).json["id"])

    def test_a_sheet_comes_out_as_it_was_sent(self, client: Browser, car: str, setup: str) -> None:
        told = client.get(f"/api/setups/{setup}").json
        schemas.SetupOut.model_validate(told)
        assert told["versions"][0]["values"] == SHEET["values"] and (told["name"], told["car_id"]) == ("Quay", car)
        assert [item["id"] for item in client.get("/api/setups", query_string={"car": car}).json["items"]] == [setup]
        assert client.get("/api/setups", query_string={"car": setup}).json["items"] == []

    def test_versions_files_and_differences(self, client: Browser, car: str, setup: str) -> None:
        other = [{**SHEET["values"][0], "value": "2"}, SHEET["values"][1]]
        made = client.post(
            f"/api/setups/{setup}/versions", json={**SHEET, "latest": 1, "values": other, "reason": "it let go"}
        )
        assert made.status_code == 201 and [item["number"] for item in made.json["versions"]] == [2, 1]
        assert is_problem(client.post(f"/api/setups/{setup}/versions", json={**SHEET, "latest": 1}), 409)
        told = client.get(f"/api/setups/{setup}/difference", query_string={"first": 1, "second": 2}).json["items"]
        assert [(item["name"], item["before"], item["after"], item["by"]) for item in told] == [
            ("Rear bar", "3", "2", -1.0)
        ]
        table = client.get(f"/api/setups/{setup}/file", query_string={"number": 2, "form": "csv"})
        assert table.mimetype == "text/csv" and "quay-v2.csv" in table.headers["Content-Disposition"]
        written = client.get(f"/api/setups/{setup}/file", query_string={"number": 1, "form": "json"})
        taken = client.post("/api/setups", json={"car_id": car, "name": "Taken over", "file": written.text})
        assert client.get(f"/api/setups/{taken.json['id']}").json["versions"][0]["values"] == SHEET["values"]
        assert client.get(f"/api/setups/{setup}/brought").json == {"items": []}
        version = client.get(f"/api/setups/{setup}").json["version"]
        assert is_problem(client.delete(f"/api/setups/{setup}", headers=at(version + 1)), 412)
        assert client.delete(f"/api/setups/{setup}", headers=at(version)).status_code == 204
        assert is_problem(client.get(f"/api/setups/{setup}"), 404)

    @pytest.mark.parametrize(
        "changes",
        [
            {"purpose": "fun"},
            {"name": ""},
            {"values": []},
            {"values": [{"name": "", "value": "1"}]},
            {"values": [{"name": "Wing", "value": ""}]},
            {"values": [{"name": "Wing", "value": "1"}, {"name": "Wing", "value": "2"}]},
            {"values": [{"name": "Wing", "value": "x" * 121}]},
            {"reason": "x" * 2001},
            {"file": "no setup at all"},
        ],
    )
    def test_no_sheet_is_refused(self, client: Browser, car: str, changes: dict[str, Any]) -> None:
        assert is_problem(client.post("/api/setups", json={**SHEET, "car_id": car, **changes}), 422)
        assert client.get("/api/setups").json["items"] == []
