"""The race ahead of an entry, and the sheet that goes through a team's hands."""

import re
from dataclasses import replace
from datetime import timedelta
from math import ceil
from typing import Any
from uuid import UUID

import orjson
import pytest
from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Entry,
    Lap,
    Layout,
    LayoutCorner,
    Run,
    SeriesWeekCar,
    SeriesWeekRow,
)
from fleet_rival.services.drive.runs import declare
from fleet_rival.services.find import pace
from fleet_rival.services.log import lessons
from fleet_rival.services.race import ahead, figures, pressures, printing, sheet, wish
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import NotThere, Outdated, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.week import cars, combinations, entries
from tests.filled import Filled
from tests.services.test_plan import RACE, TUESDAY, Team, team_of


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def entry_of(team: Team, driver: str) -> UUID:
    with team.sessions() as session:
        keys = list(session.scalars(select(Entry.public_id).where(Entry.team_id == team.actor.team_id)))
    return next(key for key in keys if entries.entry(team.sessions, team.actor, key).driver == driver)


def looked(team: Team, entry: UUID, actor: Any = None) -> dict[str, Any]:
    told = figures.race_view(team.sessions, actor or team.actor, entry, lambda: TUESDAY)
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
    assert [item["driver"] for item in ahead.races(team.sessions, team.actor, lambda: TUESDAY)] == [
        "Corin Ashgrove",
        "Ysolde Farrand",
    ]
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
        way = {
            "side": "left",
            "risk": "low",
            "wrong": "braking on the dust",
            "yield_when": "they are alongside at the board",
        }
        session.execute(
            update(LayoutCorner)
            .where(LayoutCorner.code == "T3")
            .values(passing=[way], lanes=[{"phase": "end", "lane": "outside"}])
        )
    draft = sheet_of(team, entry)
    assert (
        draft.number is None
        and draft.outdated
        and any("T3" in line.words and "on the left" in line.words for line in draft.lines)
    )
    assert [line.words for line in draft.lines if line.part == "lanes"] == ["T3 Net Loft: Last laps outside."]
    assert 1 <= sum(line.seat for line in draft.lines) <= 6
    assert any(words.startswith("references: nothing confirmed to brake by at T") for words in draft.missing)
    assert sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY) == 1
    with pytest.raises(Refused, match="says the same"):
        sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    driver = team.driver("Ysolde Farrand")
    with pytest.raises(Refused, match="Who drives"):
        sheet.confirm(team.sessions, team.actor, entry, 1, lambda: TUESDAY)
    sheet.confirm(team.sessions, driver, entry, 1, lambda: TUESDAY)
    assert sheet_of(team, entry, driver).read_at == TUESDAY

    wish.change_wish(
        team.sessions, team.actor, entry, looked(team, entry)["version"], {"remember": "Hands quiet over the bumps."}
    )
    changed = sheet_of(team, entry)
    assert changed.outdated and changed.lines[0].words == "Hands quiet over the bumps." and changed.lines[0].seat
    sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    new = sheet_of(team, entry, driver)
    assert (new.number, new.read_at, new.since_read) == (2, None, ("Hands quiet over the bumps.",)) and len(
        new.gone
    ) == 1
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


def test_what_a_plan_asks_for_and_nobody_drove_is_missing(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    wish.change_wish(team.sessions, team.actor, entry, looked(team, entry)["version"], {"life": {"street": 12}})
    assert not any(words.startswith(("long run", "pit practice")) for words in looked(team, entry)["missing"])
    with team.sessions.begin() as session:
        session.execute(update(Lap).where(Lap.kind.in_(("in", "outin"))).values(kind="flying"))
        session.execute(update(SeriesWeekRow).values(race_laps=90))
        raise_revisions(session, team.actor.team_id, session.scalars(select(Combination.id)))
    wish.change_wish(team.sessions, team.actor, entry, looked(team, entry)["version"], {"life": {"street": 45}})
    told = looked(team, entry)["missing"]
    assert "pit practice: fewer than two in laps and two out laps tell what the lane costs" in told
    assert any(re.fullmatch(r"long run: the longest has \d+ clean laps, the first stint 45", words) for words in told)


def test_a_trial_of_the_whole_lap_goes_before_what_long_runs_tell_of_the_start(team: Team) -> None:
    seen = ahead.ahead_of(team.sessions, team.actor, entry_of(team, "Ysolde Farrand"), lambda: TUESDAY)
    trial = {
        "where": "lap",
        "race": "save: 0.20 s a lap faster.",
        "qualifying": None,
        "winner_race": "second",
        "winner_qualifying": None,
    }
    open_yet = [{**trial, "winner_race": verdict} for verdict in (None, "not_yet", "equal")]
    found = [
        figures.figures_of(replace(seen, trials=trials), {}) for trials in ((), (trial,), *((one,) for one in open_yet))
    ]
    assert [item["opening"]["tried"] for item in found] == [False, True, False, False, False]
    assert found[0]["opening"]["even"] == pytest.approx(3 / 17)
    # What nobody won yet is no advice for the day.
    assert [len(item["options"]) for item in found] == [0, 1, 0, 0, 0]


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


def told_by(team: Team, **facts: Any) -> dict[str, Any]:
    """The race of Ysolde in a week of other rules."""
    with team.sessions.begin() as session:
        session.execute(update(SeriesWeekRow).values(**facts))
    return looked(team, entry_of(team, "Ysolde Farrand"))


def test_target_and_odds_are_those_that_are_shown_under_find(team: Team) -> None:
    # A share of the team's best ideal, which is somebody else's.
    team.desk.drive(0.0, 21, traces=False, name="Corin Ashgrove")
    with team.sessions.begin() as session:
        other = session.scalars(select(Driver.id).where(Driver.name == "Corin Ashgrove")).one()
        session.execute(update(Lap).where(Lap.driver_id == other).values(time_us=Lap.time_us - 300_000))
        session.execute(
            update(Combination).values(
                target={"rule": "ideal", "time_us": None, "per_cent": 100.4}, revision=Combination.revision + 1
            )
        )
    told = looked(team, entry_of(team, "Ysolde Farrand"))
    shown = orjson.loads(
        pace.driver_pace(team.sessions, team.actor, team.desk.combination, team.desk.driver, team.week)[0]
    )
    assert told["target_us"] == shown["target_us"] is not None
    assert told["qualifying"]["laps"] == 2
    assert told["qualifying"]["odds"] == pytest.approx(
        next(item["share"] for item in shown["odds"] if item["laps"] == 2)
    )
    assert told["qualifying"]["odds_first"] == pytest.approx(
        next(item["share"] for item in shown["odds"] if item["laps"] == 1)
    )


def test_a_race_in_minutes_has_the_laps_that_its_leader_begins(team: Team) -> None:
    told = told_by(team, race_laps=None, race_minutes=20.0)
    lap = told["median_us"] / 1e6
    assert told["distance"] == {"laps": ceil(1200 / lap), "close": told["distance"]["close"], "timed": True}
    wish.change_wish(
        team.sessions, team.actor, told["entry_id"], told["version"], {"leader_us": int(told["median_us"] * 0.9)}
    )
    assert looked(team, told["entry_id"])["distance"]["laps"] == ceil(ceil(1200 / (0.9 * lap)) * 0.9)
    nothing = told_by(team, race_laps=None, race_minutes=None)
    assert (
        nothing["distance"] is None
        and nothing["stops"] is None
        and any("laps of the race" in words for words in nothing["missing"])
    )


def test_a_tank_that_does_not_last_asks_for_stops_or_saving(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    with team.sessions.begin() as session:
        session.execute(update(Lap).values(fuel_l=60 - 1.5 * Lap.number, energy_kwh=None))
        session.execute(update(Car).values(tank_l=20.0))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    told = looked(team, entry)
    used = told["consumption"]
    assert used["per_lap"] == pytest.approx(1.5) and used["start"] == pytest.approx(20.5 * 1.5) and used["tank"] == 20.0
    assert used["saving_needed"] == pytest.approx(1 - 20 / (20.5 * 1.5)) and used["tank_laps"] == 13
    assert told["stops"]["plans"][0]["stops"] == 1 == used["filled_at_stops"], "a second stint begins with a full tank"
    wish.change_wish(team.sessions, team.actor, entry, told["version"], {"saving": 0.4, "formation_laps": 0.0})
    saved = looked(team, entry)
    assert saved["consumption"]["start"] == pytest.approx(20 * 1.5 * 0.6) and saved["stops"]["plans"][0]["stops"] == 0
    assert saved["consumption"]["filled_at_stops"] == 0
    # Energy isn't filled up in the pits: there one saves.
    with team.sessions.begin() as session:
        session.execute(update(Lap).values(fuel_l=None, energy_kwh=60 - 1.5 * Lap.number))
        session.execute(update(Car).values(battery_kwh=20.0))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    wish.change_wish(team.sessions, team.actor, entry, saved["version"], {"saving": 0.0})
    electric = looked(team, entry)
    assert electric["consumption"]["unit"] == "kWh" and electric["stops"]["plans"][0]["stops"] == 0
    assert electric["consumption"]["filled_at_stops"] == 0


def test_runs_driven_like_a_race_tell_what_a_race_uses(team: Team) -> None:
    with team.sessions.begin() as session:
        session.execute(update(Lap).values(energy_kwh=None))
        session.execute(update(Lap).where(Lap.purpose == "long").values(fuel_l=60 - 1.5 * Lap.number))
        session.execute(update(Lap).where(Lap.purpose == "corner").values(fuel_l=60 - 1.2 * Lap.number))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    used = looked(team, entry_of(team, "Ysolde Farrand"))["consumption"]
    assert used["per_lap"] == pytest.approx(1.5) and used["runs"] == 1


def test_compounds_that_must_be_driven_and_laps_that_name_none(team: Team) -> None:
    one = told_by(team, compounds=[["street", True]])
    assert one["stops"]["plans"][0]["stints"] == [{"compound": "street", "laps": 20}]
    both = told_by(team, compounds=[["street", True], ["rain", True]])
    assert (
        both["stops"]["plans"] == [] and both["stops"]["why_none"] == "rain must be driven, and nothing is known of it"
    )
    with team.sessions.begin() as session:
        session.execute(update(Lap).values(compound=None))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    unnamed = told_by(team, compounds=[["street", True]])
    assert unnamed["stops"]["plans"][0]["stints"] == [{"compound": "street", "laps": 20}], (
        "there is only one that it can be"
    )
    assert told_by(team, stops_min=1)["stops"]["plans"][0]["stops"] == 1


def test_strikes_make_a_budget(team: Team) -> None:
    assert looked(team, entry_of(team, "Ysolde Farrand"))["limits"] is None, "no limit, no budget"
    none = told_by(team, strike_limit=3)["limits"]
    assert none["chance"] == 0 and none["corners"] == []
    with team.sessions.begin() as session:
        struck = session.scalars(select(Lap.id).where(Lap.kind == "flying").order_by(Lap.id).limit(6)).all()
        session.execute(update(Lap).where(Lap.id.in_(struck)).values(strikes="T3"))
        session.execute(update(Lap).where(Lap.id == struck[0]).values(strikes="T3 T1"))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    told = looked(team, entry_of(team, "Ysolde Farrand"))["limits"]
    assert [item["corner"] for item in told["corners"]] == ["T3", "T1"] and 0 < told["corners"][0]["halved"] < told[
        "chance"
    ] < 1
    assert told["expected"] == pytest.approx(sum(item["expected"] for item in told["corners"]))


def test_wet_or_dry_needs_both_and_what_nobody_drove(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    assert looked(team, entry)["crossing"] is None
    with team.sessions.begin() as session:
        wet = session.scalars(select(Lap.id).where(Lap.purpose == "corner")).all()
        session.execute(update(Lap).where(Lap.id.in_(wet)).values(wetness="wet", time_us=Lap.time_us + 8_000_000))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    dry = looked(team, entry)
    assert dry["crossing"] is None
    median = int(dry["median_us"])
    known = {"wet_on_dry_us": median + 4_000_000, "dry_on_wet_us": median + 20_000_000, "pit_s": 20.0}
    wish.change_wish(team.sessions, team.actor, entry, dry["version"], known)
    told = looked(team, entry)["crossing"]
    assert (
        told["laps_left"] == 10
        and median + 4e6 < told["drying"]["change_us"] < told["drying"]["even_us"] < median + 8.5e6
    )
    assert told["getting_wet"]["change_us"] > told["getting_wet"]["even_us"] > median


def test_of_several_cars_the_one_is_meant_that_is_entered_or_driven_most(team: Team) -> None:
    other = cars.add_car(team.sessions, team.actor, "Ostelind Volant").id
    with team.sessions() as session:
        layout = session.scalars(select(Layout.public_id).where(Layout.team_id == team.actor.team_id)).one()
    second = combinations.add_combination(team.sessions, team.actor, layout, "Ostelind Volant").id
    with team.sessions.begin() as session:
        keys = {"team_id": team.actor.team_id, "week_id": session.scalars(select(SeriesWeekRow.id)).one()}
        session.execute(
            insert(SeriesWeekCar).values(
                **keys, car_id=session.scalars(select(Car.id).where(Car.public_id == other)).one(), place=2
            )
        )
    entry = entry_of(team, "Ysolde Farrand")
    assert looked(team, entry)["combination_id"] == team.desk.combination
    entries.change_entry(team.sessions, team.actor, entry, looked(team, entry)["version"], {"car_id": other})
    told = looked(team, entry)
    assert (
        told["combination_id"] == second and told["car"] == "Ostelind Volant" and told["missing"][0].startswith("laps")
    )


def test_what_was_learned_stands_on_the_sheet(team: Team) -> None:
    with team.sessions() as session:
        layout = session.scalars(select(Layout.public_id).where(Layout.team_id == team.actor.team_id)).one()
    for words, driver in (
        ("Lift before the crest", None),
        ("Only mine", "Ysolde Farrand"),
        ("Only theirs", "Corin Ashgrove"),
    ):
        ties = {"layout_id": layout, "driver_id": team.drivers[driver] if driver else None}
        lessons.add_lesson(team.sessions, team.actor, {"text": words, **ties})
    lines = [line.words for line in sheet_of(team, entry_of(team, "Ysolde Farrand")).lines if line.part == "learned"]
    assert lines == ["Only mine.", "Lift before the crest."]


def test_a_caution_is_told_where_the_series_has_them(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    told = looked(team, entry)
    wish.change_wish(team.sessions, team.actor, entry, told["version"], {"life": {"street": 12}, "pit_s": 20.0})
    assert looked(team, entry)["stops"]["cautions"] == [], "nobody slows the field here"
    cautions = told_by(team, cautions=True)["stops"]["cautions"]
    assert cautions and all(1 <= item["first"] <= item["at"] <= item["last"] < 20 for item in cautions)
    assert max(item["best_us"] for item in cautions) <= 10e6 * 1.5
    version = looked(team, entry)["version"]
    wish.change_wish(team.sessions, team.actor, entry, version, {"caution_pit_s": 20.0})
    assert max((item["best_us"] for item in looked(team, entry)["stops"]["cautions"]), default=0) < 1e6


def test_a_tow_is_told_once_some_laps_had_one(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    assert looked(team, entry)["qualifying"]["tow_us"] is None
    with team.sessions.begin() as session:
        towed = session.scalars(
            select(Lap.id).where(Lap.kind == "flying", Lap.purpose == "long").order_by(Lap.id.desc()).limit(4)
        ).all()
        session.execute(
            update(Lap)
            .where(Lap.id.in_(towed))
            .values(flags="tow", time_us=Lap.time_us - 900_000, segments=None, sectors=None)
        )
        session.execute(
            update(Combination).values(
                target={"rule": "ideal", "time_us": None, "per_cent": 100.0}, revision=Combination.revision + 1
            )
        )
    told = looked(team, entry)["qualifying"]
    assert 0.5e6 < told["tow_us"] < 1.3e6 and told["odds_tow"] >= told["odds"]


def test_incidents_have_a_limit_of_their_own_and_in_laps_tell_of_the_pit_lane(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    told = looked(team, entry)
    assert (
        told["incidents"] is None
        and told["pit_loss"]["in_laps"] == told["pit_loss"]["out_laps"] == 2
        and told["pit_loss"]["loss_us"] > 5e6
    )
    with team.sessions.begin() as session:
        spun = session.scalars(select(Lap.id).where(Lap.kind == "flying").order_by(Lap.id).limit(4)).all()
        session.execute(update(Lap).where(Lap.id.in_(spun)).values(incidents="spin:T5"))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
    incidents = told_by(team, incident_limit=6)["incidents"]
    assert (
        incidents["limit"] == 6
        and [item["corner"] for item in incidents["corners"]] == ["T5"]
        and 0 < incidents["chance"] < 1
    )


def test_a_litre_more_costs_what_burning_it_brings(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    for in_run, known in ((Lap.number, True), (Lap.number - 16 * (Lap.run - 1), False)):
        with team.sessions.begin() as session:
            session.execute(update(Lap).values(fuel_l=60 - 1.5 * in_run, energy_kwh=None))
            session.execute(update(Combination).values(revision=Combination.revision + 1))
        # Where fuel and tyre age rise together in every run, nobody can tell them apart.
        litre = looked(team, entry)["consumption"]["unit_us"]
        assert (litre is not None) == known
        assert litre is None or 0 <= litre < 10_000, "the simulated car is as fast full as empty"


def test_hot_pressures_that_were_read_come_with_when_and_how(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    assert looked(team, entry)["hot_readings"] == []
    values = {"purpose": "long"}
    key = declare.declare(team.sessions, team.actor, team.desk.combination, team.desk.driver, values, ()).id
    first = {
        "when": "after lap 3",
        "how": "stylus",
        "hot_pressure_kpa": {"front_left": 190.5, "front_right": None},
        "track_temp_c": 27.0,
    }
    with team.sessions.begin() as session:
        tread = {"when": "after lap 9", "how": "", "tread_pct": {"front_left": 80.0}}
        session.execute(
            update(Run)
            .where(Run.public_id == key)
            .values(readings=[first, tread, {**first, "when": "after lap 12", "how": ""}])
        )
    told = looked(team, entry)["hot_readings"]
    assert [(item["when"], item["how"]) for item in told] == [("after lap 12", ""), ("after lap 3", "stylus")], (
        "the last one first, and no tread"
    )
    assert told[0]["hot_kpa"] == {"front_left": 190.5} and told[0]["track_temp_c"] == 27.0
    assert looked(team, entry_of(team, "Corin Ashgrove"))["hot_readings"] == []


def test_a_slip_less_is_worth_places_where_rivals_are_known(team: Team) -> None:
    entry = entry_of(team, "Ysolde Farrand")
    told = looked(team, entry)
    assert told["own_race"]["place"] is None and told["wish"]["rivals_us"] == ()
    lap = round(told["own_race"]["median_us"] / 20)
    wish.change_wish(
        team.sessions, team.actor, entry, told["version"], {"rivals_us": [lap - 2_000_000, lap, lap + 2_000_000]}
    )
    own = looked(team, entry)["own_race"]
    assert own["place"] == pytest.approx(2.5, abs=0.01) and 2 <= own["place_one_less"] < own["place"]
