"""Odd requests and several people at once: never an error of the server's own, never half an import."""

import io
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from typing import Any
from uuid import uuid4

from hypothesis import HealthCheck, given, settings
from hypothesis import example as tried
from hypothesis import strategies as st
from sqlalchemy import Engine, func, select, text
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Combination, Lap
from fleet_rival.services.drive import files as drive
from fleet_rival.services.drive import importing
from fleet_rival.services.drive.importing import Wishes
from fleet_rival.services.find import figures as find
from fleet_rival.services.shared.errors import Conflict
from tests.api.conftest import Browser
from tests.conftest import example
from tests.services.test_drive import PLAIN, Desk

json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=20),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=12), inner, max_size=3),
    max_leaves=8,
)
QUIET = settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


@QUIET
@given(body=json_values, known=st.booleans(), wrong=st.sampled_from(["layout_id", "car"]))
def test_any_body_is_taken_or_refused(client: Browser, body: Any, known: bool, wrong: str) -> None:
    value = {"layout_id": str(uuid4()), "car": "GT", wrong: body} if known else body
    assert client.post("/api/combinations", json=value).status_code in (404, 422)
    wishes = {"revision": 1, "leave_out": [], "differences": "keep", ("apart" if known else "revision"): body}
    assert client.post(f"/api/lap-files/{uuid4()}/import", json=wishes).status_code in (404, 422)


@QUIET
@given(path=st.text(max_size=30))
@tried(path="?\x1f")
def test_any_path_is_answered(client: Browser, path: str) -> None:
    # Without built pages, what isn't of the interface for programs says so.
    # What stands behind a question mark is read as text, and refused where it holds what no text does.
    refused = (422,) if "?" in path else ()
    assert client.get(f"/api/{path}").status_code in (200, 404, 405, *refused)
    assert client.get(f"/api/combinations/{path}/analysis").status_code in (200, 404, *refused)


@QUIET
@given(content=st.binary(max_size=200), name=st.text(max_size=60))
def test_any_file_is_taken_or_refused(client: Browser, content: bytes, name: str) -> None:
    answer = client.post("/api/layouts", data={"file": (io.BytesIO(content), name or "x")})
    assert answer.status_code == 422
    assert answer.json is not None and answer.json["detail"]


def test_of_two_imports_at_once_one_is_asked_to_look_again(sessions: sessionmaker[Session]) -> None:
    desk = Desk(sessions)
    files = [desk.look(PLAIN.replace(b"2031-03-04", f"2031-03-0{day}".encode())) for day in (4, 5, 6, 7)]
    gate = Barrier(len(files))

    def take(seen: drive.Preview) -> int:
        gate.wait()
        try:
            return importing.confirm(sessions, desk.actor, seen.id, Wishes(seen.revision)).added
        except Conflict:
            return 0

    with ThreadPoolExecutor(len(files)) as pool:
        added = sorted(pool.map(take, files))
    assert added == [0, 0, 0, 72] and desk.count() == 72
    with sessions() as session:
        assert session.scalars(select(Combination.revision)).one() == 2


def test_readers_never_see_half_an_import(sessions: sessionmaker[Session]) -> None:
    desk = Desk(sessions)
    desk.take(b"driver,lap,time\nA,1,61\n")
    seen = desk.look(PLAIN)
    counts: set[int] = set()

    def read() -> None:
        for _ in range(15):
            with sessions() as session:
                counts.add(session.scalar(select(func.count()).select_from(Lap)) or 0)
            find.summary(sessions, desk.actor, desk.combination)

    with ThreadPoolExecutor(3) as pool:
        readers = [pool.submit(read) for _ in range(2)]
        pool.submit(importing.confirm, sessions, desk.actor, seen.id, Wishes(seen.revision)).result()
        for reader in readers:
            reader.result()
    assert counts <= {1, 73}
    assert sum(driver["figures"]["laps"]["total"] for driver in desk.figures().values()) == 73


def test_a_connection_that_the_database_dropped_is_replaced(client: Browser, engine: Engine) -> None:
    assert client.get("/api/combinations").status_code == 200
    used = client.application.extensions["sessions"].kw["bind"]
    with used.connect() as connection:
        number = connection.scalar(text("SELECT CONNECTION_ID()"))
        record = connection.connection._connection_record
    with engine.connect() as connection:
        connection.execute(text(f"KILL {int(number)}"))
    record.info["used_at"] = 0.0  # as if it had lain idle for a while
    assert client.get("/api/combinations").status_code == 200


def test_laps_in_the_wet_and_the_dry_stand_apart(sessions: sessionmaker[Session]) -> None:
    desk = Desk(sessions)
    rows = [f"A,{number},{60 + number % 3 / 10},{'wet' if number > 8 else 'dry'}" for number in range(1, 15)]
    desk.take(("driver,lap,time,wetness\n" + "\n".join(rows) + "\n").encode())
    driver = desk.figures()["A"]
    assert (driver["figures"]["group"]["wetness"], driver["figures"]["laps"]["total"]) == ("dry", 8)
    assert [(group["wetness"], group["laps"]) for group in driver["other_groups"]] == [("wet", 6)]


def test_guests_are_shown_and_never_part_of_the_team(sessions: sessionmaker[Session]) -> None:
    desk = Desk(sessions)
    plain = example("dirty/practice.plain.laps.csv").decode().splitlines()
    place = plain[0].split(",").index("flags")

    def as_guest(row: str) -> str:
        cells = row.split(",")
        return (
            ",".join([*cells[:place], f"{cells[place]} guest".strip(), *cells[place + 1 :]])
            if row.startswith("Pavla")
            else row
        )

    desk.take("\n".join([plain[0], *map(as_guest, plain[1:])]).encode())
    figures = desk.figures()
    assert [name for name, driver in figures.items() if driver["guest"]] == ["Pavla Quintarrow"]
    team = next(rung for rung in figures["Keziah Umberlin"]["ladder"] if rung["name"] == "team")
    assert "Pavla Quintarrow" not in {part["driver"] for part in team["parts"]}
