"""The plan in a team's hands: made from what is open, changed by people, made anew without losing what was put
somewhere, taken back.
"""

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from typing import Any
from uuid import UUID, uuid4

import icalendar
import pytest
from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.clock import now
from fleet_rival.core.planning.solve import Effort
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Driver, Entry, PlanBlock, PlanRules, SeriesWeekRow
from fleet_rival.services.people.team import add_person
from fleet_rival.services.plan import calendars, change, make, readiness_history, rules, view, what_if, why
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Outdated, Refused
from fleet_rival.services.week import entries, profiles, series
from tests.conftest import manager_of
from tests.filled import Filled
from tests.services.test_fix import Desk

Sessions = sessionmaker[Session]
TUESDAY = datetime(2031, 4, 8, 22, tzinfo=UTC)
RACE = datetime(2031, 4, 12, 18, tzinfo=UTC)
EFFORT = Effort(units=4.0)
EVENINGS = {"weekly": [{"days": [2, 3, 4], "begins": "18:00", "ends": "21:30"}], "off": [], "extra": []}


class Team:
    """Two drivers entered in a week that runs, one of whom has driven."""

    def __init__(self, sessions: Sessions, actor: Actor) -> None:
        self.sessions, self.actor, self.desk = sessions, actor, Desk(sessions, actor)
        self.desk.drive(0.4, 8)
        row = series.add_series(sessions, actor, "Harbour evenings")
        place = self.desk.track
        facts = SeriesWeek(
            *(
                "Harbour evenings",
                1,
                "UTC",
                date(2031, 4, 7),
                date(2031, 4, 14),
                (self.desk.car.name,),
                place.name,
                place.layout,
            ),
            race_laps=20,
            starts="2031-04-12T18:00Z",
        )
        self.series = row.id
        self.week = series.add_week(sessions, actor, row.id, facts).id
        self.drivers = {"Ysolde Farrand": self.desk.driver, "Corin Ashgrove": self.desk.other}
        for driver in self.drivers.values():
            found = profiles.profile(sessions, actor, driver)
            profiles.change_profile(sessions, actor, driver, found.version, {"zone": "UTC", "availability": EVENINGS})
        entries.enter(sessions, actor, [self.week], list(self.drivers.values()), "must")
        with sessions() as session:
            key = session.scalars(select(SeriesWeekRow.id).where(SeriesWeekRow.team_id == actor.team_id)).one()
            for item in entries.entries_of_weeks(session, actor, [key]):
                entries.change_entry(sessions, actor, item.id, item.version, {"starts": [RACE]})

    def enter_in_a_later_week(self, name: str) -> UUID:
        """The entry of a driver in the week after."""
        place = self.desk.track
        facts = SeriesWeek(
            *(
                "Harbour evenings",
                2,
                "UTC",
                date(2031, 4, 14),
                date(2031, 4, 21),
                (self.desk.car.name,),
                place.name,
                place.layout,
            )
        )
        later = series.add_week(self.sessions, self.actor, self.series, facts).id
        entries.enter(self.sessions, self.actor, [later], [self.drivers[name]], "must")
        with self.sessions() as session:
            key = session.scalars(select(SeriesWeekRow.id).where(SeriesWeekRow.public_id == later)).one()
            [entry] = entries.entries_of_weeks(session, self.actor, [key])
            return entry.id

    def put(self, entry_id: UUID, begins: datetime, minutes: int) -> None:
        """A block of an entry, past the planner."""
        with self.sessions.begin() as session:
            entry = session.scalars(select(Entry).where(Entry.public_id == entry_id)).one()
            whose = {"team_id": entry.team_id, "driver_id": entry.driver_id, "entry_id": entry.id}
            what = {"kind": "build", "about": str(begins.day), "minutes": minutes, "locked": False}
            worth = {"gain_us": 1, "why": "supposed", "numbers": {"share": 0.1}}
            session.execute(
                insert(PlanBlock).values(public_id=uuid4(), version=1, begins_at=begins, **whose, **what, **worth)
            )

    def make(self, only: set[UUID] | None = None, at: datetime = TUESDAY) -> Any:
        make.make_plan(self.sessions, self.actor, None, only, clock=lambda: at, effort=EFFORT)
        return self.plan(at=at)

    def plan(self, actor: Actor | None = None, at: datetime = TUESDAY) -> Any:
        told = view.plan_of(self.sessions, actor or self.actor, clock=lambda: at)
        s.PlanOut.model_validate(told)
        return told

    def ready(self) -> dict[str, Any]:
        told = view.readiness_of(self.sessions, self.actor, clock=lambda: TUESDAY)
        s.ReadinessOut.model_validate(told)
        return {item["driver"]: item for item in told["items"]}

    def driver(self, name: str) -> Actor:
        with self.sessions() as session:
            key = session.scalars(
                select(Driver.id).where(Driver.team_id == self.actor.team_id, Driver.name == name)
            ).one()
        return add_person(self.sessions, self.actor, f"{name} at home", "driver", key)


def team_of(sessions: Sessions) -> Team:
    return Team(sessions, manager_of(sessions))


@pytest.fixture
def team(sessions: Sessions, fill_once: Filled) -> Team:
    return fill_once(sessions, team_of)


def by_key(plan: Any) -> dict[str, Any]:
    return {item["key"]: item for item in plan["blocks"]}


def test_the_first_block_of_a_week_to_come_is_still_coming(team: Team) -> None:
    team.put(team.enter_in_a_later_week("Corin Ashgrove"), datetime(2031, 4, 14, tzinfo=UTC), 30)
    [block] = view.plan_of(team.sessions, team.actor, date(2031, 4, 15), clock=lambda: TUESDAY)["blocks"]
    assert block["state"] == "coming"


def test_a_plan_is_made_from_what_is_open_and_made_anew_without_losing_what_was_put_somewhere(team: Team) -> None:
    assert team.plan()["blocks"] == [] and team.plan()["made_at"] is None
    plan = team.make()
    kinds = {(item["driver_id"], item["kind"]) for item in plan["blocks"]}
    assert (team.drivers["Ysolde Farrand"], "corner") in kinds, "a mistake that recurs is worked on"
    assert (team.drivers["Corin Ashgrove"], "walk") in kinds and (team.drivers["Ysolde Farrand"], "walk") not in kinds
    assert all(item["broken"] == [] and item["begins_at"] < RACE for item in plan["blocks"]) and plan["proven"]
    corner = next(item for item in plan["blocks"] if item["kind"] == "corner")
    assert corner["words"] == "T3: braked too early" and "such work takes 50 % of that away" in corner["why"]
    again = team.make()
    assert {key: item["begins_at"] for key, item in by_key(again).items()} == {
        key: item["begins_at"] for key, item in by_key(plan).items()
    }
    assert again["changed"] == []

    # Put somewhere else: it stays there, whatever is planned around it, also where it breaks a rule.
    moved = datetime(2031, 4, 10, 18, tzinfo=UTC)
    change.change_block(team.sessions, team.actor, corner["id"], corner["version"], {"begins_at": moved, "minutes": 40})
    with pytest.raises(Outdated):
        change.change_block(team.sessions, team.actor, corner["id"], corner["version"], {"minutes": 30})
    kept = by_key(team.make())[corner["key"]]
    assert (kept["begins_at"], kept["minutes"], kept["locked"], kept["broken"]) == (moved, 40, True, [])
    change.change_block(
        team.sessions, team.actor, corner["id"], kept["version"], {"begins_at": datetime(2031, 4, 10, 3, tzinfo=UTC)}
    )
    flagged = by_key(team.make())[corner["key"]]
    assert flagged["broken"] == ["outside of free time"] and flagged["begins_at"].hour == 3
    # Let go, it finds its way back.
    change.change_block(team.sessions, team.actor, corner["id"], flagged["version"], {"locked": False})
    free = team.make()
    assert by_key(free)[corner["key"]]["broken"] == []
    assert any("goes to" in item["words"] and item["begins_at"] is not None for item in free["changed"])

    # Taken out, planned again, taken back.
    last = by_key(free)[corner["key"]]
    change.remove_block(team.sessions, team.actor, last["id"], last["version"])
    assert corner["key"] not in by_key(team.plan())
    history.undo(team.sessions, team.actor)
    assert corner["key"] in by_key(team.plan())


def test_an_absence_is_planned_around_and_what_finds_no_place_is_said(team: Team) -> None:
    before = team.make()
    gone = team.drivers["Corin Ashgrove"]
    found = profiles.profile(team.sessions, team.actor, gone)
    absent = {**EVENINGS, "off": [{"first": "2031-04-09", "last": "2031-04-11", "why": "away"}]}
    profiles.change_profile(team.sessions, team.actor, gone, found.version, {"availability": absent})
    after = team.make()
    assert not [item for item in after["blocks"] if item["driver_id"] == gone]
    assert any(
        item["words"].startswith("Corin Ashgrove") and item["words"].endswith("is out.") for item in after["changed"]
    )
    theirs = {item["key"]: item["begins_at"] for item in before["blocks"] if item["driver_id"] != gone}
    assert {item["key"]: item["begins_at"] for item in after["blocks"]} == theirs, "nobody else is moved about"
    left = [item for item in after["left"] if item["driver"] == "Corin Ashgrove"]
    assert {item["reason"] for item in left} <= {
        "No free time before the race is long enough for it.",
        "What it needs first found no place.",
    }
    told = why.why(team.sessions, team.actor, left[0]["key"], clock=lambda: TUESDAY)
    s.WhyOut.model_validate(told)
    assert "There is no free time" in " ".join(told["words"])


def test_own_limits_and_quiet_hours_are_kept(team: Team) -> None:
    own = team.drivers["Ysolde Farrand"]
    found = profiles.profile(team.sessions, team.actor, own)
    care = {"seat_limit_minutes": 30.0, "day_limit_minutes": 60.0, "quiet_from": "20:00", "quiet_to": "06:00"}
    changed = profiles.change_profile(team.sessions, team.actor, own, found.version, {"care": care})
    assert changed.care == care
    plan = team.make()
    mine = [item for item in plan["blocks"] if item["driver_id"] == own]
    assert mine and all(item["minutes"] <= 30 or item["kind"] == "rehearsal" for item in mine)
    by_day: dict[int, int] = {}
    for item in mine:
        by_day[item["begins_at"].day] = by_day.get(item["begins_at"].day, 0) + (
            item["minutes"] if item["kind"] != "review" else 0
        )
        assert item["begins_at"] + timedelta(minutes=item["minutes"]) <= item["begins_at"].replace(hour=20, minute=0)
    assert max(by_day.values()) <= 60 and all(item["broken"] == [] for item in mine)
    [lane] = [lane for lane in plan["lanes"] if lane["id"] == own]
    assert lane["care"]["seat_limit_minutes"] == 30.0 and all(span["ends_at"].hour == 20 for span in lane["free"])


def test_one_driver_is_planned_and_the_others_are_left_alone(team: Team) -> None:
    own = team.drivers["Ysolde Farrand"]
    plan = team.make({own})
    assert plan["blocks"] and {item["driver_id"] for item in plan["blocks"]} == {own}
    everybody = team.make()
    assert (
        by_key(plan).items()
        <= {key: item for key, item in by_key(everybody).items() if item["driver_id"] == own}.items()
    )


def test_why_answers_with_numbers(team: Team) -> None:
    plan = team.make()
    corner = next(item for item in plan["blocks"] if item["kind"] == "corner")
    told = why.why(team.sessions, team.actor, corner["key"], clock=lambda: TUESDAY)
    assert (
        told["gained_us"] > 0 and told["best_at"] is not None and "With it the plan is worth" in " ".join(told["words"])
    )
    change.change_block(team.sessions, team.actor, corner["id"], corner["version"], {"locked": True})
    assert "Somebody put it there" in " ".join(
        why.why(team.sessions, team.actor, corner["key"], clock=lambda: TUESDAY)["words"]
    )
    with pytest.raises(NotThere):
        why.why(team.sessions, team.actor, "nothing", clock=lambda: TUESDAY)


def test_what_is_done_frees_its_time(team: Team) -> None:
    plan = team.make()
    walk = next(item for item in plan["blocks"] if item["kind"] == "walk")
    team.desk.drive(0.0, 21, datetime(2031, 4, 9, 10, tzinfo=UTC), name="Corin Ashgrove", traces=False)
    assert not by_key(team.plan())[walk["key"]]["needed"]
    after = by_key(team.make())
    assert walk["key"] not in after
    assert {item["kind"] for item in after.values() if item["driver_id"] == team.drivers["Corin Ashgrove"]} >= {
        "build",
        "long",
    }, "the rest goes on"


def test_a_driver_sees_the_own_lane_on_the_first_page_and_in_the_calendar(team: Team) -> None:
    team.make()
    driver = team.driver("Ysolde Farrand")
    own = team.plan(driver)
    assert [lane["name"] for lane in own["lanes"]] == ["Ysolde Farrand"] and {
        item["driver_id"] for item in own["blocks"]
    } == {team.drivers["Ysolde Farrand"]}
    assert "Corin" not in str(own)
    coming = view.blocks_to_come(team.sessions, driver, lambda: TUESDAY)
    s.ComingBlocks.model_validate({"items": coming}, from_attributes=True)
    assert [item.begins_at for item in coming] == sorted(item["begins_at"] for item in own["blocks"])
    assert {item.state for item in view.blocks_to_come(team.sessions, driver, lambda: RACE)} <= {"missed"}
    assert view.blocks_to_come(team.sessions, driver, lambda: RACE + timedelta(days=3)) == []
    read = icalendar.Calendar.from_ical(calendars.subscribed(team.sessions, driver))
    titles = [str(event["summary"]) for event in read.walk("VEVENT")]
    assert any(title == "T3: braked too early" for title in titles) or now() - timedelta(days=60) > TUESDAY


def test_readiness_says_what_is_open_and_what_would_close_it(team: Team) -> None:
    found = team.ready()
    states = {name: {check["key"]: check for check in item["checks"]} for name, item in found.items()}
    assert states["Corin Ashgrove"]["laps"]["state"] == "open" and states["Corin Ashgrove"]["laps"]["block"] == "walk"
    assert states["Ysolde Farrand"]["mistakes"]["state"] != "met" and states["Ysolde Farrand"]["pit"]["state"] != "open"
    assert (
        found["Corin Ashgrove"]["open"] > found["Ysolde Farrand"]["open"]
        and found["Corin Ashgrove"]["total"] < found["Ysolde Farrand"]["total"]
    )


def test_what_another_weeks_plan_holds_is_no_free_time(team: Team) -> None:
    later = team.enter_in_a_later_week("Ysolde Farrand")
    own = team.drivers["Ysolde Farrand"]
    held = [datetime(2031, 4, day, 18, tzinfo=UTC) for day in (9, 10)]
    for begins in held:
        team.put(later, begins, 210)
    plan = team.make()
    mine = [item for item in plan["blocks"] if item["driver_id"] == own]
    assert mine and {item["begins_at"].day for item in mine} == {11}, "two of the three evenings are taken"
    with team.sessions() as session:
        assert (
            session.scalar(
                select(func.count())
                .select_from(PlanBlock)
                .where(PlanBlock.begins_at.in_(held), PlanBlock.minutes == 210)
            )
            == 2
        )


def test_what_somebody_changes_while_it_is_planned_stays_as_they_left_it(
    team: Team, monkeypatch: pytest.MonkeyPatch
) -> None:
    block = team.make()["blocks"][0]
    there = block["begins_at"] + timedelta(minutes=15)
    planned = make.plan_week

    def meanwhile(*arguments: Any) -> Any:
        change.change_block(team.sessions, team.actor, block["id"], block["version"], {"begins_at": there})
        return planned(*arguments)

    monkeypatch.setattr(make, "plan_week", meanwhile)
    kept = by_key(team.make())[block["key"]]
    assert (kept["begins_at"], kept["locked"]) == (there, True)


def test_a_plan_is_taken_back_as_a_whole_with_what_was_said_of_it(team: Team) -> None:
    first = team.make()
    found = profiles.profile(team.sessions, team.actor, team.drivers["Corin Ashgrove"])
    absent = {**EVENINGS, "off": [{"first": "2031-04-09", "last": "2031-04-11", "why": "away"}]}
    profiles.change_profile(team.sessions, team.actor, found.id, found.version, {"availability": absent})
    assert team.make(at=TUESDAY + timedelta(minutes=1))["value_us"] < first["value_us"]
    history.undo(team.sessions, team.actor)
    back = team.plan()
    assert by_key(back).keys() == by_key(first).keys()
    assert (back["value_us"], back["made_at"]) == (first["value_us"], first["made_at"])
    history.redo(team.sessions, team.actor)
    assert not any(item["driver_id"] == found.id for item in team.plan()["blocks"])
    for _ in range(3):
        history.undo(team.sessions, team.actor)
    assert team.plan()["blocks"] == [] and team.plan()["made_at"] is None


def test_a_week_to_come_is_planned_from_its_beginning(team: Team) -> None:
    team.enter_in_a_later_week("Ysolde Farrand")
    day = datetime(2031, 4, 16, tzinfo=UTC).date()
    make.make_plan(team.sessions, team.actor, day, clock=lambda: TUESDAY, effort=EFFORT)
    told = view.plan_of(team.sessions, team.actor, day, clock=lambda: TUESDAY)
    s.PlanOut.model_validate(told)
    assert told["name"] == "2031-04-14" and told["begins_at"] == datetime(2031, 4, 14, tzinfo=UTC)
    assert told["blocks"] and {item["driver_id"] for item in told["blocks"]} == {team.drivers["Ysolde Farrand"]}
    assert team.plan()["blocks"] == [], "this week has none of it"


def test_who_drives_no_more_practises_no_more(team: Team) -> None:
    plan = team.make()
    gone = next(item for item in plan["blocks"] if item["driver_id"] == team.drivers["Corin Ashgrove"])
    entries.remove_entries(team.sessions, team.actor, [gone["entry_id"]])
    assert {item["driver_id"] for item in team.plan()["blocks"]} == {team.drivers["Ysolde Farrand"]}
    history.undo(team.sessions, team.actor)
    assert gone["key"] in by_key(team.plan())


@pytest.mark.parametrize(
    ("values", "error"),
    [
        ({"minutes": 3}, Refused),
        ({"minutes": 7}, Refused),
        ({"begins_at": datetime(2031, 4, 10, 18, 1, tzinfo=UTC)}, Refused),
        ({"begins_at": datetime(2031, 4, 10, 18, tzinfo=UTC).replace(tzinfo=None)}, Refused),
        ({"begins_at": datetime(2033, 4, 10, 18, tzinfo=UTC)}, Refused),
        ({"rig_id": UUID(int=7)}, NotThere),
    ],
)
def test_what_cannot_be_is_refused(team: Team, values: dict[str, Any], error: type[Exception]) -> None:
    block = team.make()["blocks"][0]
    with pytest.raises(error):
        change.change_block(team.sessions, team.actor, block["id"], block["version"], values)
    other = manager_of(team.sessions, "Others", "Someone else")
    acts: list[Callable[[], Any]] = [
        lambda: change.change_block(team.sessions, other, block["id"], block["version"], {"locked": True}),
        lambda: change.remove_block(team.sessions, other, block["id"], block["version"]),
    ]
    for act in acts:
        with pytest.raises(NotThere):
            act()


def test_a_shared_rig_is_used_by_one_at_a_time(team: Team) -> None:
    rig = profiles.add_resource(team.sessions, team.actor, "Cellar", "rig")
    hours = {"weekly": [{"days": [2, 3], "begins": "18:00", "ends": "21:00"}], "off": [], "extra": []}
    profiles.change_resource(
        team.sessions,
        team.actor,
        rig.id,
        rig.version,
        {"name": "Cellar", "availability": hours, "zone": "UTC", "note": None},
    )
    with team.sessions() as session:
        key = session.scalars(select(SeriesWeekRow.id).where(SeriesWeekRow.team_id == team.actor.team_id)).one()
        for item in entries.entries_of_weeks(session, team.actor, [key]):
            entries.change_entry(team.sessions, team.actor, item.id, item.version, {"resource_id": rig.id})
    plan = team.make()
    driven = sorted((item["begins_at"], item["minutes"]) for item in plan["blocks"] if item["rig"] is not None)
    assert len(driven) >= 3 and {item["rig"]["name"] for item in plan["blocks"] if item["rig"]} == {"Cellar"}
    assert all(begins + timedelta(minutes=minutes) <= later for (begins, minutes), (later, _) in pairwise(driven))
    assert all(18 <= begins.hour < 21 and begins.weekday() in (2, 3) for begins, _ in driven)


def test_what_was_driven_takes_its_block_and_what_was_missed_is_planned_again(team: Team) -> None:
    plan = team.make()
    own = [
        item
        for item in plan["blocks"]
        if item["driver_id"] == team.drivers["Ysolde Farrand"] and item["kind"] in ("corner", "long")
    ]
    long_run = next(item for item in own if item["kind"] == "long")
    assert {item["state"] for item in plan["blocks"]} == {"coming"} and all(
        item["became"] == "" for item in plan["blocks"]
    )
    # Two runs: a long one and one for the corner, on the evening of the long run; everything else of that evening and
    # before is missed.
    team.desk.drive(0.0, 9, long_run["begins_at"], traces=False)
    after = long_run["begins_at"] + timedelta(hours=5)
    became = by_key(team.plan(at=after))
    done = [item for item in became.values() if item["id"] == long_run["id"]]
    assert [(item["state"], item["became"]) for item in done] == [("done", "done, 14 laps")]
    missed = [item for item in became.values() if item["state"] == "missed"]
    assert missed and all(item["begins_at"] < after for item in missed)
    for driver in team.drivers.values():
        found = profiles.profile(team.sessions, team.actor, driver)
        more = {**EVENINGS, "weekly": [*EVENINGS["weekly"], {"days": [5], "begins": "08:00", "ends": "17:00"}]}
        profiles.change_profile(team.sessions, team.actor, driver, found.version, {"availability": more})
    again = by_key(team.make(at=after))
    for item in missed:
        kept = next(other for other in again.values() if other["id"] == item["id"])
        assert kept["begins_at"] == item["begins_at"] and kept["state"] == "missed", (
            "what was missed stays on the record"
        )
    anew = {
        (item["driver_id"], item["kind"], item["about"])
        for item in again.values()
        if item["state"] == "coming" and item["begins_at"] >= after
    }
    assert anew & {(item["driver_id"], item["kind"], item["about"]) for item in missed}, "and its like is planned again"

    # People have the last word.
    review = next(item for item in again.values() if item["state"] == "missed")
    change.change_block(team.sessions, team.actor, review["id"], review["version"], {"said": "done"})
    told = next(item for item in team.plan(at=after)["blocks"] if item["id"] == review["id"])
    assert (told["state"], told["became"], told["said"]) == ("done", "done", "done")
    change.change_block(team.sessions, team.actor, told["id"], told["version"], {"said": None})
    assert next(item for item in team.plan(at=after)["blocks"] if item["id"] == review["id"])["state"] == "missed"


def test_rules_and_blocks_are_the_managers(team: Team) -> None:
    usual = rules.rules_view(team.sessions, team.actor)
    s.PlanRulesOut.model_validate(usual)
    assert usual["version"] == 0
    checks = {
        item["key"]: {"met": item["met"], "close": item["close"], "weight": item["weight"]} for item in usual["checks"]
    }
    names = ("laps", "minutes", "rank", "share", "planned", "pass_mark")
    blocks: dict[str, dict[str, Any]] = {item["code"]: {name: item[name] for name in names} for item in usual["blocks"]}
    before = team.ready()["Ysolde Farrand"]
    checks["laps"] = {"met": 10, "close": 5, "weight": 9.0}
    blocks["qualifying"]["planned"] = False
    blocks["corner"] |= {"laps": 20, "pass_mark": "six in a row are clean"}
    blocks["own-starts"] = {**blocks["build"], "name": "standing starts", "laps": 10, "share": 0.002, "times": 1}
    told = rules.change_rules(team.sessions, team.actor, 0, checks, blocks)
    s.PlanRulesOut.model_validate(told)
    assert told["version"] == 1
    after = team.ready()["Ysolde Farrand"]
    assert after["total"] > before["total"]
    assert next(check for check in after["checks"] if check["key"] == "laps")["state"] == "met"
    plan = team.make()
    kinds = {item["kind"] for item in plan["blocks"]} | {item["kind"] for item in plan["left"]}
    assert "qualifying" not in kinds and "own-starts" in kinds
    corner = next(item for item in plan["blocks"] if item["kind"] == "corner")
    assert corner["pass_mark"] == "Passed when six in a row are clean."
    assert next(item for item in plan["blocks"] if item["kind"] == "own-starts")["words"] == "standing starts"
    with pytest.raises(Outdated):
        rules.change_rules(team.sessions, team.actor, 0, checks, blocks)
    for wrong, words in (
        ({"laps": {"met": 5, "close": 10, "weight": 1}}, "can't be better"),
        ({"spread": {"met": 1, "close": 0.5, "weight": 1}}, "can't be better"),
        ({"laps": {"met": 5, "close": 5, "weight": 11}}, "a weight lies"),
        ({"wings": {"met": 5, "close": 5, "weight": 1}}, "no check wings"),
    ):
        with pytest.raises(Refused, match=words):
            rules.change_rules(team.sessions, team.actor, 1, wrong, blocks)
    for kind, values, words in (
        ("build", {"laps": 0}, "one lap at least"),
        ("own-x", {"laps": 4}, "a name"),
        ("other", {"laps": 4}, "no kind of block other"),
        ("walk", {"rank": 12}, "rank lies"),
    ):
        changed = {**blocks, kind: {**(blocks.get(kind) or {}), **values}}
        with pytest.raises(Refused, match=words):
            rules.change_rules(team.sessions, team.actor, 1, checks, changed)
    for planning, words in (
        ({"unknown_lap_s": 0}, "must be more than 0"),
        ({"evening_from_hour": 23}, "and ends at” must be more"),
        ({"quiet_to_hour": 24}, "must be less than 24"),
        ({"walked_laps": 2.5}, "must be a whole number"),
        ({"luck": 1}, "luck” isn't known"),
    ):
        with pytest.raises(Refused, match=words):
            rules.change_rules(team.sessions, team.actor, 1, checks, blocks, planning)
    # The last act is taken back, and all is as usual.
    history.undo(team.sessions, team.actor)
    history.undo(team.sessions, team.actor)
    assert "standing starts" not in str(rules.rules_view(team.sessions, team.actor))


def test_what_plans_go_by_is_the_teams(team: Team) -> None:
    usual = team.make()
    least = {"least_gain_s": 0.1, "seat_limit_minutes": 30, "quiet_from_hour": 20}
    told = rules.change_rules(team.sessions, team.actor, 0, {}, {}, least)
    changed = {item["key"]: item["value"] for item in told["planning"] if item["value"] != item["usual"]}
    assert changed == least
    plan = team.make()
    assert min(item["gain_us"] for item in [*plan["blocks"], *plan["left"]]) >= 0.1e6 * 0.3
    assert len(plan["blocks"]) + len(plan["left"]) < len(usual["blocks"]) + len(usual["left"])
    # Every page says the same: a driver's own profile tells what holds for who has said nothing.
    told_usual = profiles.profiles(team.sessions, team.actor)[0].usual_care
    assert (told_usual["seat_limit_minutes"], told_usual["quiet_from"], told_usual["quiet_to"]) == (
        30,
        "20:00",
        "07:00",
    )
    driven = [item for item in plan["blocks"] if item["kind"] not in ("rehearsal", "review")]
    assert driven and max(item["minutes"] for item in driven) <= 30
    # As usual isn't kept: it follows when the usual changes.
    rules.change_rules(team.sessions, team.actor, 1, {}, {}, {item["key"]: item["usual"] for item in told["planning"]})
    with team.sessions() as session:
        assert session.scalars(select(PlanRules.planning)).one() == {}


def test_what_if_is_looked_at_beside_the_plan_and_nothing_of_it_is_kept(team: Team) -> None:
    corin = team.drivers["Corin Ashgrove"]
    more = what_if.Change(
        "more_time", corin, datetime(2031, 4, 12, 8, tzinfo=UTC), datetime(2031, 4, 12, 12, tzinfo=UTC)
    )
    found = what_if.what_if(team.sessions, team.actor, [more], clock=lambda: TUESDAY)
    assert found.gained_us >= 0 and {item.driver for item in found.after} <= {"Corin Ashgrove"}
    less = what_if.Change("less_time", corin, datetime(2031, 4, 9, tzinfo=UTC), datetime(2031, 4, 12, tzinfo=UTC))
    found = what_if.what_if(team.sessions, team.actor, [less], clock=lambda: TUESDAY)
    assert found.gained_us < 0 and found.after == () and all(item.state == "dropped" for item in found.before)
    assert "less" in found.words[0] and any(
        words.startswith("Out would be: Corin Ashgrove, walk the track") for words in found.words
    )
    assert team.plan()["blocks"] == [] and team.plan()["made_at"] is None

    entry = next(
        item["entry_id"]
        for item in view.readiness_of(team.sessions, team.actor, clock=lambda: TUESDAY)["items"]
        if item["driver_id"] == corin
    )
    entries.remove_entries(team.sessions, team.actor, [entry])
    again = what_if.Change("entry", corin, week_id=team.week)
    found = what_if.what_if(team.sessions, team.actor, [again], clock=lambda: TUESDAY)
    assert found.gained_us > 0 and {item.state for item in found.after} == {"added"}
    assert [item["driver"] for item in team.ready().values()] == ["Ysolde Farrand"]
    for wrong, error in (
        ([], Refused),
        ([replace(more, ends_at=more.begins_at)], Refused),
        ([replace(more, ends_at=datetime(2031, 5, 12, 8, tzinfo=UTC))], Refused),
        ([replace(again, driver_id=team.drivers["Ysolde Farrand"])], Refused),
        ([replace(again, week_id=uuid4())], NotThere),
        ([replace(more, driver_id=uuid4())], NotThere),
    ):
        with pytest.raises(error):
            what_if.what_if(team.sessions, team.actor, wrong, clock=lambda: TUESDAY)


def test_what_would_make_room_is_tried_out(team: Team) -> None:
    corin = team.drivers["Corin Ashgrove"]
    found = profiles.profile(team.sessions, team.actor, corin)
    hours = {"weekly": [{"days": [2], "begins": "18:00", "ends": "19:00"}], "off": [], "extra": []}
    profiles.change_profile(team.sessions, team.actor, corin, found.version, {"availability": hours})
    left = [item for item in team.make()["left"] if item["driver_id"] == str(corin)]
    told = what_if.what_makes_room(team.sessions, team.actor, left[0]["key"], clock=lambda: TUESDAY)
    assert told.title.startswith("Corin Ashgrove") and told.items, told
    best = told.items[0]
    assert best.kind == "evening" and best.gained_us > 0 and "would make room" in best.words
    begins, ends = best.begins_at, best.ends_at
    tried = what_if.what_if(
        team.sessions, team.actor, [what_if.Change("more_time", corin, begins, ends)], clock=lambda: TUESDAY
    )
    assert tried.gained_us == best.gained_us
    with pytest.raises(NotThere):
        what_if.what_makes_room(team.sessions, team.actor, "nothing", clock=lambda: TUESDAY)


def test_readiness_is_looked_back_at_day_by_day_and_week_by_week(team: Team) -> None:
    # The desk's evening is the day before the plan's; another one a day later.
    team.desk.drive(0.0, 12, TUESDAY + timedelta(hours=20), traces=False)
    entry = team.ready()["Ysolde Farrand"]["entry_id"]
    later = TUESDAY + timedelta(hours=40)
    told = readiness_history.readiness_history(team.sessions, team.actor, entry, clock=lambda: later)
    assert [day.laps for day in told.days] == [32, 64]
    assert told.days[0].states["laps"] == "close" and told.days[1].states["laps"] == "met"
    assert told.days[1].total >= told.days[0].total
    now = next(
        item
        for item in view.readiness_of(team.sessions, team.actor, clock=lambda: later)["items"]
        if item["entry_id"] == entry
    )
    assert told.days[1].total == pytest.approx(now["total"]), "the last day is as it stands now"
    assert told.earlier == ()

    # A week later, the week behind stands as it was at the race, with what it brought.
    with team.sessions() as session:
        version = session.scalars(select(Entry.version).where(Entry.public_id == entry)).one()
    entries.change_entry(team.sessions, team.actor, entry, version, {"points": 31.0})
    after = team.enter_in_a_later_week("Ysolde Farrand")
    behind = readiness_history.readiness_history(
        team.sessions, team.actor, after, clock=lambda: RACE + timedelta(days=3)
    )
    assert [(item.number, item.points, item.laps) for item in behind.earlier] == [(1, 31.0, 64)]
    with pytest.raises(NotThere):
        readiness_history.readiness_history(team.sessions, team.driver("Corin Ashgrove"), entry, clock=lambda: later)
