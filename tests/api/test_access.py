"""Who may ask for what: every route of the description, as every role, as a member of another team, as a rig and as
nobody.
"""

import gzip
import io
import json
import re
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import pytest
from flask import Flask
from PIL import Image
from sqlalchemy import insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api.access import ALLOWED, COOKIE, CSRF_HEADER, DOORS, allowed
from fleet_rival.api.app import create_app, openapi_document
from fleet_rival.cli.schema import with_permissions
from fleet_rival.clock import now
from fleet_rival.db.tables import Entry, PlanBlock
from fleet_rival.services.people import rigs
from fleet_rival.services.people.team import add_person, give_password, make_team
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.roles import ALL as PERMISSIONS
from fleet_rival.services.shared.roles import SEE_ALL, may
from tests.api.conftest import Browser, Sign, is_problem
from tests.conftest import HOME, example

Sessions = sessionmaker[Session]
ALL, LEADERS, MANAGER, PERSON, ANYONE, RIG = (
    {"manager", "coach", "driver"},
    {"manager", "coach"},
    {"manager"},
    {"person"},
    {"anyone"},
    {"rig"},
)
ANY_ID = "00000000-0000-7000-8000-000000000000"
NOTE = {"note": "theirs", "cold_laps": None, "cold_seconds": None, "solo_floor_s": None}
REFERENCE = {"point": "braking", "kind": "board", "thing": "theirs"}
BOUNDARIES = {"sectors": [{"code": "S1", "start_m": 0}], "corners": []}
PICTURE = io.BytesIO()
Image.new("RGB", (8, 8), "teal").save(PICTURE, "PNG")
WEEK = {
    "week": 1,
    "begins": "2031-04-07",
    "ends": "2031-04-14",
    "cars": ["Cinder Truck"],
    "track": "Quernholm",
    "layout": "Short",
}

EXERCISE = {
    "code": "theirs",
    "version": 0,
    "kind": "other",
    "title": "Theirs",
    "work": "Theirs",
    "of_passes": 5,
    "good_passes": 4,
}
SETUP = {"car_id": ANY_ID, "name": "Theirs", "values": [{"name": "Wing", "value": "3"}]}
ASSIGNMENT = {"corner": "T1", "kind": "late-brake", "exercise": "late-brake"}
RUN = "/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}"
ARCHIVE = io.BytesIO()
with zipfile.ZipFile(ARCHIVE, "w") as packed:
    packed.writestr("theirs.csv", "driver,lap,time\nTheirs,1,60\n")

WANTED: dict[str, tuple[set[str], Any]] = {
    # Route: who may ask it, by the pages on roles; and a body that would do something.
    "GET /api/health": (ANYONE, None),
    "POST /api/sign-in": (ANYONE, {"name": "nobody", "password": "nothing"}),
    "POST /api/welcome": (ANYONE, {"token": "x"}),
    "POST /api/welcome/accept": (
        ANYONE,
        {"token": "x", "name": "x", "sign_in_name": "xx", "password": "quartz kettle meadow"},
    ),
    "POST /api/welcome/join": (PERSON, {"token": "x"}),
    "POST /api/sign-out": (PERSON, None),
    "POST /api/sign-out-everywhere": (PERSON, None),
    "GET /api/me/browsers": (PERSON, None),
    "DELETE /api/me/browsers/{browser_id}": (PERSON, None),
    "POST /api/me/password": (PERSON, {"old": "x", "new": "quartz kettle meadow"}),
    "POST /api/me/team": (PERSON, {"team_id": ANY_ID}),
    "GET /api/me": (ALL, None),
    "PUT /api/me/preferences": (ALL, {"theme": "paper"}),
    "GET /api/combinations": (ALL, None),
    "GET /api/thresholds": (ALL, None),
    "POST /api/combinations": (LEADERS, {"layout_id": ANY_ID, "car": "Theirs"}),
    "GET /api/combinations/{combination_id}": (ALL, None),
    "PUT /api/combinations/{combination_id}": (LEADERS, NOTE),
    "GET /api/combinations/{combination_id}/clinic": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/accounts": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/accounts.csv": (ALL, None),
    "GET /api/combinations/{combination_id}/traces.parquet": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/clinic": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/mistakes/{corner}/{kind}": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/card": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/audit": (ALL, None),
    f"PUT {RUN}/laps/{{lap}}/passes/{{corner}}": (ALL, {"no_mistake": True}),
    f"DELETE {RUN}/laps/{{lap}}/passes/{{corner}}": (ALL, None),
    "GET /api/plan": (ALL, None),
    "GET /api/plan/coming": (ALL, None),
    "POST /api/lineup": (LEADERS, {}),
    "PUT /api/series/{series_id}/counting": (LEADERS, {"best_weeks": 4}),
    "GET /api/outlook": (ALL, None),
    "POST /api/readiness/history": (ALL, {"entry_id": ANY_ID}),
    "GET /api/races": (ALL, None),
    "GET /api/races/{entered_id}": (ALL, None),
    "PUT /api/races/{entered_id}": (LEADERS, {}),
    "GET /api/races/{entered_id}/sheet": (ALL, None),
    "POST /api/races/{entered_id}/sheet": (LEADERS, None),
    "POST /api/races/{entered_id}/sheet/read": ({"driver"}, {"number": 1}),
    "GET /api/races/{entered_id}/sheet.pdf": (ALL, None),
    "POST /api/races/pressures": (
        ALL,
        {"cold_kpa": {"front_left": 160}, "hot_kpa": {"front_left": 190}, "wanted_kpa": {"front_left": 185}},
    ),
    "GET /api/lists/{listed}.{form}": (ALL, None),
    "POST /api/team/packages": (MANAGER, {}),
    "GET /api/team/packages/{job_id}": (MANAGER, None),
    "POST /api/team/brought/{job_id}/ways": (MANAGER, None),
    "POST /api/uploads/{upload_id}/team": (MANAGER, None),
    "GET /api/drivers/{driver_id}/data.zip": (ALL, None),
    "POST /api/drivers/{driver_id}/leave": (MANAGER, None),
    "GET /api/results": (ALL, None),
    "GET /api/drivers/{driver_id}/season": (ALL, None),
    "GET /api/drivers/{driver_id}/season/mistakes": (ALL, None),
    "GET /api/races/{entered_id}/debrief": (ALL, None),
    "POST /api/races/{entered_id}/results": (ALL, {"starts_at": "2031-04-09T19:00:00Z"}),
    "PUT /api/results/{result_id}": (ALL, {"starts_at": "2031-04-09T19:00:00Z"}),
    "DELETE /api/results/{result_id}": (ALL, None),
    "GET /api/lessons": (ALL, None),
    "GET /api/weeks/{week_id}/lessons": (ALL, None),
    "POST /api/lessons": (ALL, {"text": "later turn-in", "layout_id": ANY_ID}),
    "PUT /api/lessons/{lesson_id}": (ALL, {"text": "later turn-in", "layout_id": ANY_ID}),
    "POST /api/lessons/{lesson_id}/confirm": (LEADERS, None),
    "DELETE /api/lessons/{lesson_id}": (ALL, None),
    "GET /api/seats": (ALL, None),
    "GET /api/plan/why": (LEADERS, None),
    "POST /api/plan/make": (LEADERS, {}),
    "POST /api/plan/what-if": (LEADERS, {"changes": [{"kind": "less_time", "driver_id": ANY_ID}]}),
    "POST /api/plan/room": (LEADERS, {"key": "nothing"}),
    "GET /api/plan/rules": (LEADERS, None),
    "PUT /api/plan/rules": (MANAGER, {"checks": {}, "blocks": {}}),
    "PUT /api/plan/blocks/{block_id}": (LEADERS, {"locked": True}),
    "DELETE /api/plan/blocks/{block_id}": (LEADERS, None),
    "GET /api/readiness": (ALL, None),
    "GET /api/exercises": (ALL, None),
    "GET /api/exercises/helped": (ALL, None),
    "GET /api/setups": (ALL, None),
    "POST /api/setups": (ALL, SETUP),
    "GET /api/setups/{setup_id}": (ALL, None),
    "POST /api/setups/{setup_id}/versions": (ALL, {**SETUP, "latest": 1}),
    "DELETE /api/setups/{setup_id}": (LEADERS, None),
    "GET /api/setups/{setup_id}/difference": (ALL, None),
    "GET /api/setups/{setup_id}/file": (ALL, None),
    "GET /api/setups/{setup_id}/brought": (ALL, None),
    "PUT /api/exercises": (LEADERS, EXERCISE),
    "DELETE /api/exercises/{code}": (LEADERS, None),
    "GET /api/combinations/{combination_id}/assignments": (ALL, None),
    "POST /api/combinations/{combination_id}/drivers/{driver_id}/assignments": (LEADERS, ASSIGNMENT),
    "DELETE /api/assignments/{assignment_id}": (LEADERS, None),
    "DELETE /api/combinations/{combination_id}": (LEADERS, None),
    "GET /api/combinations/{combination_id}/analysis": (ALL, None),
    "GET /api/combinations/{combination_id}/beside": (ALL, None),
    "GET /api/combinations/{combination_id}/tyres": (ALL, None),
    "GET /api/drivers/{driver_id}/steadiness": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/pace": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/versus": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/versus.csv": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/report.pdf": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/report": (ALL, None),
    "GET /api/combinations/{combination_id}/figures": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/laps": (ALL, None),
    "GET /api/combinations/{combination_id}/lap-files": (ALL, None),
    "POST /api/combinations/{combination_id}/lap-files": (ALL, "file"),
    "GET /api/combinations/{combination_id}/laps.csv": (ALL, None),
    "POST /api/combinations/{combination_id}/lap-archives": (ALL, "archive"),
    "GET /api/lap-files/{file_id}": (ALL, None),
    "PUT /api/lap-files/{file_id}/reading": (ALL, {"table": None}),
    "PUT /api/lap-files/{file_id}/lines/{line}": (ALL, {"cells": ["Theirs", "1", "60"]}),
    "POST /api/lap-files/{file_id}/again": (ALL, None),
    "POST /api/lap-files/{file_id}/import": (ALL, {"revision": 1}),
    "DELETE /api/lap-files/{file_id}": (ALL, None),
    "GET /api/layouts": (ALL, None),
    "POST /api/layouts": (LEADERS, "file"),
    "POST /api/layouts/by-hand": (
        LEADERS,
        {"track": "Theirs", "layout": "x", "length_m": 1000, "sectors": [{"code": "S1", "start_m": 0}]},
    ),
    "GET /api/layouts/{layout_id}": (ALL, None),
    "PUT /api/layouts/{layout_id}": (LEADERS, {"track": "Theirs", "layout": "x", "kind": "x"}),
    "DELETE /api/layouts/{layout_id}": (LEADERS, None),
    "GET /api/layouts/{layout_id}/outline": (ALL, None),
    "GET /api/layouts/{layout_id}/track.json": (ALL, None),
    "POST /api/layouts/{layout_id}/derive": (LEADERS, {"how": "reversed", "layout": "Theirs"}),
    "POST /api/layouts/{layout_id}/boundaries/look": (LEADERS, BOUNDARIES),
    "POST /api/layouts/{layout_id}/boundaries": (LEADERS, BOUNDARIES),
    "GET /api/layouts/{layout_id}/card": (ALL, None),
    "PUT /api/corners/{corner_id}": (LEADERS, {"note": "theirs"}),
    "POST /api/corners/{corner_id}/references": (ALL, REFERENCE),
    "PUT /api/references/{reference_id}": (ALL, REFERENCE),
    "DELETE /api/references/{reference_id}": (ALL, None),
    "POST /api/references/{reference_id}/confirm": (LEADERS, None),
    "POST /api/references/{reference_id}/decline": (LEADERS, None),
    "POST /api/references/{reference_id}/carry": (LEADERS, {"car_id": ANY_ID}),
    "POST /api/references/{reference_id}/picture": (ALL, "picture"),
    "DELETE /api/references/{reference_id}/picture": (ALL, None),
    "GET /api/pictures/{picture_id}.jpg": (ALL, None),
    "POST /api/layouts/{layout_id}/questions": (ALL, {"text": "Theirs?"}),
    "PUT /api/questions/{question_id}": (ALL, {"answer": "theirs"}),
    "POST /api/questions/{question_id}/close": (LEADERS, {"became": None}),
    "DELETE /api/questions/{question_id}": (ALL, None),
    "GET /api/drivers": (ALL, None),
    "PUT /api/drivers/{driver_id}": (LEADERS, {"name": "Theirs", "guest": True}),
    "GET /api/events": (ALL, None),
    "GET /api/events/stream": (ALL, None),
    "GET /api/history": (ALL, None),
    "GET /api/history/steps": (ALL, None),
    "POST /api/history/undo": (ALL, None),
    "POST /api/history/redo": (ALL, None),
    "GET /api/history/{entry_id}": (ALL, None),
    "POST /api/history/{entry_id}/undo": (ALL, None),
    "POST /api/history/{entry_id}/redo": (ALL, None),
    "GET /api/jobs": (ALL, None),
    "GET /api/jobs/{job_id}": (ALL, None),
    "POST /api/jobs/{job_id}/cancel": (ALL, None),
    "POST /api/jobs/{job_id}/retry": (ALL, None),
    "GET /api/search": (ALL, None),
    "GET /api/written": (ALL, None),
    "PUT /api/team": (MANAGER, {"name": "Theirs", "open_ranking": True}),
    "GET /api/people": (MANAGER, None),
    "PUT /api/people/{member_id}": (MANAGER, {"role": "driver", "driver_id": None}),
    "DELETE /api/people/{member_id}": (MANAGER, None),
    "GET /api/invitations": (MANAGER, None),
    "POST /api/invitations": (MANAGER, {"name": "Theirs", "role": "driver", "driver_id": None}),
    "DELETE /api/invitations/{invitation_id}": (MANAGER, None),
    "GET /api/rigs": (MANAGER, None),
    "POST /api/rigs": (MANAGER, {"name": "Theirs"}),
    "DELETE /api/rigs/{rig_id}": (MANAGER, None),
    "GET /api/board": (ALL, None),
    "POST /api/board/visit": (ALL, None),
    "PUT /api/combinations/{combination_id}/target": (
        LEADERS,
        {"target": {"rule": "time", "time_us": 60_000_000}, "benchmark": None},
    ),
    "GET /api/combinations/{combination_id}/sessions": (ALL, None),
    "GET /api/combinations/{combination_id}/questions": (ALL, None),
    "GET /api/combinations/{combination_id}/runs": (ALL, None),
    "GET /api/combinations/{combination_id}/drivers/{driver_id}/template": (ALL, None),
    "POST /api/combinations/{combination_id}/runs/check": (ALL, {"driver_id": ANY_ID, "context": {}}),
    "POST /api/combinations/{combination_id}/runs": (ALL, {"driver_id": ANY_ID, "context": {}}),
    "PUT /api/runs/{run_id}": (ALL, {"setup": "theirs"}),
    "DELETE /api/runs/{run_id}": (ALL, None),
    "POST /api/combinations/{combination_id}/lanes": (ALL, {"driver_id": ANY_ID}),
    "GET /api/letters": (ALL, None),
    "GET /api/combinations/{combination_id}/clip": (ALL, None),
    "GET /api/me/reaction": (ALL, None),
    "PUT /api/me/reaction": (ALL, {"truths_us": [1], "presses_us": []}),
    f"GET {RUN}": (ALL, None),
    f"PUT {RUN}/declaration": (ALL, {"setup": "theirs"}),
    f"POST {RUN}/laps": (ALL, {"number": 99, "line": "20700"}),
    f"PUT {RUN}/laps/{{lap}}": (ALL, {"line": "20700"}),
    f"POST {RUN}/timed-laps": (ALL, {"number": 98, "presses_us": [0, 20_000_000], "ended_at": "2031-03-04T18:00:00Z"}),
    f"PUT {RUN}/marks": (ALL, {"versions": {"2": 1}, "marks": None}),
    f"PATCH {RUN}/laps": (ALL, {"versions": {"2": 1}, "facts": {"setup": "theirs"}}),
    f"PUT {RUN}/feel": (ALL, {"handling": {}, "readings": [], "note": "theirs"}),
    f"POST {RUN}/laps/{{lap}}/remarks": (ALL, {"text": "theirs"}),
    f"PUT {RUN}/laps/{{lap}}/answer": (ALL, {"kind": "tow", "answer": "tow"}),
    "DELETE /api/remarks/{remark_id}": (ALL, None),
    "POST /api/sessions/{session_id}/merge": (LEADERS, {"other_id": ANY_ID}),
    "POST /api/sessions/{session_id}/split": (LEADERS, {"runs": [{"driver_id": ANY_ID, "number": 1}]}),
    "POST /api/sessions/{session_id}/move": (LEADERS, {"driver_id": ANY_ID}),
    "PUT /api/sessions/{session_id}": (
        LEADERS,
        {"session_local": None, "air_temp_c": 30, "track_temp_c": None, "wetness": "wet"},
    ),
    "GET /api/series": (ALL, None),
    "POST /api/series": (LEADERS, {"name": "Theirs"}),
    "PUT /api/series/{series_id}": (LEADERS, {"name": "Theirs"}),
    "DELETE /api/series/{series_id}": (LEADERS, None),
    "GET /api/series/{series_id}/weeks": (ALL, None),
    "POST /api/series/{series_id}/weeks": (LEADERS, {**WEEK, "week": 7, "begins": "2031-06-02", "ends": "2031-06-09"}),
    "GET /api/series/{series_id}/season.csv": (ALL, None),
    "GET /api/series/{series_id}/season.xlsx": (ALL, None),
    "GET /api/series/{series_id}/season.ics": (ALL, None),
    "GET /api/weeks/{week_id}": (ALL, None),
    "PUT /api/weeks/{week_id}": (LEADERS, {**WEEK, "note": "theirs"}),
    "DELETE /api/weeks/{week_id}": (LEADERS, None),
    "GET /api/weeks/{week_id}/knowledge": (ALL, None),
    "POST /api/season-files": (LEADERS, "season"),
    "GET /api/season-files/{season_file_id}": (LEADERS, None),
    "POST /api/season-files/{season_file_id}/import": (LEADERS, {"stamp": "x", "take_changes": True}),
    "DELETE /api/season-files/{season_file_id}": (LEADERS, None),
    "POST /api/entries": (LEADERS, {"week_ids": [ANY_ID], "driver_ids": [ANY_ID]}),
    "POST /api/entries/remove": (LEADERS, {"entry_ids": [ANY_ID]}),
    "GET /api/entries/{entered_id}": (ALL, None),
    "PUT /api/entries/{entered_id}": (ALL, {"note": "theirs"}),
    "GET /api/entries/{entered_id}/starts": (ALL, None),
    "POST /api/entries/{entered_id}/move": (LEADERS, {"week_id": ANY_ID, "driver_id": ANY_ID}),
    "GET /api/cars": (ALL, None),
    "POST /api/cars": (LEADERS, {"name": "Theirs"}),
    "GET /api/cars/{car_id}": (ALL, None),
    "PUT /api/cars/{car_id}": (LEADERS, {"name": "Theirs"}),
    "DELETE /api/cars/{car_id}": (LEADERS, None),
    "GET /api/profiles": (ALL, None),
    "POST /api/profiles": (LEADERS, {"name": "Theirs"}),
    "GET /api/profiles/{driver_id}": (ALL, None),
    "PUT /api/profiles/{driver_id}": (ALL, {"nickname": "Theirs"}),
    "DELETE /api/profiles/{driver_id}": (LEADERS, None),
    "GET /api/resources": (ALL, None),
    "POST /api/resources": (LEADERS, {"name": "Theirs", "kind": "rig"}),
    "PUT /api/resources/{resource_id}": (LEADERS, {"name": "Theirs"}),
    "DELETE /api/resources/{resource_id}": (LEADERS, None),
    "GET /api/me/calendars": (ALL, None),
    "POST /api/me/calendars": (ALL, {"name": "Theirs"}),
    "DELETE /api/me/calendars/{calendar_id}": (ALL, None),
    "GET /api/calendar/{token}.ics": (ANYONE, None),
    "POST /api/rig/feed": (RIG, None),
    "GET /api/rig/brief": (RIG, None),
    "GET /api/live": (ALL, None),
    "GET /api/live/troubles": (LEADERS, None),
    "POST /api/live/troubles/again": (LEADERS, None),
    "GET /api/space": (ALL, None),
    "POST /api/uploads": (ALL, None),
    "GET /api/uploads/{upload_id}": (ALL, None),
    "PATCH /api/uploads/{upload_id}": (ALL, None),
    "DELETE /api/uploads/{upload_id}": (ALL, None),
    "POST /api/uploads/{upload_id}/reading": (ALL, {}),
    "POST /api/uploads/{upload_id}/layout": (LEADERS, None),
    "GET /api/combinations/{combination_id}/uploads": (ALL, None),
    "GET /api/combinations/{combination_id}/traces": (ALL, None),
    "GET /api/combinations/{combination_id}/traces/overlay": (ALL, None),
    "GET /api/combinations/{combination_id}/traces/passes": (ALL, None),
    "GET /api/layouts/{layout_id}/found": (LEADERS, None),
}


_TWO = "?first=run:1:1&second=run:1:2"
NEEDED = {
    "overlay": "?lap=x",
    "traces.parquet": "?lap=x",
    "versus": _TWO,
    "versus.csv": _TWO,
    "figures": "?what=drivers",
    "passes": "?lap=x&part=T1",
    "difference": "?first=1&second=1",
    "file": "?number=1",
    "why": "?key=x",
}
"""What a route wants to be asked, by the end of its path."""


def _planned(sessions: Sessions, entry_id: UUID) -> UUID:
    """A block of practice for an entry."""
    key = uuid4()
    with sessions.begin() as session:
        entry = session.scalars(select(Entry).where(Entry.public_id == entry_id)).one()
        whose = {"team_id": entry.team_id, "driver_id": entry.driver_id, "entry_id": entry.id}
        what = {
            "kind": "build",
            "about": "",
            "minutes": 30,
            "locked": False,
            "gain_us": 1,
            "why": "supposed",
            "numbers": {"share": 0.1},
        }
        session.execute(
            insert(PlanBlock).values(
                public_id=key, version=1, begins_at=datetime(2031, 4, 8, 19, tzinfo=UTC), **whose, **what
            )
        )
    return key


def said(answer: Any) -> str:
    """All that an answer says, packed or not."""
    if answer.mimetype != "application/zip":
        return str(answer.text)
    with zipfile.ZipFile(io.BytesIO(answer.data)) as package:
        answer.close()
        return "\n".join(package.read(name).decode(errors="replace") for name in package.namelist())


class World:
    """A team with everything in it, and all who might ask."""

    def __init__(self, sessions: Sessions, browser: Sign, manager: Actor, combination: str) -> None:
        own = browser(manager)
        self.secrets = ["Keziah Umberlin", "Cinder Truck", "Farhaven Racing", "Idrik Fenwold"]
        driver = own.get("/api/drivers").json["items"][0]
        coach, one = (
            add_person(sessions, manager, name, role)
            for name, role in (("Idrik Fenwold", "coach"), ("Ysolde Farrand", "driver"))
        )
        self.ids = {
            "combination_id": combination,
            "driver_id": driver["id"],
            "member_id": own.get("/api/people").json["items"][0]["id"],
            "invitation_id": own.post("/api/invitations", json={"name": "Invited", "role": "driver"}).json["id"],
            "rig_id": own.post("/api/rigs", json={"name": "Cellar"}).json["id"],
            "entry_id": own.get("/api/history").json["items"][0]["id"],
            "job_id": own.get("/api/jobs").json["items"][0]["id"],
            "file_id": own.send(f"/api/combinations/{combination}/lap-files", b"driver,lap,time\nA,1,60\n").json["id"],
            "browser_id": own.get("/api/me/browsers").json["items"][0]["id"],
            "session_id": own.get(f"/api/combinations/{combination}/sessions").json["items"][0]["id"],
            "series_id": own.post("/api/series", json={"name": "Cinder League"}).json["id"],
            "car_id": own.get("/api/cars").json["items"][0]["id"],
            "resource_id": own.post("/api/resources", json={"name": "Cellar rig", "kind": "rig"}).json["id"],
            "calendar_id": own.post("/api/me/calendars", json={"name": "Phone"}).json["id"],
            "season_file_id": own.send(
                "/api/season-files", b"series,week,from,to\nCinder League,4,2031-05-05,2031-05-12\n"
            ).json["id"],
            "token": "cal_nothing",
            "listed": "laps",
            "form": "csv",
        }
        layout = own.get("/api/layouts").json["items"][0]["id"]
        corner = own.get(f"/api/layouts/{layout}").json["corners"][0]["id"]
        reference = own.post(f"/api/corners/{corner}/references", json={**REFERENCE, "thing": "ours"}).json["id"]
        own.send(f"/api/references/{reference}/picture", PICTURE.getvalue())
        self.ids |= {
            "layout_id": layout,
            "corner_id": corner,
            "reference_id": reference,
            "picture_id": own.get(f"/api/layouts/{layout}").json["references"][0]["picture_id"],
            "question_id": own.post(f"/api/layouts/{layout}/questions", json={"text": "Ours?"}).json["id"],
        }
        self.ids["week_id"] = own.post(f"/api/series/{self.ids['series_id']}/weeks", json=WEEK).json["id"]
        own.post("/api/entries", json={"week_ids": [self.ids["week_id"]], "driver_ids": [driver["id"]]})
        (row,) = (row for row in own.get("/api/board?day=2031-04-08").json["drivers"] if row["id"] == driver["id"])
        self.ids["entered_id"] = row["cells"][0]["entry"]["id"]
        (line,) = (
            line
            for line in own.get(f"/api/combinations/{combination}/runs").json["sessions"]
            if line["practice"]["id"] == self.ids["session_id"]
        )
        self.ids |= {
            "driver_id": line["runs"][0]["driver_id"],
            "number": str(line["runs"][0]["number"]),
            "lap": "2",
            "line": "2",
        }
        place = f"/api/sessions/{self.ids['session_id']}/drivers/{self.ids['driver_id']}/runs/{self.ids['number']}"
        declared = {"driver_id": self.ids["driver_id"], "context": {"setup": "ours"}}
        self.ids |= {
            "run_id": own.post(f"/api/combinations/{combination}/runs", json=declared).json["id"],
            "corner": "T1",
            "kind": "late-brake",
            "code": "ours",
            "remark_id": own.post(f"{place}/laps/2/remarks", json={"text": "ours"}).json["id"],
        }
        own.put("/api/exercises", json={**EXERCISE, "code": "ours", "title": "Ours"})
        self.ids["setup_id"] = own.post(
            "/api/setups", json={**SETUP, "car_id": self.ids["car_id"], "name": "Ours"}
        ).json["id"]
        given = f"/api/combinations/{combination}/drivers/{self.ids['driver_id']}/assignments"
        self.ids["assignment_id"] = own.post(given, json=ASSIGNMENT).json["items"][0]["id"]
        self.ids["lesson_id"] = own.post(
            "/api/lessons", json={"text": "ours", "layout_id": self.ids["layout_id"]}
        ).json["id"]
        self.ids["result_id"] = own.post(
            f"/api/races/{self.ids['entered_id']}/results", json={"starts_at": "2031-04-10T19:00:00Z"}
        ).json["id"]
        self.ids["block_id"] = str(_planned(sessions, UUID(self.ids["entered_id"])))
        made = own.open("/api/uploads", method="POST", headers={"Tus-Resumable": "1.0.0", "Upload-Length": "9"})
        self.ids["upload_id"] = made.headers["Location"].rsplit("/", 1)[-1]
        self.own = own
        self.actors = {"manager": manager, "coach": coach, "driver": one}
        self.browser = browser
        self.stranger = make_team(sessions, "Elsewhere", "Somebody Else")
        self.rig = rigs.make_rig_token(sessions, manager, "Attic")[1]

    def ask(self, client: Browser, route: str, headers: dict[str, str] | None = None) -> Any:
        method, path = route.split(" ")
        body = WANTED[route][1]
        files = {
            "file": example("dirty/practice.track.json"),
            "season": b"series,week,from,to\nTheirs,1,2031-04-07,2031-04-14\n",
        }
        files |= {"picture": PICTURE.getvalue(), "archive": ARCHIVE.getvalue()}
        sent: dict[str, Any] = (
            {"data": {"file": (io.BytesIO(files[body]), "x")}} if isinstance(body, str) else {"json": body}
        )
        url = re.sub(r"{(\w+)}", lambda found: self.ids[found[1]], path) + NEEDED.get(path.rsplit("/", 1)[-1], "")
        if "uploads" in path:
            headers = {"Tus-Resumable": "1.0.0", "Upload-Offset": "0", "Upload-Length": "9", **(headers or {})}
        if method == "PATCH" and "uploads" in path:
            sent = {"data": b"theirs", "content_type": "application/offset+octet-stream"}
        return client.open(
            url,
            method=method,
            headers={"If-Match": '"1"', **(headers or {})},
            **(sent if method in ("POST", "PUT", "PATCH") else {}),
        )

    def state(self) -> list[Any]:
        """What a change by somebody else would show in."""
        one, file = f"combinations/{self.ids['combination_id']}", f"lap-files/{self.ids['file_id']}"
        weeks, season = f"series/{self.ids['series_id']}/weeks", f"season-files/{self.ids['season_file_id']}"
        book = f"layouts/{self.ids['layout_id']}"
        paths = (
            book,
            "people",
            "invitations",
            "rigs",
            "drivers",
            "layouts",
            "jobs",
            one,
            f"{one}/runs",
            file,
            "series",
            weeks,
            season,
            "cars",
            "profiles",
            "resources",
        )
        entries = self.own.get("/api/history").json["items"]
        return [[entry["summary"] for entry in entries], *(self.own.get(f"/api/{path}").json for path in paths)]


@pytest.fixture
def world(sessions: Sessions, browser: Sign, manager: Actor, filled: str) -> World:
    return World(sessions, browser, manager, filled)


def test_this_list_names_every_route_and_who_may_ask_it() -> None:
    described = {
        f"{method.upper()} {path}": set(operation["x-allowed"])
        for path, methods in openapi_document()["paths"].items()
        for method, operation in methods.items()
    }
    assert described == {route: who for route, (who, _) in WANTED.items()}


def test_each_permission_is_an_act_or_a_routes_and_each_act_is_a_permission() -> None:
    acts = {
        name
        for path in (HOME / "fleet_rival").rglob("*.py")
        for name in re.findall(r"(?:begin_change|act_of)\([^\"]*\"([a-z_.]+)\"", path.read_text())
    }
    assert len(acts) > 90
    assert acts <= PERMISSIONS
    assert acts | set(ALLOWED.values()) - DOORS | {SEE_ALL} == PERMISSIONS
    with pytest.raises(KeyError):
        allowed("plan.chnage")
    with pytest.raises(KeyError):
        may("manager", "plan.chnage")


def test_the_page_on_security_shows_the_roles_as_they_are() -> None:
    page = (HOME / "docs" / "security.md").read_text()
    assert with_permissions(page) == page, "run ./fleet schema"


def test_nobody_gets_no_further_than_the_door(world: World) -> None:
    before = world.state()
    for client, headers in (
        (world.browser(None), {}),
        (world.browser(None), {"Authorization": "Bearer x", "Cookie": f"{COOKIE}=x"}),
    ):
        for route, (who, _) in WANTED.items():
            answer = world.ask(client, route, headers)
            if who != ANYONE:
                assert is_problem(answer, 401), route
            assert not any(secret in said(answer) for secret in world.secrets), route
    assert world.state() == before


@pytest.mark.parametrize("role", ["manager", "coach", "driver"])
def test_each_role_is_refused_what_is_not_its_own_and_let_in_to_the_rest(world: World, role: str) -> None:
    refused = world.browser(world.actors[role])
    before = world.state()
    for route, (who, _) in WANTED.items():
        if not who & {role, "person", "anyone"}:
            assert is_problem(world.ask(refused, route), 401 if who == RIG else 403), route
    assert world.state() == before
    for key in world.ids.keys() - {"number", "lap", "line"}:
        world.ids[key] = ANY_ID  # let in, but nothing there: nobody is in each other's way
    for route, (who, _) in WANTED.items():
        if who & {role, "person"} and "sign-out" not in route:
            answer = world.ask(world.browser(world.actors[role]), route)
            assert answer.status_code not in (401, 403, 405, 500), (route, answer.status_code)
            answer.close()


def test_a_member_of_another_team_finds_nothing_and_changes_nothing(world: World) -> None:
    before = world.state()
    for route, (who, _) in WANTED.items():
        if who & {"manager", "person"} and "stream" not in route and "sign-out" not in route:
            answer = world.ask(world.browser(world.stranger), route)
            assert not any(secret in said(answer) for secret in world.secrets), route
            # A list is named by what it is, not by whose: a stranger gets their own.
            if "{" in route and "/lists/" not in route:
                assert is_problem(answer, 404), route
    assert world.state() == before


def test_a_driver_reaches_no_other_drivers_laps_files_or_work(world: World) -> None:
    client = world.browser(world.actors["driver"])
    for route in (
        *(route for route in WANTED if route.startswith("GET /api/combinations/{combination_id}/drivers/")),
        "GET /api/drivers/{driver_id}/steadiness",
        "GET /api/drivers/{driver_id}/season",
        "GET /api/drivers/{driver_id}/season/mistakes",
        "GET /api/drivers/{driver_id}/data.zip",
        "GET /api/races/{entered_id}/debrief",
        "POST /api/races/{entered_id}/results",
        "PUT /api/results/{result_id}",
        "DELETE /api/results/{result_id}",
        "GET /api/lap-files/{file_id}",
        "POST /api/lap-files/{file_id}/import",
        "DELETE /api/lap-files/{file_id}",
        "PUT /api/lap-files/{file_id}/reading",
        "PUT /api/lap-files/{file_id}/lines/{line}",
        "POST /api/lap-files/{file_id}/again",
        "PUT /api/runs/{run_id}",
        "DELETE /api/runs/{run_id}",
        "DELETE /api/remarks/{remark_id}",
        *(route for route in WANTED if RUN in route),
        "GET /api/jobs/{job_id}",
        "POST /api/jobs/{job_id}/cancel",
        "GET /api/history/{entry_id}",
        "POST /api/history/{entry_id}/undo",
    ):
        assert is_problem(world.ask(client, route), 404), route
    figures = client.get(f"/api/combinations/{world.ids['combination_id']}/analysis").json
    assert figures["drivers"] == figures["warnings"] == []
    for route in ("laps.csv", "lap-files", "figures?what=drivers", "figures?what=beside&form=json", "beside", ""):
        answer = client.get(f"/api/combinations/{world.ids['combination_id']}/{route}".rstrip("/"))
        assert answer.status_code == 200 and "Umberlin" not in answer.text, route
    for what in ("laps", "pace"):
        whose = f"figures?what={what}&driver={world.ids['driver_id']}"
        assert is_problem(client.get(f"/api/combinations/{world.ids['combination_id']}/{whose}"), 404)
    for path in ("drivers", "jobs", "history", "search?q=keziah", "combinations"):
        assert "Umberlin" not in client.get(f"/api/{path}").text, path
    refused = client.send(
        f"/api/combinations/{world.ids['combination_id']}/lap-files", b"driver,lap,time\nKeziah Umberlin,1,60\n"
    )
    assert is_problem(refused, 422, "ask a manager or coach")


def test_the_manager_may_open_the_figures_to_the_drivers(world: World) -> None:
    client = world.browser(world.actors["driver"])
    path = f"/api/combinations/{world.ids['combination_id']}/analysis"
    assert len(client.get(path).json["drivers"]) == 0
    version = world.own.get("/api/me").json["team_version"]
    opened = world.own.put(
        "/api/team", json={"name": "Farhaven Racing", "open_ranking": True}, headers={"If-Match": f'"{version}"'}
    )
    assert opened.status_code == 200
    assert "Keziah Umberlin" in client.get(path).text
    assert "Umberlin" not in client.get(f"/api/combinations/{world.ids['combination_id']}/laps.csv").text


def test_a_rig_may_deliver_and_nothing_else(world: World) -> None:
    client = world.browser(None)
    bearer = {"Authorization": f"Bearer {world.rig}"}
    for route, (who, _) in WANTED.items():
        if not who & {"rig", "anyone"}:
            assert is_problem(world.ask(client, route, bearer), 401), route
    place = world.own.get(f"/api/combinations/{world.ids['combination_id']}").json
    head = {name: place[name] for name in ("track", "layout", "car")} | {"driver": "Keziah Umberlin", "session": "live"}
    line = {
        "kind": "lap",
        "key": "lap.1.000001",
        **head,
        "lap": {"run": 1, "lap": 1, "time_us": 20_700_000, "sectors": {"S1": 6_900_000}},
    }

    def deliver(*lines: dict[str, Any], packed: bool = False) -> Any:
        body = "\n".join(json.dumps(item) for item in lines).encode()
        more = {"Content-Encoding": "gzip"} if packed else {}
        return client.post("/api/rig/feed", data=gzip.compress(body) if packed else body, headers={**bearer, **more})

    assert deliver(line, packed=True).json == {"taken": 1, "again": 0, "refused": []}
    assert deliver(line, {**line, "key": "lap.1.000002", "lap": {**line["lap"], "lap": 2}}).json == {
        "taken": 1,
        "again": 1,
        "refused": [],
    }
    said = deliver({**line, "key": "short"}, {**line, "lap": {**line["lap"], "time_us": -1}}, {"kind": "other"}).json
    assert (
        said["taken"] == 0
        and [item["line"] for item in said["refused"]] == [1, 2, 3]
        and "time_us" in said["refused"][1]["reason"]
    )
    # More than one row holds: refused at the border, not taken for trouble of the database's.
    for name, tokens in (
        ("flags", [f"traffic:{'T' * 30}{number}" for number in range(20)]),
        ("strikes", ["T" * 40] * 20),
    ):
        long = deliver({**line, "key": f"long.{name}", "lap": {**line["lap"], name: tokens}}).json
        assert long["taken"] == 0 and "longer than 500" in long["refused"][0]["reason"]
    assert is_problem(
        client.post("/api/rig/feed", data=b"no gzip", headers={**bearer, "Content-Encoding": "gzip"}), 422, "gzip"
    )
    assert client.get("/api/rig/brief?driver=Keziah Umberlin", headers=bearer).json["car"] == head["car"]
    assert is_problem(client.get("/api/rig/brief?driver=Nobody", headers=bearer), 404, "no driver called Nobody")
    rig = next(item for item in world.own.get("/api/rigs").json["items"] if item["name"] == "Attic")
    assert world.own.delete(f"/api/rigs/{rig['id']}").status_code == 204
    assert is_problem(deliver(line), 401, "isn't let in")


def test_a_change_needs_the_token_of_our_own_pages(world: World) -> None:
    client = world.browser(world.actors["manager"])
    shown, client.shown = client.shown, None
    before = world.state()
    for route, (who, _) in WANTED.items():
        if not route.startswith("GET") and who not in (ANYONE, RIG):
            assert is_problem(world.ask(client, route), 403, "out of date"), route
            assert is_problem(world.ask(client, route, {CSRF_HEADER: world.own.shown or ""}), 403), (
                route
            )  # another browser's
            assert is_problem(
                world.ask(client, route, {CSRF_HEADER: shown or "", "Origin": "http://elsewhere.example"}), 403
            ), route
            assert is_problem(
                world.ask(client, route, {CSRF_HEADER: shown or "", "Sec-Fetch-Site": "cross-site"}), 403
            ), route
    assert world.state() == before
    assert client.put("/api/me/preferences", json={"theme": "paper"}, headers={CSRF_HEADER: shown}).status_code == 200


def test_the_cookie_is_out_of_reach_of_scripts_and_other_sites_and_changes_at_sign_in(
    app: Flask, sessions: Sessions, browser: Sign, manager: Actor
) -> None:
    give_password(sessions, manager.person_id, "maren", "quartz kettle meadow")
    client = browser(None)
    client.set_cookie(COOKIE, "planted-by-somebody-else")
    answer = client.post("/api/sign-in", json={"name": "maren", "password": "quartz kettle meadow"})
    assert answer.status_code == 200
    set_to = answer.headers["Set-Cookie"]
    assert all(word in set_to for word in ("HttpOnly", "SameSite=Strict", "Path=/")) and "planted" not in set_to
    first = re.findall(r"=([^;]+)", set_to)[0]
    client.shown = answer.json["csrf_token"]
    again = client.post("/api/sign-in", json={"name": "maren", "password": "quartz kettle meadow"})
    second = re.findall(r"=([^;]+)", again.headers["Set-Cookie"])[0]
    assert first != second
    assert is_problem(browser(None).get("/api/me", headers={"Cookie": f"{COOKIE}={first}"}), 401)
    secure = app.test_client().post(
        "/api/sign-in", json={"name": "maren", "password": "quartz kettle meadow"}, base_url="https://localhost"
    )
    assert "Secure" in secure.headers["Set-Cookie"]


def test_too_many_attempts_are_told_to_wait(browser: Sign, manager: Actor, monkeypatch: pytest.MonkeyPatch) -> None:
    # On a busy machine the hashes alone take as long as the first wait.
    moment = now()
    monkeypatch.setattr("fleet_rival.services.people.guessing.now", lambda: moment)
    client = browser(None)
    answers = [client.post("/api/sign-in", json={"name": "maren", "password": "wrong"}) for _ in range(6)]
    assert [answer.status_code for answer in answers[:5]] == [422] * 5
    assert is_problem(answers[5], 429, "Several wrong passwords") and int(answers[5].headers["Retry-After"]) > 0


def test_a_route_that_was_forgotten_is_for_nobody(
    database_url: str, sessions: Sessions, pages: Path, manager: Actor
) -> None:
    app = create_app(database_url, pages, "a secret of the tests")
    app.test_client_class = Browser
    app.add_url_rule("/api/forgotten", view_func=lambda: "secret", endpoint="forgotten")
    client = app.test_client()
    assert isinstance(client, Browser)
    assert is_problem(client.get("/api/forgotten"), 401)
    assert is_problem(client.sign_in(manager).get("/api/forgotten"), 403)
    app.extensions["sessions"].kw["bind"].dispose()


def test_every_answer_carries_the_headers_that_keep_browsers_careful(world: World) -> None:
    hints: dict[str, Callable[[str], bool]] = {
        "X-Content-Type-Options": lambda value: value == "nosniff",
        "X-Frame-Options": lambda value: value == "DENY",
        "Content-Security-Policy": lambda value: "default-src 'none'" in value and "unsafe" not in value,
        "Referrer-Policy": lambda value: value == "same-origin",
        "Permissions-Policy": lambda value: "camera=()" in value,
        "Cross-Origin-Opener-Policy": lambda value: value == "same-origin",
    }
    for answer in (world.own.get("/"), world.own.get("/api/people"), world.browser(None).get("/api/people")):
        for name, is_right in hints.items():
            assert is_right(answer.headers.get(name, "")), name
    assert world.own.get("/api/people").headers["Cache-Control"] == "no-store"
