"""Lists for a spreadsheet: the same rows as CSV and XLSX, a driver's own, and no text that becomes a formula."""

import csv
import io
from typing import Any

import openpyxl
import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.exchange.lists import LISTS, list_csv, list_xlsx
from fleet_rival.services.log import lessons, results
from fleet_rival.services.shared.base import Actor
from tests.conftest import manager_of
from tests.filled import Filled
from tests.services.test_plan import RACE, Team
from tests.services.test_race import entry_of


def team_of(sessions: sessionmaker[Session]) -> Team:
    made = Team(sessions, manager_of(sessions))
    made.desk.drive(0.2, 77, traces=False, name="Corin Ashgrove")
    made.make()
    spun = {"corner": "T1", "what": "spin", "fault": "own"}
    for name in ("Ysolde Farrand", "Corin Ashgrove"):
        results.add_result(
            sessions,
            made.actor,
            entry_of(made, name),
            {"starts_at": RACE, "qualifying_us": 61_234_567, "points": 21.5, "incidents": [spun]},
        )
    lessons.add_lesson(sessions, made.actor, {"text": '=HYPERLINK("http://x")', "driver_id": made.desk.driver})
    return made


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def rows(team: Team, name: str, actor: Actor | None = None) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(list_csv(team.sessions, actor or team.actor, name).decode(), newline="")))


def sheet(team: Team, name: str) -> list[tuple[Any, ...]]:
    book = openpyxl.load_workbook(io.BytesIO(list_xlsx(team.sessions, team.actor, name)))
    return [tuple(cell.value for cell in row) for row in book[name].iter_rows()]


@pytest.mark.parametrize("name", sorted(LISTS))
def test_both_forms_hold_the_same_rows(team: Team, name: str) -> None:
    told, workbook = rows(team, name), sheet(team, name)
    head = list_csv(team.sessions, team.actor, name).decode().splitlines()[0].split(",")
    assert list(workbook[0]) == head and len(workbook) - 1 == len(told)
    assert told or name in ("references", "runs")


def test_numbers_stay_numbers_to_the_microsecond(team: Team) -> None:
    workbook = sheet(team, "results")
    first = dict(zip(workbook[0], workbook[1], strict=True))
    assert (
        first["qualifying_us"] == 61_234_567
        and first["points"] == 21.5
        and first["starts_at_utc"] == RACE.replace(tzinfo=None)
    )
    assert (
        rows(team, "results")[0]["starts_at_utc"] == "2031-04-12T18:00:00Z"
        and rows(team, "results")[0]["incidents"] == "spin:T1"
    )
    assert {row["valid"] for row in rows(team, "laps")} == {"yes"}


def test_text_never_becomes_a_formula(team: Team) -> None:
    [lesson] = rows(team, "lessons")
    assert lesson["text"] == '\'=HYPERLINK("http://x")'
    book = openpyxl.load_workbook(io.BytesIO(list_xlsx(team.sessions, team.actor, "lessons")))
    assert book["lessons"]["A2"].data_type == "s" and book["lessons"]["A2"].value == '=HYPERLINK("http://x")'


def test_a_driver_takes_the_own_rows_along(team: Team) -> None:
    own = team.driver("Corin Ashgrove")
    for name in ("laps", "runs", "entries", "results", "blocks"):
        assert {row["driver"] for row in rows(team, name, own)} <= {"Corin Ashgrove"}, name
        assert {row["driver"] for row in rows(team, name)} >= {row["driver"] for row in rows(team, name, own)}
    assert len(rows(team, "laps", own)) == 32 and len(rows(team, "laps")) == 64
    assert rows(team, "lessons", own) == []
