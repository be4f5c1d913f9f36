"""Runs over the wire: the way of an evening, what is refused, and whatever anybody might send."""

import io
import zipfile
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fleet_rival.clock import now
from tests.api.conftest import PLAIN, Browser, is_problem

UNKNOWN = b"Pilot;Lap no;Laptime\nK. Umberlin;1;20700\nK. Umberlin;2;20x00\nWanda Rook;1;20100\n"


def table(**changes: Any) -> dict[str, Any]:
    columns = {"Pilot": {"target": "driver"}, "Lap no": {"target": "lap"}, "Laptime": {"target": "time", "unit": "ms"}}
    return {"columns": columns, "splits": "times", "rows": "laps", "constants": {"session": "evening"}, **changes}


def test_an_evening_from_the_declaration_to_the_last_word(client: Browser, filled: str) -> None:
    one = f"/api/combinations/{filled}"
    driver = next(item["id"] for item in client.get("/api/drivers").json["items"] if item["name"] == "Keziah Umberlin")
    begins = client.get(f"{one}/drivers/{driver}/template").json
    context = {**begins["context"], "purpose": "long", "compound": "hard", "watch": ["lift at the board"]}
    asked = client.post(f"{one}/runs/check", json={"driver_id": driver, "context": context}).json["items"]
    assert [item["key"] for item in asked] == ["limiter", "tyre_set"], "the compound goes with the set"
    declared = client.post(f"{one}/runs", json={"driver_id": driver, "context": context, "done": ["limiter"]})
    assert declared.status_code == 201 and client.get(f"{one}/runs").json["waiting"][0]["id"] == declared.json["id"]
    lane = client.post(f"{one}/lanes", json={"driver_id": driver}).json
    assert (lane["run_id"], lane["watch"]) == (declared.json["id"], ["lift at the board"])
    place = f"/api/sessions/{lane['session_id']}/drivers/{driver}/runs/{lane['run']}"
    for number, line in enumerate(("20712", "0.69 t", "20680 s2"), 1):
        assert client.post(f"{place}/laps", json={"number": number, "line": line}).status_code == 201
    assert is_problem(client.post(f"{place}/laps", json={"number": 4, "line": "x"}), 422, "begins with its time")
    assert client.put(f"{place}/laps/3", headers={"If-Match": '"1"'}, json={"line": "20680"}).json["words"] == ""
    assert is_problem(client.put(f"{place}/laps/3", headers={"If-Match": '"1"'}, json={"line": "20681"}), 412)
    timed = {"number": 4, "presses_us": [0, 20_700_000], "ended_at": now().isoformat()}
    assert client.post(f"{place}/timed-laps", json=timed).json["plus_minus_us"] > 0
    sheet = client.get(place).json
    assert [(lap["number"], lap["counts"]) for lap in sheet["laps"]] == [(1, True), (2, False), (3, True), (4, True)]
    assert (
        client.put(f"{place}/marks", json={"versions": {"2": sheet["laps"][1]["version"]}, "marks": None}).status_code
        == 204
    )
    assert client.get(place).json["laps"][1]["counts"]
    assert client.patch(f"{place}/laps", json={"versions": {"1": 1}, "facts": {"note": "first"}}).status_code == 204
    assert is_problem(client.patch(f"{place}/laps", json={"versions": {"1": 1}, "facts": {"note": "second"}}), 412)
    feel = {"handling": {"slow": {"entry": -2}}, "readings": [{"when": "after", "tread_pct": {"front_left": 91.5}}]}
    assert (
        client.put(f"{place}/feel", headers={"If-Match": f'"{sheet["run"]["version"]}"'}, json=feel).status_code == 204
    )
    made = client.post(f"{place}/laps/1/remarks", json={"because": "traffic", "text": "held up"})
    assert made.status_code == 201 and client.delete(f"/api/remarks/{made.json['id']}").status_code == 204
    assert len(client.get("/api/letters").json["items"]) == 13
    clip = client.get(f"{one}/clip?seed=2").json
    truths = [item["at_us"] for item in clip["crossings"]]
    assert client.put("/api/me/reaction", json={"truths_us": truths, "presses_us": truths}).json["presses"] == len(
        truths
    )
    assert client.get("/api/me/reaction").json["spread_us"] == 1000


def test_an_unknown_table_is_mapped_mended_matched_and_remembered(client: Browser, filled: str) -> None:
    url = f"/api/combinations/{filled}/lap-files"
    seen = client.send(url, UNKNOWN, "evening.csv").json
    mapping = seen["mapping"]
    assert mapping["needed"] and [item["target"] for item in mapping["columns"]] == ["driver", "lap", "time"]
    assert (
        mapping["columns"][2]["unit"] == "ms"
        and mapping["constants"] == {"session": "evening"}
        and seen["sample"][0]["time_us"] == 20_700_000
    )
    file = f"/api/lap-files/{seen['id']}"
    assert is_problem(client.post(f"{file}/import", json={"revision": seen["revision"]}), 409, "Confirm it first")
    assert is_problem(
        client.put(f"{file}/reading", json={"table": table(columns={"Pilot": {"target": "driver"}})}),
        422,
        "lap and time",
    )
    tried = client.put(f"{file}/reading", json={"table": table(), "confirmed": False}).json
    assert tried["mapping"]["needed"] and tried["set_aside_count"] == 1
    keziah = next(item for item in client.get("/api/drivers").json["items"] if item["name"] == "Keziah Umberlin")
    told = client.put(f"{file}/reading", json={"table": table(), "names": {"K. Umberlin": keziah["id"]}}).json
    assert (told["unknown_drivers"], told["rows"], told["new"], told["set_aside_count"]) == (["Wanda Rook"], 3, 2, 1)
    assert told["cells"] == {"3": ["K. Umberlin", "2", "20x00"]}
    mended = client.put(f"{file}/lines/3", json={"cells": ["K. Umberlin", "2", "20800"]}).json
    assert (mended["new"], mended["set_aside_count"], mended["mended"]) == (3, 0, 1)
    assert client.put(f"{file}/lines/3", json={"cells": None}).json["set_aside_count"] == 1
    job = client.finish(client.post(f"{file}/import", json={"revision": told["revision"], "guests": ["Wanda Rook"]}))
    assert (job["result"]["added"], job["result"]["set_aside"], job["result"]["drivers_added"]) == (
        2,
        1,
        ["Wanda Rook"],
    )
    assert {item["name"]: item["guest"] for item in client.get("/api/drivers").json["items"]}["Wanda Rook"]
    again = client.post(f"{file}/again").json
    assert (again["same"], again["new"]) == (2, 0)
    assert (
        client.put(f"/api/lap-files/{again['id']}/lines/3", json={"cells": ["K. Umberlin", "2", "20800"]}).json["new"]
        == 1
    )
    assert is_problem(client.put(f"{file}/lines/3", json={"cells": ["x", "1", "1"]}), 409, "Read it again")
    longer = client.send(url, UNKNOWN + b"K. Umberlin;3;20900\n", "evening.csv").json
    assert (longer["mapping"]["remembered"], longer["mapping"]["needed"]) == (True, False)
    assert (longer["same"], longer["new"]) == (2, 1), "a longer version adds what is new"


def test_a_zip_brings_its_files_and_what_cannot_be_read_says_why(client: Browser, filled: str) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("a/new.csv", "driver,session,lap,time\nKeziah Umberlin,late,1,20.7\n")
        archive.writestr("b/bad.csv", "hello")
    found = client.send(f"/api/combinations/{filled}/lap-archives", packed.getvalue(), "evening.zip").json["items"]
    assert [(item["name"], bool(item["id"])) for item in found] == [
        ("new.csv", True),
        ("bad.csv", False),
    ] and "no header" in found[1]["refused"]
    assert is_problem(client.send(f"/api/combinations/{filled}/lap-archives", PLAIN), 422, "can't be read")


def test_a_large_file_shows_its_beginning_at_once_and_the_rest_when_it_is_compared(
    client: Browser, combination: str
) -> None:
    rows = "\n".join(
        f"Keziah Umberlin,{session},{lap},20.{lap:03d}" for session in range(1, 13) for lap in range(1, 600)
    )
    seen = client.send(f"/api/combinations/{combination}/lap-files", f"driver,session,lap,time\n{rows}\n".encode()).json
    assert seen["partial"] and 0 < seen["rows"] < 1000 and seen["sample"]
    job = client.finish(client.get(f"/api/lap-files/{seen['id']}"))
    assert job["state"] == "done"
    whole = client.get(f"/api/lap-files/{seen['id']}").json
    assert (whole["partial"], whole["rows"], whole["new"]) == (False, 12 * 599, 12 * 599)


cells = st.one_of(
    st.sampled_from(["", "1", "20.7", "1:00,5", "=1+1", "\x00", "T1", "spin:T2", "practice", '"', "9" * 400]),
    st.text(max_size=12),
)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=st.lists(st.lists(cells, min_size=1, max_size=6), max_size=6),
    header=st.permutations(["driver", "lap", "time", "S1", "note"]),
)
def test_any_cells_are_counted_in_or_set_aside_and_nothing_goes_in_unasked(
    client: Browser, filled: str, rows: list[list[str]], header: list[str]
) -> None:
    content = "\n".join(",".join(row) for row in [header, *rows]).encode("utf-8", "replace")
    answer = client.send(f"/api/combinations/{filled}/lap-files", content)
    assert answer.status_code in (201, 422)
    if answer.status_code == 201:
        seen = answer.json
        assert seen["new"] + seen["same"] + seen["different_count"] + seen["set_aside_count"] == seen["rows"]
    assert client.get(f"/api/combinations/{filled}").json["laps"] == 72


@pytest.mark.parametrize("name", ["laps.xlsx", "laps.parquet", "laps.zip"])
def test_a_wrong_extension_deceives_nobody(client: Browser, filled: str, name: str) -> None:
    assert client.send(f"/api/combinations/{filled}/lap-files", PLAIN, name).json["same"] == 72


def test_what_cannot_be_is_refused_at_the_border_with_its_field(client: Browser, filled: str) -> None:
    (line, *_) = client.get(f"/api/combinations/{filled}/runs").json["sessions"]
    run = line["runs"][0]
    session = f"/api/sessions/{line['practice']['id']}"
    place = f"{session}/drivers/{run['driver_id']}/runs/{run['number']}"
    one = f"/api/combinations/{filled}"
    match = {"If-Match": '"0"'}
    refused: list[tuple[str, str, Any, str]] = [
        ("POST", f"{one}/runs", {"driver_id": run["driver_id"], "context": {"purpose": "winning"}}, "purpose"),
        ("POST", f"{one}/runs", {"driver_id": run["driver_id"], "context": {"fuel_l": -1}}, "fuel_l"),
        (
            "POST",
            f"{one}/runs",
            {"driver_id": run["driver_id"], "context": {"watch": ["a", "b", "c", "d"]}},
            "at most 3",
        ),
        ("POST", f"{one}/runs", {"driver_id": run["driver_id"], "context": {"options": "T77 = x"}}, "no corner T77"),
        ("POST", f"{one}/runs", {"driver_id": run["driver_id"], "context": {"more": 1}}, "more"),
        ("POST", f"{one}/lanes", {}, "name a guest"),
        ("POST", f"{one}/lanes", {"guest": "Keziah Umberlin"}, "driver of the team"),
        ("POST", f"{place}/laps", {"number": -1, "line": "20700"}, "number"),
        ("POST", f"{place}/laps", {"number": 99, "line": "20700 z"}, "not a mark"),
        (
            "POST",
            f"{place}/timed-laps",
            {"number": 99, "presses_us": [5], "ended_at": "2031-03-04T18:00:00Z"},
            "presses_us",
        ),
        (
            "POST",
            f"{place}/timed-laps",
            {"number": 99, "presses_us": [9, 5], "ended_at": "2031-03-04T18:00:00Z"},
            "order of time",
        ),
        (
            "POST",
            f"{place}/timed-laps",
            {"number": 99, "presses_us": [0, 5], "ended_at": "2031-03-04T18:00:00"},
            "ended_at",
        ),
        ("PUT", f"{place}/marks", {"versions": {}, "marks": None}, "versions"),
        ("PUT", f"{place}/marks", {"versions": {"2": 1}, "marks": {"unlucky": True}}, "marks"),
        (
            "PATCH",
            f"{place}/laps",
            {"versions": {"2": 1, "3": 1}, "facts": {"time_us": 20_000_000}},
            "one lap at a time",
        ),
        ("PATCH", f"{place}/laps", {"versions": {"2": 1}, "facts": {"flags": ["+lucky"]}}, "no flag"),
        ("PATCH", f"{place}/laps", {"versions": {"2": 1}, "facts": {"track_temp_c": 900}}, "track_temp_c"),
        ("PUT", f"{place}/feel", {"handling": {"slow": {"entry": 4}}, "readings": []}, "entry"),
        (
            "PUT",
            f"{place}/feel",
            {"handling": {}, "readings": [{"when": "x", "tread_pct": {"front_left": 150}}]},
            "can't be",
        ),
        ("PUT", f"{place}/feel", {"handling": {}, "readings": [{"when": "x", "tread_pct": {"spare": 50}}]}, "spare"),
        ("POST", f"{place}/laps/2/remarks", {}, "Say what happened"),
        ("POST", f"{place}/laps/2/remarks", {"kind": "spin"}, "in which corner"),
        ("POST", f"{place}/laps/2/remarks", {"because": "luck"}, "because"),
        ("PUT", f"{place}/laps/2/answer", {"kind": "tow", "answer": "damage"}, "isn't an answer"),
        ("PUT", f"{place}/laps/2/answer", {"kind": "incident", "answer": "spin"}, "in which corner"),
        ("POST", f"{session}/merge", {"other_id": line["practice"]["id"]}, "the same session"),
        ("POST", f"{session}/split", {"runs": []}, "runs"),
        (
            "POST",
            f"{session}/split",
            {"runs": [{"driver_id": item["driver_id"], "number": item["number"]} for item in line["runs"]]},
            "all runs",
        ),
        ("POST", f"{session}/move", {}, "there already"),
        ("PUT", "/api/me/reaction", {"truths_us": [1], "presses_us": [1]}, "6 are needed"),
    ]
    before = client.get(f"{one}/runs").json, client.get(place).json
    for method, url, body, words in refused:
        assert is_problem(client.open(url, method=method, json=body, headers=match), 422, words), (url, body)
    assert (client.get(f"{one}/runs").json, client.get(place).json) == before, "nothing of it is kept"
    absent = f"{session}/drivers/{run['driver_id']}/runs/77"
    for method, url, body in (
        ("GET", absent, None),
        ("PUT", f"{absent}/declaration", {}),
        ("PUT", f"{absent}/marks", {"versions": {"1": 1}, "marks": None}),
        ("PUT", f"{absent}/feel", {"handling": {}, "readings": []}),
        ("POST", f"{absent}/laps/1/remarks", {"text": "x"}),
        (
            "POST",
            f"{session}/move",
            {"runs": [{"driver_id": run["driver_id"], "number": 77}], "driver_id": run["driver_id"]},
        ),
    ):
        assert is_problem(client.open(url, method=method, json=body, headers=match), 404), url


NAMELESS = b"lap_no;laptime\n1;20700\n2;20800\n"


def test_who_drove_is_asked_for_each_file_that_does_not_say_it(client: Browser, filled: str) -> None:
    url = f"/api/combinations/{filled}/lap-files"
    columns = {"lap_no": {"target": "lap", "unit": "time"}, "laptime": {"target": "time", "unit": "ms"}}

    def told(driver: str) -> dict[str, Any]:
        return {"table": table(columns=columns, constants={"session": "mon", "driver": driver}), "confirmed": True}

    first = client.send(url, NAMELESS, "monday.csv").json
    assert first["mapping"]["needed"] and "driver" in first["problem"]
    said = client.put(f"/api/lap-files/{first['id']}/reading", json=told("Wanda Rook")).json
    begun = client.post(f"/api/lap-files/{first['id']}/import", json={"revision": said["revision"]})
    assert client.finish(begun)["result"]["added"] == 2
    # The same header, somebody else's laps.
    second = client.send(url, NAMELESS, "tuesday.csv").json
    assert (
        second["mapping"]["needed"]
        and second["mapping"]["remembered"]
        and "driver" not in second["mapping"]["constants"]
    )
    assert is_problem(
        client.post(f"/api/lap-files/{second['id']}/import", json={"revision": second["revision"]}),
        409,
        "Confirm it first",
    )
    # A name of the file is a guess, and no more.
    third = client.send(url, NAMELESS, "keziah-umberlin wed.csv").json
    assert third["mapping"]["needed"] and third["mapping"]["constants"]["driver"] == "Keziah Umberlin"
    assert is_problem(
        client.post(f"/api/lap-files/{third['id']}/import", json={"revision": third["revision"]}),
        409,
        "Confirm it first",
    )


def test_a_name_that_is_anybody_s_is_not_remembered_and_a_spelling_is(client: Browser, filled: str) -> None:
    url = f"/api/combinations/{filled}/lap-files"
    drivers = {item["name"]: item["id"] for item in client.get("/api/drivers").json["items"]}
    content = b"driver,session,lap,time\nplayer 1,x,1,20.7\nK. Umberlin,x,2,20.9\n"
    seen = client.send(url, content, "a.csv").json
    names = {"player 1": drivers["Keziah Umberlin"], "K. Umberlin": drivers["Keziah Umberlin"]}
    seen = client.put(f"/api/lap-files/{seen['id']}/reading", json={"table": None, "names": names}).json
    client.finish(client.post(f"/api/lap-files/{seen['id']}/import", json={"revision": seen["revision"]}))
    after = client.send(url, content.replace(b",x,", b",y,"), "b.csv").json
    assert (after["mapping"]["names"], after["unknown_drivers"]) == ({"K. Umberlin": "Keziah Umberlin"}, ["player 1"])
