"""The race ahead of an entry, and the sheet that goes through a team's hands."""

from datetime import timedelta
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.db.tables import Entry, LayoutCorner
from fleet_rival.services import entries, history
from fleet_rival.services.errors import NotThere, Outdated, Refused
from fleet_rival.services.race import ahead, pressures, printing, sheet, wish
from tests.conftest import manager_of
from tests.services.test_plan import RACE, TUESDAY, Team


@pytest.fixture
def team(sessions: sessionmaker[Session]) -> Team:
    return Team(sessions, manager_of(sessions))


def entry_of(team: Team, driver: str) -> UUID:
    with team.sessions() as session:
        keys = list(session.scalars(select(Entry.public_id).where(Entry.team_id == team.actor.team_id)))
    return next(key for key in keys if entries.entry(team.sessions, team.actor, key).driver == driver)


def looked(team: Team, entry: UUID, actor: Any = None) -> dict[str, Any]:
    told = ahead.race_view(team.sessions, actor or team.actor, entry, lambda: TUESDAY)
    s.RaceOut.model_validate(told)
    return told


def sheet_of(team: Team, entry: UUID, actor: Any = None) -> sheet.SheetView:
    return sheet.sheet(team.sessions, actor or team.actor, entry, lambda: TUESDAY)


def test_the_race_is_told_from_own_laps_and_what_is_missing_is_said(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    told = looked(team, entry)
    assert told["distance"] == {"laps": 20, "close": False, "timed": False} and told["race_at"] == RACE
    assert told["qualifying"]["laps"] == 2 and told["qualifying"]["likely_us"] < told["qualifying"]["safe_us"]
    assert (
        told["stops"]["plans"][0]["stints"] == [{"compound": "street", "laps": 20}]
        and told["stops"]["plans"][0]["time_us"] > 20 * told["qualifying"]["likely_us"]
    )
    assert told["own_race"]["low_us"] < told["own_race"]["median_us"] < told["own_race"]["high_us"]
    nobody = looked(team, entry_of(team, "Corin Ashgrove"))
    assert nobody["missing"][0].startswith("laps") and nobody["qualifying"] is None and nobody["stops"] is None
    assert [item["driver"] for item in ahead.races(team.sessions, team.actor, lambda: TUESDAY)] == ["Corin Ashgrove", "Ysolde Farrand"]
    s.RaceList.model_validate({"items": ahead.races(team.sessions, team.actor, lambda: TUESDAY)})
    assert ahead.races(team.sessions, team.actor, lambda: RACE + timedelta(days=30)) == []


def test_what_people_know_changes_the_choice_and_is_taken_back(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    told = looked(team, entry)
    wish.change_wish(team.sessions, team.actor, entry, told["version"], {"life": {"street": 8}, "pit_s": 12.0})
    after = looked(team, entry)
    assert after["stops"]["plans"][0]["stops"] == 2 and after["wish"]["pit_s"] == 12.0
    with pytest.raises(Outdated):
        wish.change_wish(team.sessions, team.actor, entry, told["version"], {"pit_s": 30.0})
    for wrong in ({"risk": 0.9}, {"saving": 1.0}, {"life": {"street": 0}}):
        with pytest.raises(Refused):
            wish.change_wish(team.sessions, team.actor, entry, after["version"], wrong)
    history.undo(team.sessions, team.actor)
    assert looked(team, entry)["stops"]["plans"][0]["stops"] == 0


def test_a_sheet_is_handed_out_read_and_changed(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    with team.sessions.begin() as session:
        way = {"side": "left", "risk": "low", "wrong": "braking on the dust", "yield_when": "they are alongside at the board"}
        session.execute(update(LayoutCorner).where(LayoutCorner.code == "T3").values(passing=[way]))
    draft = sheet_of(team, entry)
    assert draft.number is None and draft.outdated and any("T3" in line.words and "on the left" in line.words for line in draft.lines)
    assert 1 <= sum(line.seat for line in draft.lines) <= 6
    assert sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY) == 1
    with pytest.raises(Refused, match="says the same"):
        sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    driver = team.driver("Ysolde Farrand")
    with pytest.raises(Refused, match="Who drives"):
        sheet.confirm(team.sessions, team.actor, entry, 1, lambda: TUESDAY)
    sheet.confirm(team.sessions, driver, entry, 1, lambda: TUESDAY)
    assert sheet_of(team, entry, driver).read_at == TUESDAY

    wish.change_wish(team.sessions, team.actor, entry, looked(team, entry)["version"], {"remember": "Hands quiet over the bumps."})
    changed = sheet_of(team, entry)
    assert changed.outdated and changed.lines[0].words == "Hands quiet over the bumps." and changed.lines[0].seat
    sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    new = sheet_of(team, entry, driver)
    assert (new.number, new.read_at, new.since_read) == (2, None, ("Hands quiet over the bumps.",)) and len(new.gone) == 1
    with pytest.raises(Refused, match="newer"):
        sheet.confirm(team.sessions, driver, entry, 1, lambda: TUESDAY)
    with pytest.raises(NotThere):
        sheet_of(team, entry, team.driver("Corin Ashgrove"))
    text = printing.sheet_text(new)
    assert text.startswith("Ysolde Farrand, ") and "Remember: Hands quiet over the bumps." in text

    page = printing.page_of(new, "Europe/Oslo", TUESDAY)
    assert "sheet 2" in page and page.count("Hands quiet over the bumps.") == 2, "once on the sheet, once for the seat"
    assert len(printing.document_of(new, "Europe/Oslo", TUESDAY).pages) == printing.MOST_PAGES
    assert printing.sheet_pdf(team.sessions, driver, entry, clock=lambda: TUESDAY).startswith(b"%PDF-")


def test_cold_pressures_by_wheel() -> None:
    told = pressures.settings_for({"front_left": 160.0}, {"front_left": 190.0}, {"front_left": 180.0}, step_kpa=2.0)
    assert told["cold_kpa"]["front_left"] == 2 * round(told["exactly_kpa"]["front_left"] / 2)
    with pytest.raises(Refused, match="same wheels"):
        pressures.settings_for({"front_left": 160.0}, {}, {"front_left": 180.0})
    with pytest.raises(Refused, match=r"front_left: .*changed places"):
        pressures.settings_for({"front_left": 190.0}, {"front_left": 160.0}, {"front_left": 180.0})


def test_times_are_those_of_the_zone(team: Team) -> None:
    page = printing.page_of(sheet_of(team, entry_of(team, "Corin Ashgrove")), "America/Halifax", TUESDAY)
    assert "15:00 America/Halifax" in page and "draft, not handed out" in page
