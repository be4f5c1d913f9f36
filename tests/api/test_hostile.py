"""What a stranger, a broken program or bad luck sends: an answer each time, never an error of the server's own, and
nobody else is stopped.
"""

import json
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any

import mariadb
import pytest
import schemathesis
from flask import Flask
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from sqlalchemy import Connection, event, select
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api.access import COOKIE, CSRF_HEADER
from fleet_rival.db.tables import Entry
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import space
from fleet_rival.services.shared.base import Actor
from tests.api.conftest import PLAIN, Browser, Sign, is_problem

EACH = settings(
    max_examples=3, deadline=None, suppress_health_check=list(HealthCheck), phases=[Phase.generate], derandomize=True
)
LEFT_OUT = r"/api/(events/stream|sign-out|me/password|me/browsers|welcome|sign-in)"
"""A stream doesn't end, and who is signed out is asked nothing more; what is for strangers has limits of its own."""


@pytest.mark.parametrize("mode", [GenerationMode.NEGATIVE, GenerationMode.POSITIVE])
def test_whatever_is_sent_to_any_route_is_answered(
    app: Flask, client: Browser, filled: str, mode: GenerationMode
) -> None:
    cookie = client.get_cookie(COOKIE)
    assert cookie is not None and client.shown
    headers = {"Cookie": f"{COOKIE}={cookie.value}", CSRF_HEADER: client.shown, "Host": "127.0.0.1"}
    described = schemathesis.openapi.from_wsgi("/api/openapi.json", app, headers=headers)
    ids = _ids(client, filled)
    failed, asked = [], 0
    for found in described.exclude(path_regex=LEFT_OUT).get_all_operations():
        operation = found.ok()

        @EACH
        @given(case=operation.as_strategy(generation_mode=mode))
        def ask(case: Any) -> None:
            for name in case.path_parameters:
                case.path_parameters[name] = ids.get(name, case.path_parameters[name])
            case.call_and_validate(headers=headers, checks=[not_a_server_error])

        try:
            ask()
        except Unsatisfiable:
            continue  # nothing in it can be wrong
        except Exception as error:
            failed.append(f"{operation.label}: {str(error)[:600]}")
        asked += 1
    assert not failed, "\n\n".join(failed)
    assert asked > (150 if mode is GenerationMode.NEGATIVE else 200)


def _ids(client: Browser, filled: str) -> dict[str, str]:
    """Things that are there, so that what is sent reaches them."""
    one = client.get(f"/api/combinations/{filled}").json
    session = client.get(f"/api/combinations/{filled}/runs").json["sessions"][0]
    run = session["runs"][0]
    made = client.post("/api/series", json={"name": "Cup"}).json
    return {
        "combination_id": filled,
        "layout_id": one["layout_id"],
        "session_id": session["practice"]["id"],
        "driver_id": run["driver_id"],
        "run": str(run["number"]),
        "series_id": made["id"],
    }


DAYS = ["0001-01-01", "9999-12-31", "1899-12-31", "2200-01-01"]


@pytest.mark.parametrize("day", DAYS)
@pytest.mark.parametrize("path", ["/api/board", "/api/plan", "/api/readiness", "/api/plan/why"])
def test_days_that_nobody_drives_on_are_refused(client: Browser, path: str, day: str) -> None:
    answer = client.get(f"{path}?day={day}&block={'0' * 32}")
    assert answer.status_code in (404, 422), answer.text


@pytest.mark.parametrize("day", ["1900-01-01", "2199-12-31"])
def test_the_first_and_the_last_day_are_days(client: Browser, day: str) -> None:
    for path in ("/api/board", "/api/plan", "/api/readiness"):
        assert client.get(f"{path}?day={day}").status_code == 200, path


def test_what_is_deeper_than_anything_is_told_so(browser: Sign) -> None:
    nested = "[" * 1500 + "]" * 1500
    for body in (nested, f'{{"name": {nested}, "password": "x"}}'):
        answer = browser(None).post("/api/sign-in", data=body, content_type="application/json")
        assert answer.status_code in (400, 422), answer.text


def test_odd_headers_are_refused_and_never_broken_on(client: Browser, browser: Sign) -> None:
    assert is_problem(client.post("/api/series", json={"name": "A"}, headers={"Origin": "http://[foo]"}), 403)
    assert is_problem(client.post("/api/series", json={"name": "A"}, headers={CSRF_HEADER: "schlüssel"}), 403)
    assert browser(None).get("/api/me", headers={"Cookie": f"{COOKIE}=\xff"}).status_code == 401


def test_who_was_removed_is_told_everywhere(
    client: Browser, browser: Sign, manager: Actor, sessions: sessionmaker[Session]
) -> None:
    theirs = browser(add_person(sessions, manager, "Jorun Vale", "coach"))
    member = next(item for item in client.get("/api/people").json["items"] if item["role"] == "coach")
    assert client.delete(f"/api/people/{member['id']}").status_code == 204
    for method, url, body in (
        ("GET", "/api/me/reaction", None),
        ("PUT", "/api/me/reaction", {"truths_us": [1], "presses_us": [1]}),
        ("GET", "/api/me", None),
    ):
        assert theirs.open(url, method=method, json=body).status_code in (401, 403), url


def test_two_who_remove_the_same_entries_in_opposite_order_both_get_an_answer(
    client: Browser, browser: Sign, manager: Actor, sessions: sessionmaker[Session]
) -> None:
    series = client.post("/api/series", json={"name": "Cup"}).json
    drivers = [client.post("/api/profiles", json={"name": f"Driver {letter}"}).json["id"] for letter in "ABCDEF"]
    for round_ in range(4):
        facts = {"week": round_ + 1, "begins": f"2031-0{round_ + 1}-01", "ends": f"2031-0{round_ + 1}-08"}
        week = client.post(f"/api/series/{series['id']}/weeks", json=facts).json
        client.post("/api/entries", json={"week_ids": [week["id"]], "driver_ids": drivers, "importance": "want"})
        with sessions() as session:
            keys = [str(key) for key in session.scalars(select(Entry.public_id))]
        assert len(keys) == len(drivers)
        gate = Barrier(2)

        def remove(order: list[str], gate: Barrier = gate) -> int:
            theirs = browser(manager)
            gate.wait()
            return int(theirs.post("/api/entries/remove", json={"entry_ids": order}).status_code)

        with ThreadPoolExecutor(2) as pool:
            assert sorted(pool.map(remove, [keys, keys[::-1]])) == [204, 404]


def test_a_full_disk_is_told_and_what_frees_it_is_done(
    client: Browser, filled: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen = client.send(
        f"/api/combinations/{filled}/lap-files", b"driver,session,lap,time\nKeziah Umberlin,late,1,20.7\n"
    ).json
    monkeypatch.setattr(space, "free_bytes", lambda: 1_000_000)
    for answer in (
        client.post("/api/series", json={"name": "Cup"}),
        client.put("/api/me/preferences", json={"theme": "paper"}),
    ):
        assert is_problem(answer, 507, "full") and int(answer.headers["Retry-After"]) > 0
    assert client.get("/api/board").status_code == 200
    assert client.delete(f"/api/lap-files/{seen['id']}").status_code == 204
    monkeypatch.undo()
    assert client.post("/api/series", json={"name": "Cup"}).status_code == 201


@pytest.mark.parametrize(
    "error", [OperationalError("", {}, Exception()), InterfaceError("", {}, Exception()), PoolTimeout()]
)
def test_a_database_that_is_away_is_told_with_when_to_come_back(
    client: Browser, monkeypatch: pytest.MonkeyPatch, error: Exception
) -> None:
    if isinstance(error, OperationalError):
        error.orig = mariadb.OperationalError("gone")
        error.orig.errno = 2006

    def away(*_: Any) -> None:
        raise error

    monkeypatch.setattr("fleet_rival.api.routes.week.season.series.add_series", away)
    answer = client.post("/api/series", json={"name": "Cup"})
    assert is_problem(answer, 503, "can't be reached") and int(answer.headers["Retry-After"]) > 0


def test_a_database_that_is_lost_while_it_commits_is_never_said_to_have_changed_nothing(client: Browser) -> None:
    engine = client.application.extensions["sessions"].kw["bind"]

    def lose(connection: Connection) -> None:
        number = connection.connection.dbapi_connection.connection_id
        if not lost and connection.info.get("wrote"):
            lost.append(number)
            with engine.connect() as other:
                other.exec_driver_sql(f"KILL CONNECTION {number}")

    def notice(connection: Connection, cursor: Any, statement: str, *_: Any) -> None:
        if statement.startswith("INSERT INTO series"):
            connection.info["wrote"] = True

    lost: list[int] = []
    event.listen(engine, "commit", lose)
    event.listen(engine, "before_cursor_execute", notice)
    try:
        answer = client.post("/api/series", json={"name": "Cup"})
    finally:
        event.remove(engine, "commit", lose)
        event.remove(engine, "before_cursor_execute", notice)
    assert lost
    assert is_problem(answer, 503, "nobody can say whether it is kept") and answer.json["type"].endswith("unsure")
    assert client.get("/api/series").status_code == 200


def test_health_says_when_it_is_not_ready(app: Flask, monkeypatch: pytest.MonkeyPatch) -> None:
    assert app.test_client().get("/api/health").json["status"] == "ok"
    monkeypatch.setattr("fleet_rival.api.routes.people.sign_in.database_answers", lambda sessions: False)
    assert is_problem(app.test_client().get("/api/health"), 503, "database")


def test_text_is_tidied_where_it_comes_in_or_refused_with_its_place(client: Browser, filled: str) -> None:
    made = client.post("/api/series", json={"name": "A\u030asmund\u2019s \u200bCup"})
    assert made.json["name"] == "Åsmund’s Cup"
    for name in ("a\x00b", "\u0007", "\ud800"):
        answer = client.post("/api/series", data=json.dumps({"name": name}), content_type="application/json")
        assert is_problem(answer, 422, "name: holds the control character")
        assert answer.json["fields"][0]["field"] == "name"
    for name in ("\u200b", "\u2060\u200b ", "\u202e"):
        assert client.post("/api/series", json={"name": name}).status_code == 422
        assert client.post("/api/profiles", json={"name": name}).status_code == 422
    assert is_problem(client.get("/api/search?text=a%00b"), 422, "control character")
    assert client.post("/api/profiles", data='{"name": NaN}', content_type="application/json").status_code == 422
    seen = client.send(f"/api/combinations/{filled}/lap-files", PLAIN, "a\x07b\u202e.csv")
    assert seen.json["name"] == "ab.csv"
    rows = "driver,session,lap,time,note\nKeziah Umberlin,late,1,20.7,a\x07b\nKeziah Umberlin,late,2,20.8,\u200b\n"
    seen = client.send(f"/api/combinations/{filled}/lap-files", rows.encode()).json
    assert [item["reason"] for item in seen["set_aside"]] == [
        "holds the control character U+0007",
        "holds nothing that can be seen",
    ]


def test_lists_can_be_taken_along_whatever_anybody_wrote(client: Browser, filled: str) -> None:
    formula = "soft;=1+1"
    client.post("/api/series", json={"name": formula})
    session = client.get(f"/api/combinations/{filled}/runs").json["sessions"][0]
    run = session["runs"][0]
    place = f"/api/sessions/{session['practice']['id']}/drivers/{run['driver_id']}/runs/{run['number']}"
    lap = client.get(place).json["laps"][0]
    assert (
        client.patch(
            f"{place}/laps", json={"versions": {str(lap["number"]): lap["version"]}, "facts": {"note": formula}}
        ).status_code
        == 204
    )
    exported = client.get(f"/api/combinations/{filled}/laps.csv")
    assert "soft;'=1+1" in exported.text
    back = client.send(f"/api/combinations/{filled}/lap-files", exported.data).json
    assert (back["same"], back["different_count"], back["set_aside_count"]) == (72, 0, 0)
