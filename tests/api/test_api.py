"""The HTTP interface on the real database: routes, problems, who may ask, and the description that others build on."""

import io
import re
import subprocess
from pathlib import Path

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.api.app import openapi_document
from fleet_rival.cli.schema import description, vocabularies
from fleet_rival.db.tables import Job
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import PLAIN, Browser, is_problem

FRONTEND = Path(__file__).parents[2] / "frontend"
NOBODY = "01a21070-2265-7ddc-abed-48fc8abde1c6"


def test_the_way_from_a_track_file_to_figures(client: Browser, filled: str) -> None:
    (listed,) = client.get("/api/combinations").json["items"]
    assert listed == client.get(f"/api/combinations/{filled}").json
    assert (listed["laps"], len(listed["drivers"]), listed["track"]) == (72, 3, "Tarnmarrow Bowl")
    analysis = client.get(f"/api/combinations/{filled}/analysis")
    schemas.AnalysisOut.model_validate_json(analysis.data, strict=False)
    keziah = next(driver for driver in analysis.json["drivers"] if driver["name"] == "Keziah Umberlin")
    assert keziah["figures"]["ideal"]["linked_race_us"] == 20_604_000
    assert [rung["name"] for rung in keziah["ladder"]] == [
        "best",
        "unbroken",
        "sector",
        "linked_race",
        "linked_qualifying",
        "segment",
        "team",
    ]
    laps = client.get(f"/api/combinations/{filled}/drivers/{keziah['id']}/laps")
    strip = schemas.DriverLaps.model_validate_json(laps.data).groups[0]
    assert len(strip.laps) == 20 and [part.code for part in strip.parts] == ["L0", "T1", "T2", "T3", "T4"]
    assert all(len(lap.losses_us) == len(lap.passes) == 5 for lap in strip.laps)
    assert client.get(f"/api/combinations/{filled}/laps.csv").data.count(b"\r\n") == 73
    assert client.get("/api/me").json["role"] == "manager"
    assert client.get("/api/health").json["status"] == "ok"


def test_laps_with_sectors_alone_are_shown_by_sectors_and_with_times_alone_not_at_all(
    client: Browser, combination: str
) -> None:
    rows = "\n".join(f"A,{number},{20 + number / 100:.2f},21,22" for number in range(1, 9))
    alone = "\n".join(f"B,{number},{60 + number / 100:.2f},,,\n" for number in range(1, 9))
    for header, body in (("driver,lap,S1,S2,S3", rows), ("driver,lap,time,S1,S2,S3", alone)):
        seen = client.send(f"/api/combinations/{combination}/lap-files", f"{header}\n{body}\n".encode())
        client.finish(client.post(f"/api/lap-files/{seen.json['id']}/import", json={"revision": seen.json["revision"]}))
    drivers = {
        driver["name"]: driver["id"] for driver in client.get(f"/api/combinations/{combination}").json["drivers"]
    }
    strips = {
        name: client.get(f"/api/combinations/{combination}/drivers/{key}/laps").json["groups"][0]
        for name, key in drivers.items()
    }
    assert (strips["A"]["depth"], len(strips["A"]["parts"])) == ("sectors", 3)
    assert (strips["B"]["depth"], strips["B"]["parts"]) == (None, [])


def test_an_answer_that_did_not_change_is_not_sent_again(client: Browser, filled: str) -> None:
    first = client.get(f"/api/combinations/{filled}/analysis")
    again = client.get(f"/api/combinations/{filled}/analysis", headers={"If-None-Match": first.headers["ETag"]})
    assert (first.status_code, again.status_code, again.data) == (200, 304, b"")


def test_bad_input_is_answered_with_a_sentence(client: Browser, combination: str) -> None:
    url = f"/api/combinations/{combination}/lap-files"
    assert is_problem(client.send(url, b"hello"), 422, "no header")
    assert is_problem(client.send(url, b""), 422, "empty")
    assert is_problem(
        client.send(url, b"driver,lap,time,S9\nA,1,60,2\n"), 422, "S9, which Tarnmarrow Bowl, Short doesn't have"
    )
    assert is_problem(client.send("/api/layouts", b"{}"), 422, "not a track file")
    assert is_problem(client.post(url), 422, "file")
    assert is_problem(client.post(url, data={"file": "driver,lap,time"}), 422, "send a file")
    assert is_problem(client.post("/api/combinations", json={"layout_id": "x", "car": "GT"}), 422, "layout_id")
    assert is_problem(client.post("/api/combinations", json={"layout_id": NOBODY, "car": "GT", "more": 1}), 422, "more")
    assert is_problem(client.post("/api/combinations", data="{", content_type="application/json"), 422)
    assert is_problem(client.post(url, data=b"x" * 50_200_000), 413, "50 MB")


def test_what_is_not_there_is_told_alike_everywhere(client: Browser) -> None:
    for url in ("", "/analysis", "/laps.csv", f"/drivers/{NOBODY}/laps"):
        assert is_problem(client.get(f"/api/combinations/{NOBODY}{url}"), 404, "doesn't exist")
    assert is_problem(client.get(f"/api/lap-files/{NOBODY}"), 404)
    assert is_problem(client.delete(f"/api/lap-files/{NOBODY}"), 404)
    assert is_problem(client.get("/api/nowhere"), 404)
    assert is_problem(client.get("/assets/none.js"), 404)
    wrong = client.put("/api/combinations")
    assert is_problem(wrong, 405) and {"GET", "POST"} <= set(wrong.headers["Allow"].split(", "))


def test_a_conflict_says_how_to_go_on(client: Browser, filled: str) -> None:
    seen = client.send(f"/api/combinations/{filled}/lap-files", PLAIN).json
    assert is_problem(
        client.post(f"/api/lap-files/{seen['id']}/import", json={"revision": seen["revision"] + 1}),
        409,
        "Look at the preview again",
    )
    assert client.delete(f"/api/lap-files/{seen['id']}").status_code == 204


def test_an_unexpected_error_tells_nothing_about_the_inside(client: Browser, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("secret place")

    monkeypatch.setattr("fleet_rival.services.week.combinations.combinations", broken)
    client.application.config["PROPAGATE_EXCEPTIONS"] = False
    answer = client.get("/api/combinations")
    assert is_problem(answer, 500) and "secret" not in answer.text


@pytest.mark.parametrize("host", ["example.org", "evil.127.0.0.1.example", "10.0.0.1:8350", "127.0.0.1.example:8350"])
def test_only_this_machine_is_answered(client: Browser, host: str) -> None:
    assert is_problem(client.get("/api/combinations", headers={"Host": host}), 421)


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "http://elsewhere.example"},
        {"Origin": "null"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
    ],
)
def test_pages_of_others_change_nothing(client: Browser, combination: str, headers: dict[str, str]) -> None:
    data = {"file": (io.BytesIO(PLAIN), "x.csv")}
    assert is_problem(client.post(f"/api/combinations/{combination}/lap-files", data=data, headers=headers), 403)
    own = {"Origin": "http://localhost", "Sec-Fetch-Site": "same-origin"}
    data = {"file": (io.BytesIO(PLAIN), "x.csv")}
    assert client.post(f"/api/combinations/{combination}/lap-files", data=data, headers=own).status_code == 201


def test_work_of_an_earlier_version_stands_among_the_others(
    client: Browser, manager: Actor, sessions: sessionmaker[Session]
) -> None:
    done = {"team_id": manager.team_id, "person_id": manager.person_id, "state": "done", "arguments": {}}
    told = {"summary": "Took back an import", "rows": 3}
    with sessions.begin() as session:
        session.add(Job(**done, kind="laps.bake", name="Of a kind that is gone", result={"loaves": 2}))
        session.add(Job(**done, kind="laps.import", name="In other words", result={"lines": 72}))
        session.add(Job(**done, kind="history.undo", name="As it is", result=told))
    items = client.get("/api/jobs").json["items"]
    assert [(item["name"], item["result"]) for item in items] == [("As it is", told), ("In other words", None)]
    with sessions() as session:
        gone = session.scalars(select(Job.public_id).where(Job.kind == "laps.bake")).one()
    answers = (
        client.get(f"/api/jobs/{gone}"),
        *(client.post(f"/api/jobs/{gone}/{act}") for act in ("cancel", "retry")),
    )
    assert all(is_problem(answer, 404, "earlier version") for answer in answers)


def test_the_page_runs_its_own_scripts_alone(client: Browser) -> None:
    first, second = client.get("/"), client.get("/combinations/anything")
    nonces = [re.findall(r'nonce="([^"]+)"', answer.text)[0] for answer in (first, second)]
    assert len(set(nonces)) == 2
    policy = first.headers["Content-Security-Policy"]
    assert f"script-src 'self' 'nonce-{nonces[0]}'" in policy
    assert "default-src 'none'" in policy and "frame-ancestors 'none'" in policy and "unsafe" not in policy
    assert first.headers["X-Content-Type-Options"] == "nosniff" and first.headers["X-Frame-Options"] == "DENY"
    with client.get("/assets/a.js") as asset:
        assert "immutable" in asset.headers["Cache-Control"]


def test_the_description_and_the_front_ends_types_are_in_step(tmp_path: Path, client: Browser) -> None:
    committed = FRONTEND / "src" / "shared" / "api"
    assert (committed / "openapi.json").read_text() == description(), "run ./fleet schema"
    assert (committed / "words.ts").read_text() == vocabularies(), "run ./fleet schema"
    assert client.get("/api/openapi.json").json == openapi_document()
    written = tmp_path / "schema.d.ts"
    subprocess.run(
        ["npx", "--no-install", "openapi-typescript", "src/shared/api/openapi.json", "--output", str(written)],
        cwd=FRONTEND,
        check=True,
        capture_output=True,
    )
    assert written.read_text() == (committed / "schema.d.ts").read_text(), "run ./fleet schema"


def test_each_route_is_described_with_its_answers_and_errors() -> None:
    document = openapi_document()
    for path, methods in document["paths"].items():
        for method, operation in methods.items():
            assert operation["summary"], (path, method)
            assert {"404", "409", "413", "422"} <= operation["responses"].keys()
            assert any(code.startswith("2") for code in operation["responses"]), (path, method)


def test_pages_are_sent_compressed_to_browsers_that_take_it(client: Browser, pages: Path) -> None:
    (pages / "assets" / "a.js.br").write_bytes(b"packed")
    for name, content in (("_shared.js", "1"), ("_shared.js.br", "packed")):
        (pages / "assets" / name).write_text(content)
    with client.get("/assets/_shared.js", headers={"Accept-Encoding": "br"}) as shared:
        assert (shared.data, shared.headers["Content-Encoding"]) == (b"packed", "br")
    with (
        client.get("/assets/a.js", headers={"Accept-Encoding": "gzip, br"}) as packed,
        client.get("/assets/a.js") as plain,
    ):
        assert (packed.data, packed.headers["Content-Encoding"], packed.mimetype) == (
            b"packed",
            "br",
            "text/javascript",
        )
        assert plain.data == b"1" and "Content-Encoding" not in plain.headers and plain.mimetype == "text/javascript"
        assert plain.headers["Vary"] == packed.headers["Vary"] == "Accept-Encoding"
    for path in ("/assets/%2e%2e%2findex.html", "/assets/none.js"):
        assert client.get(path).status_code == 404
