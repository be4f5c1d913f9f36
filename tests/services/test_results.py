"""Results by start, what a sheet expected against what came, and lessons that the figures propose."""

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.db.tables import Combination, Entry, Lap, PracticeSession, RaceSheet
from fleet_rival.services.log import debrief, lessons, results, seasons
from fleet_rival.services.plan import lineup
from fleet_rival.services.race import figures, sheet
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import begin_change
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.week import entries, series
from tests.filled import Filled
from tests.services.test_plan import RACE, TUESDAY, Team, team_of
from tests.services.test_race import entry_of, looked

SECOND = RACE + timedelta(hours=2)
AFTER = RACE + timedelta(days=1)


@pytest.fixture
def team(sessions: sessionmaker[Session], fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


@pytest.fixture
def entry(team: Team) -> UUID:
    return entry_of(team, "Ysolde Farrand")


def write(team: Team, entry: UUID, at: datetime = RACE, actor: Any = None, **values: Any) -> UUID:
    return results.add_result(team.sessions, actor or team.actor, entry, {"starts_at": at, **values})


def told(team: Team, entry: UUID, actor: Any = None) -> dict[str, Any]:
    answer = debrief.debrief(team.sessions, actor or team.actor, entry, lambda: AFTER)
    s.DebriefOut.model_validate(answer)
    return answer


def points(team: Team, entry: UUID) -> float | None:
    return entries.entry(team.sessions, team.actor, entry).points


def race(team: Team, seed: int = 31, rate: float = 0.9, at: datetime = RACE, slower_us: int = 0) -> None:
    """Laps of a race: the habit comes on nine of ten."""
    team.desk.drive(rate, seed, at, traces=False)
    with team.sessions.begin() as session:
        label = f"{at:%d-%H%M}"
        key = session.scalars(select(PracticeSession.id).where(PracticeSession.label == label)).one()
        session.execute(
            update(Lap)
            .where(Lap.session_id == key)
            .values(session_kind="race", purpose=None, time_us=Lap.time_us + slower_us)
        )
        session.execute(update(Combination).values(revision=Combination.revision + 1))


def test_a_weeks_points_follow_from_its_starts_by_the_rule_of_the_series(team: Team, entry: UUID) -> None:
    first, second = write(team, entry, points=20.0), write(team, entry, SECOND, points=31.0, finish=2)
    assert points(team, entry) == 31.0
    version = next(item for item in series.series(team.sessions, team.actor) if item.id == team.series).version
    series.set_counting(team.sessions, team.actor, team.series, version, 3, "mean")
    assert points(team, entry) == 25.5
    results.change_result(team.sessions, team.actor, first, 1, {"starts_at": RACE, "points": 25.0})
    assert points(team, entry) == 28.0
    results.remove_result(team.sessions, team.actor, second, 1)
    assert points(team, entry) == 25.0
    results.remove_result(team.sessions, team.actor, first, 2)
    assert points(team, entry) is None
    # All of it can be taken back, the last one first.
    for expected in (25.0, 28.0):
        history.undo(team.sessions, team.actor)
        assert points(team, entry) == expected


def test_points_of_a_week_as_a_whole_stay_where_no_start_has_any(team: Team, entry: UUID) -> None:
    view = entries.entry(team.sessions, team.actor, entry)
    entries.change_entry(team.sessions, team.actor, entry, view.version, {"points": 12.0})
    key = write(team, entry, finish=5)
    assert points(team, entry) == 12.0
    results.remove_result(team.sessions, team.actor, key, 1)
    assert points(team, entry) == 12.0


def test_the_standings_know_what_starts_brought(team: Team, entry: UUID) -> None:
    write(team, entry, points=20.0)
    write(team, entry, SECOND, points=31.0)
    [standing] = lineup.propose(team.sessions, team.actor, clock=lambda: TUESDAY)["standings"]
    assert [(item["driver"], item["total"]) for item in standing["drivers"]] == [("Ysolde Farrand", 31.0)]


def test_what_cannot_have_been_is_refused(team: Team, entry: UUID) -> None:
    write(team, entry)
    with pytest.raises(Conflict, match="already"):
        write(team, entry)
    with pytest.raises(Refused, match="isn't in the week"):
        write(team, entry, RACE + timedelta(days=9))
    with pytest.raises(Refused, match="no corner T99"):
        write(team, entry, SECOND, incidents=[{"corner": "T99", "what": "spin", "fault": "own"}])
    key = write(team, entry, SECOND)
    with pytest.raises(Outdated):
        results.change_result(team.sessions, team.actor, key, 4, {"starts_at": SECOND})
    with pytest.raises(Conflict):
        results.change_result(team.sessions, team.actor, key, 1, {"starts_at": RACE})


def test_who_drove_it_did_so_the_entry_stays(team: Team, entry: UUID) -> None:
    key = write(team, entry)
    with pytest.raises(Conflict, match="stays with who drove it"):
        entries.remove_entries(team.sessions, team.actor, [entry])
    view = entries.entry(team.sessions, team.actor, entry)
    later = team.enter_in_a_later_week("Corin Ashgrove")
    week = entries.entry(team.sessions, team.actor, later).week_id
    with pytest.raises(Conflict):
        entries.move_entry(team.sessions, team.actor, entry, view.version, week, team.desk.driver)
    results.remove_result(team.sessions, team.actor, key, 1)
    entries.remove_entries(team.sessions, team.actor, [entry])


def test_a_driver_writes_the_own_ones_and_sees_no_others(team: Team, entry: UUID) -> None:
    own, other = team.driver("Ysolde Farrand"), team.driver("Corin Ashgrove")
    key = write(team, entry, actor=own, finish=3, note=" fine ")
    [result] = told(team, entry, own)["results"]
    assert result["note"] == "fine" and result["by"] == "Ysolde Farrand at home"
    for act in (
        lambda: told(team, entry, other),
        lambda: write(team, entry, SECOND, other),
        lambda: results.change_result(team.sessions, other, key, 1, {"starts_at": RACE}),
        lambda: results.remove_result(team.sessions, other, key, 1),
    ):
        with pytest.raises(NotThere):
            act()
    assert [item["driver"] for item in debrief.races_behind(team.sessions, other, lambda: AFTER)["items"]] == [
        "Corin Ashgrove"
    ]
    assert len(debrief.races_behind(team.sessions, team.actor, lambda: AFTER)["items"]) == 2


def test_a_race_is_held_against_the_sheet_that_was_in_hand(team: Team, entry: UUID) -> None:
    sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    before = looked(team, entry)
    race(team)
    write(team, entry, qualifying_us=round(before["qualifying"]["likely_us"]) + 2_000_000)
    # A sheet of afterwards doesn't count, whatever it says.
    with team.sessions.begin() as session:
        own = session.scalars(select(RaceSheet)).one()
        begin_change(session, team.actor, "race.sheet", "Handed out late")
        session.add(
            RaceSheet(
                team_id=own.team_id,
                entry_id=own.entry_id,
                number=2,
                lines=[],
                expected={},
                person_id=own.person_id,
                created_at=AFTER,
            )
        )
    [result] = told(team, entry)["results"]
    assert result["sheet"] == 1 and result["race_laps"] == 32
    figures = {item["figure"]: item for item in result["compared"]}
    assert (
        figures["qualifying_us"]["happened"] == round(before["qualifying"]["likely_us"]) + 2_000_000
        and not figures["qualifying_us"]["inside"]
    )
    assert "slower than expected" in figures["qualifying_us"]["words"]
    assert figures["race_lap_us"]["value"] == pytest.approx(before["own_race"]["median_us"] / 20)
    assert not figures["slips"]["inside"] and figures["slips"]["happened"] >= 15, "the habit comes on nine laps of ten"
    pressed = {item["corner"]: item for item in result["pressure"]}
    assert pressed["T3"]["told"] and pressed["T3"]["more"] and next(iter(pressed)) == "T3"


def test_without_a_sheet_only_corners_are_compared(team: Team, entry: UUID) -> None:
    race(team)
    write(team, entry)
    [result] = told(team, entry)["results"]
    assert result["sheet"] is None and result["compared"] == [] and result["pressure"]
    assert told(team, entry_of(team, "Corin Ashgrove"))["results"] == []


def test_laps_belong_to_the_start_before_them(team: Team, entry: UUID) -> None:
    race(team)
    write(team, entry)
    write(team, entry, RACE + timedelta(minutes=40))
    assert [item["race_laps"] for item in told(team, entry)["results"]] == [16, 16]


def test_the_figures_propose_what_a_person_confirms(team: Team, entry: UUID) -> None:
    race(team)
    crash = {"corner": "T1", "what": "contact", "fault": "other", "lap": 1, "note": None}
    write(team, entry, incidents=[crash, crash])
    assert not any("T1" in item["text"] for item in told(team, entry)["proposals"]), "once is no rule"
    write(team, entry_of(team, "Corin Ashgrove"), incidents=[crash])
    proposed = told(team, entry)["proposals"]
    habit = next(item for item in proposed if item["corner"] == "T3")
    start = next(item for item in proposed if item["corner"] == "T1")
    assert "went wrong more often in the race" in habit["text"] and habit["driver_id"] == team.desk.driver
    assert (
        start["text"].endswith("on the first lap in 2 of 2 starts")
        and start["condition"] == "start"
        and start["driver_id"] is None
    )
    # A driver alone sees what the own starts tell.
    assert not any(item["corner"] == "T1" for item in told(team, entry, team.driver("Ysolde Farrand"))["proposals"])
    lessons.add_lesson(team.sessions, team.actor, habit)
    assert habit["text"] not in {item["text"] for item in told(team, entry)["proposals"]}
    assert habit["text"] in {item.text for item in lessons.lessons_of_week(team.sessions, team.actor, team.week)}


def test_races_teach_what_practice_does_not(team: Team, entry: UUID) -> None:
    sheet.hand_out(team.sessions, team.actor, entry, lambda: TUESDAY)
    foretold = looked(team, entry)
    race(team, rate=0.0, slower_us=1_500_000)
    write(team, entry)
    assert seasons.taught(team.sessions, team.actor, RACE) == {}, "before the race nothing is known of it"
    behind = debrief.races_behind(team.sessions, team.actor, lambda: AFTER)
    s.RacesBehind.model_validate(behind)
    pace = next(item for item in behind["calibration"] if item["figure"] == "race_lap_us")
    assert (
        pace["races"] == 1
        and pace["inside"] == 0
        and pace["off"] > 0.01
        and pace["shift"] == pytest.approx(pace["off"] / 5)
    )
    # The next race is taken to be slower than practice tells, for everybody alike.
    later = team.enter_in_a_later_week("Ysolde Farrand")
    with team.sessions.begin() as session:
        session.execute(update(Lap).where(Lap.session_kind == "practice").values(started_at=RACE + timedelta(days=4)))
        session.execute(update(Combination).values(revision=Combination.revision + 1))
        assert session.scalars(select(Entry.id).where(Entry.public_id == later)).one()
    for actor in (team.actor, team.driver("Ysolde Farrand")):
        after = figures.race_view(team.sessions, actor, later, lambda: RACE + timedelta(days=5))
        assert after["taught"]["race_lap_us"].shift == pytest.approx(pace["shift"])
    alone = foretold["stops"]["compounds"][0]["new_us"]
    assert after["stops"] is None or after["stops"]["compounds"][0]["new_us"] == pytest.approx(
        alone * (1 + pace["shift"]), rel=1e-3
    )
