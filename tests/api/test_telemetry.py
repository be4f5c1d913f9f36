"""Uploads by an open protocol, traces, what rigs send and who drives now, over HTTP."""

import base64
import gzip
import io
import json
from typing import Any

import pytest
from flask import Flask
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api.routes.drive import live as live_routes
from fleet_rival.services.drive import feed, files, importing
from fleet_rival.services.people import rigs
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.api.conftest import Browser, Sign, is_problem
from tests.conftest import DATA

Sessions = sessionmaker[Session]
TUS = {"Tus-Resumable": "1.0.0"}
OCTETS = "application/offset+octet-stream"
FILE = sorted((DATA / "oval-102").glob("*.telemetry.parquet"))[0]


def encoded(**told: str) -> str:
    return ",".join(f"{name} {base64.b64encode(value.encode()).decode()}" for name, value in told.items())


@pytest.fixture
def desk(browser: Sign, manager: Actor, filled: str) -> Browser:
    return browser(manager)


def begin(desk: Browser, size: int, combination: str | None) -> str:
    told = encoded(filename="a.telemetry.parquet", **({"combination": combination} if combination else {}))
    made = desk.open(
        "/api/uploads", method="POST", headers={**TUS, "Upload-Length": str(size), "Upload-Metadata": told}
    )
    assert made.status_code == 201 and made.headers["Tus-Resumable"] == "1.0.0"
    return str(made.headers["Location"])


def piece(desk: Browser, place: str, offset: int, content: bytes) -> Any:
    return desk.open(
        place, method="PATCH", data=content, content_type=OCTETS, headers={**TUS, "Upload-Offset": str(offset)}
    )


def test_a_file_comes_by_the_open_protocol(desk: Browser, filled: str) -> None:
    content = FILE.read_bytes()
    place = begin(desk, len(content), filled)
    assert piece(desk, place, 0, content[:200_000]).headers["Upload-Offset"] == "200000"
    assert is_problem(piece(desk, place, 0, b"again"), 409, "goes on at 200,000")
    head = desk.open(place, method="HEAD")
    assert (head.headers["Upload-Offset"], head.headers["Upload-Length"], head.headers["Cache-Control"]) == (
        "200000",
        str(len(content)),
        "no-store",
    )
    assert is_problem(desk.post(f"{place}/reading", json={}), 409, "isn't whole")
    assert piece(desk, place, 200_000, content[200_000:]).status_code == 204
    assert desk.get(place).json["state"] == "whole"
    begun = desk.post(f"{place}/reading", json={"names": {}})
    assert begun.status_code == 202 and begun.json["kind"] == "telemetry.import"
    assert desk.post(f"{place}/layout").status_code == 202
    assert [item["name"] for item in desk.get(f"/api/combinations/{filled}/uploads").json["items"]] == [
        "a.telemetry.parquet"
    ]
    assert desk.delete(place, headers=TUS).status_code == 204 and is_problem(desk.get(place), 404)


def test_other_protocols_and_nonsense_are_refused(desk: Browser, filled: str) -> None:
    post = {"method": "POST"}
    assert is_problem(desk.open("/api/uploads", **post, headers={"Upload-Length": "5"}), 412)
    for headers in (
        {},
        {"Upload-Length": "-1"},
        {"Upload-Length": "9999999999999"},
        {"Upload-Length": "5", "Upload-Metadata": "filename !!"},
    ):
        assert is_problem(desk.open("/api/uploads", **post, headers={**TUS, **headers}), 422), headers
    wrong = encoded(combination="not an id")
    assert is_problem(
        desk.open("/api/uploads", **post, headers={**TUS, "Upload-Length": "5", "Upload-Metadata": wrong}), 422
    )
    place = begin(desk, 5, None)
    assert is_problem(desk.open(place, method="PATCH", data=b"12345", headers={**TUS, "Upload-Offset": "0"}), 415)
    assert piece(desk, place, 0, b"12345").status_code == 204
    assert is_problem(desk.post(f"{place}/reading", json={}), 422, "Say which car and layout")


def test_traces_over_http(desk: Browser, sessions: Sessions, manager: Actor) -> None:
    folder = DATA / "oval-102"
    layout = tracks.add_track(sessions, manager, (folder / "oval-a-102.track.json").read_bytes())
    made = combinations.add_combination(sessions, manager, layout.id, "Trace Truck")
    file_id = files.upload(sessions, manager, made.id, "x.csv", (folder / "oval-a-102.laps.csv").read_bytes())
    importing.confirm(sessions, manager, file_id, importing.Wishes(made.revision))
    content = FILE.read_bytes()
    place = begin(desk, len(content), str(made.id))
    piece(desk, place, 0, content)
    done = desk.finish(desk.post(f"{place}/reading", json={}))
    assert (done["state"], done["result"]["matched"], done["result"]["added"]) == ("done", 60, 0)
    one = f"/api/combinations/{made.id}"
    listed = desk.get(f"{one}/traces").json["items"]
    assert len(listed) == 60 and listed[0]["channels"][:3] == ["time_s", "distance_m", "speed_kmh"]
    fastest = sorted((item for item in listed if item["counts"]), key=lambda item: item["time_us"])[:2]
    keys = "&".join(f"lap={item['key']}" for item in fastest)
    told = desk.get(f"{one}/traces/overlay?{keys}&channel=speed_kmh&points=100").json
    assert [len(lap["distance_m"]) <= 100 for lap in told["laps"]] == [True, True] and told["laps"][1]["by"] == "place"
    assert told["laps"][1]["behind_s"][-1] == pytest.approx(
        (fastest[1]["time_us"] - fastest[0]["time_us"]) / 1e6, abs=0.02
    )
    found = desk.get(f"/api/layouts/{layout.id}/found").json
    assert len(found["track"]["corners"]) == 2 and found["by"] == "places"
    looked = desk.finish(desk.post(f"{place}/layout"))
    assert looked["state"] == "done" and len(desk.get(place).json["found"]["track"]["corners"]) == 2
    for wrong in (
        "lap=x",
        f"{keys}&channel=hat_size",
        f"{keys}&start_m=500&end_m=500.2",
        "&".join(["lap=x"] * 13),
        "channel=speed_kmh",
    ):
        assert is_problem(desk.get(f"{one}/traces/overlay?{wrong}"), 422), wrong


@pytest.fixture
def bearer(sessions: Sessions, manager: Actor) -> dict[str, str]:
    return {"Authorization": f"Bearer {rigs.make_rig_token(sessions, manager, 'Attic')[1]}"}


def test_under_load_a_rig_is_told_when_to_come_back(
    app: Flask, bearer: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    client = app.test_client()
    monkeypatch.setattr(feed, "is_full", lambda sessions, actor: True)
    live_routes._full.clear()
    full = client.post("/api/rig/feed", data=b"", headers=bearer)
    assert is_problem(full, 429, "nothing is lost") and full.headers["Retry-After"] == "5"
    live_routes._full.clear()
    monkeypatch.setattr(feed, "is_full", lambda sessions, actor: False)
    taken = [live_routes._places.acquire(blocking=False) for _ in range(6)]
    try:
        busy = client.post("/api/rig/feed", data=b"", headers=bearer)
        assert is_problem(busy, 429) and busy.headers["Retry-After"] == "1"
    finally:
        for _ in taken:
            live_routes._places.release()
    assert client.post("/api/rig/feed", data=b"", headers=bearer).json == {"taken": 0, "again": 0, "refused": []}
    live_routes._full.clear()


plain = st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=20)
anything = st.recursive(
    plain,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=12), inner, max_size=5),
    max_leaves=12,
)

nearly = st.fixed_dictionaries(
    {"kind": st.sampled_from(["lap", "samples"]), "key": st.text(max_size=90), "lap": anything}
)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        anything
        | st.fixed_dictionaries(
            {"kind": st.sampled_from(["lap", "samples"]), "key": st.text(max_size=90), "lap": anything}
        ),
        max_size=6,
    )
)
def test_whatever_a_rig_sends_is_answered_line_by_line(app: Flask, bearer: dict[str, str], lines: list[Any]) -> None:
    live_routes._full.clear()
    body = "\n".join(json.dumps(line) for line in lines).encode()
    answer = app.test_client().post(
        "/api/rig/feed", data=gzip.compress(body), headers={**bearer, "Content-Encoding": "gzip"}
    )
    assert answer.status_code == 200
    assert answer.json["taken"] == 0 and len(answer.json["refused"]) == len(body.splitlines())


def test_a_bomb_isnt_unpacked(app: Flask, bearer: dict[str, str]) -> None:
    live_routes._full.clear()
    packed = io.BytesIO()
    with gzip.GzipFile(fileobj=packed, mode="wb") as file:
        for _ in range(50):
            file.write(b"\n" * 1_000_000)
    answer = app.test_client().post(
        "/api/rig/feed", data=packed.getvalue(), headers={**bearer, "Content-Encoding": "gzip"}
    )
    assert is_problem(answer, 422, "at most 32 MB")


def test_too_much_is_refused_unpacked_too(app: Flask, bearer: dict[str, str], monkeypatch: pytest.MonkeyPatch) -> None:
    live_routes._full.clear()
    monkeypatch.setattr(live_routes, "_MOST_BYTES", 1_000_000)
    for body, status in ((b"\n" * 1_000_000, 200), (b"\n" * 1_000_001, 422)):
        for packed, headers in ((body, {}), (gzip.compress(body), {"Content-Encoding": "gzip"})):
            answer = app.test_client().post("/api/rig/feed", data=packed, headers={**bearer, **headers})
            assert answer.status_code == status
    answer = app.test_client().post("/api/rig/feed", data=b"not gzip", headers={**bearer, "Content-Encoding": "gzip"})
    assert is_problem(answer, 422, "isn't")


def test_who_drives_is_told(desk: Browser) -> None:
    assert desk.get("/api/live").json == {"runs": [], "waiting": []}
    assert desk.get("/api/live/troubles").json == {"items": []}
    assert desk.post("/api/live/troubles/again").json == {"lines": 0}
