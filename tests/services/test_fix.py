"""The clinic in a team's hands: answers by role, what people say counts from then on, exercises judge themselves."""

import io
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import cache
from typing import Any
from uuid import UUID

import numpy as np
import orjson
import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.clock import now
from fleet_rival.core.track import Track
from fleet_rival.db.tables import CorrectionRow, Driver, LapCurve, Layout, PracticeSession, ReferenceRow, Remark
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.runs import edit, moves, sheet
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.drive.traces import imports, passes, uploads
from fleet_rival.services.fix import audit, card, catalogue, clinic, mistake_card, say, work
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.shared.trace_files import sweep
from fleet_rival.services.track import tracks
from fleet_rival.services.track.book import references, view
from fleet_rival.services.week import combinations, profiles
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel, Habit
from fleet_rival.simulator.places import CARS, PLACES
from fleet_rival.simulator.practice import Run, SessionPlan, survey
from fleet_rival.simulator.road import Road, lay_out
from fleet_rival.simulator.stints import StintLap, drive_stint
from tests.conftest import manager_of

Sessions = sessionmaker[Session]
EVENING = datetime(2031, 4, 8, 18, tzinfo=UTC)


@cache
def harbour() -> tuple[Road, CarModel, Track, bytes]:
    """The place where everybody drives here, surveyed once."""
    place, car = PLACES["harbour"][0], CARS["harbour"][0]
    road = lay_out(place.pieces)
    surveyed = survey(road, car, place.track, place.layout, place.kind, place.sector_corners)
    return road, car, surveyed, write_track(surveyed)


@cache
def driven(rate: float, seed: int, moment: datetime, name: str) -> tuple[list[StintLap], bytes]:
    """Two runs of somebody with a habit, and their lap file; simulated once, however many tests drive them."""
    road, car, layout, _ = harbour()
    habit = Habit("T3", "early-brake", rate, 0.35)
    model = DriverModel(name, 0.98, 0.003, 0.01, 0.5, habits=(habit,) if rate else (), strike_rate=0.0, spin_rate=0.0)
    plan = SessionPlan(
        f"{moment:%d-%H%M}",
        moment,
        (Run("long", 14), Run("corner", 14)),
        20.0,
        15.0,
        "dry",
        "street",
        moment.replace(tzinfo=None),
    )
    made: list[StintLap] = []
    for run in range(2):
        made += list(
            drive_stint(model, road, car, layout, plan, run, len(made) + 1, moment, np.random.default_rng([seed, run]))
        )
        moment += timedelta(minutes=40)
    return made, write_laps([replace(item.lap, car=car.name) for item in made], layout)


@cache
def recorded(rate: float, seed: int, moment: datetime, name: str) -> bytes:
    """Their traces as a file."""
    return traces_of(driven(rate, seed, moment, name)[0])


def traces_of(made: list[StintLap]) -> bytes:
    out = io.BytesIO()
    traces = [item.trace(25.0) for item in made]
    with TelemetryWriter(out, tuple(traces[0].channels)) as writer:
        for trace in traces:
            writer.add(trace)
    return out.getvalue()


class Desk:
    """A team with a harbour, a driver with a habit, and a way to let them drive."""

    def __init__(self, sessions: Sessions, actor: Actor) -> None:
        self.sessions, self.actor = sessions, actor
        self.road, self.car, self.track, file = harbour()
        layout = tracks.add_track(sessions, actor, file)
        self.combination = combinations.add_combination(sessions, actor, layout.id, self.car.name).id
        self.driver = profiles.add_driver(sessions, actor, "Ysolde Farrand").id
        self.other = profiles.add_driver(sessions, actor, "Corin Ashgrove").id

    def drive(
        self, rate: float, seed: int, moment: datetime = EVENING, *, name: str = "Ysolde Farrand", traces: bool = True
    ) -> list[StintLap]:
        made, content = driven(rate, seed, moment, name)
        file_id = files.upload(self.sessions, self.actor, self.combination, f"{seed}.laps.csv", content)
        importing.confirm(
            self.sessions,
            self.actor,
            file_id,
            importing.Wishes(combinations.combination(self.sessions, self.actor, self.combination).revision),
        )
        if traces:
            self.send(recorded(rate, seed, moment, name))
        return made

    def record(self, made: list[StintLap]) -> None:
        self.send(traces_of(made))

    def send(self, content: bytes) -> None:
        """Import a telemetry file."""
        coming = uploads.begin_upload(self.sessions, self.actor, self.combination, "x.telemetry.parquet", len(content))
        uploads.add_piece(self.sessions, self.actor, coming.id, 0, io.BytesIO(content).read)
        imports.import_upload(self.sessions, self.actor, coming.id)

    def clinic(self, actor: Actor | None = None, driver: UUID | None = None) -> Any:
        body = clinic.driver_clinic(self.sessions, actor or self.actor, self.combination, driver or self.driver)[0]
        s.DriverClinic.model_validate_json(body)
        return orjson.loads(body)

    def team(self, actor: Actor | None = None) -> Any:
        body = clinic.team_clinic(self.sessions, actor or self.actor, self.combination)[0]
        s.TeamClinic.model_validate_json(body)
        return orjson.loads(body)

    def key(self, slip: Any) -> RunKey:
        return RunKey(UUID(slip["session_id"]), self.driver, slip["run"])


@pytest.fixture
def manager(sessions: Sessions) -> Actor:
    return manager_of(sessions)


@pytest.fixture
def desk(sessions: Sessions, manager: Actor) -> Desk:
    return Desk(sessions, manager)


def found(told: Any) -> dict[tuple[str, str], Any]:
    return {(item["corner"], item["kind"]): item for item in told["mistakes"]}


def test_a_habit_is_told_with_its_passes_its_card_and_what_people_say_of_it(desk: Desk) -> None:
    made = desk.drive(0.5, 11)
    told = desk.clinic()
    mistake = found(told)["T3", "early-brake"]
    wanted = [item.lap.number for item in made if any(slip.kind == "early-brake" for slip in item.driven.stint.slips)]
    assert mistake["recurring"] and told["three"][0]["corner"] == "T3" and "too early at T3" in mistake["words"]
    assert {slip["lap"] for slip in mistake["slips"]} <= set(wanted) and mistake["source"] == "telemetry"
    assert "earlier than on good passes" in mistake["evidence"]
    shown = mistake_card.mistake_passes(desk.sessions, desk.actor, desk.combination, desk.driver, "T3", "early-brake")
    s.MistakePasses.model_validate(shown)
    assert len(shown["passes"]) == min(mistake_card.MOST_PASSES, len(mistake["slips"]))
    for item in shown["passes"]:
        assert len(item["channels"]["speed_kmh"]) == len(shown["at_m"])
        assert sum(phase["loss_us"] for phase in item["phases"][:3]) > 0.5 * sum(
            phase["loss_us"] for phase in item["phases"]
        )
    told_card = card.card_of_three(desk.sessions, desk.actor, desk.combination, desk.driver)
    s.CardOfThree.model_validate(told_card, from_attributes=True)
    assert (
        told_card.items[0].corner == "T3"
        and "1. The brakes come too early at T3" in told_card.text
        and len(told_card.text.splitlines()) <= 12
    )

    # One of them was another car's doing, the rest are all called something else; both count from now on, and can be
    # taken back.
    first, second = mistake["slips"][:2]
    say.correct(
        desk.sessions, desk.actor, desk.key(first), first["lap"], "T3", {"no_mistake": True, "remark": "the car ahead"}
    )
    say.correct(
        desk.sessions, desk.actor, desk.key(second), second["lap"], "T3", {"kind": "over-slow", "like": "early-brake"}
    )
    now = found(desk.clinic())
    assert ("T3", "early-brake") not in now and now["T3", "over-slow"]["occurrences"] == mistake["occurrences"] - 1
    assert {slip["source"] for slip in now["T3", "over-slow"]["slips"]} == {"person"}
    say.uncorrect(desk.sessions, desk.actor, desk.key(second), second["lap"], "T3")
    assert found(desk.clinic())["T3", "early-brake"]["occurrences"] == mistake["occurrences"] - 1
    undone = next(item for item in history.history(desk.sessions, desk.actor).items if "no mistake" in item.summary)
    history.undo(desk.sessions, desk.actor, undone.id)
    assert found(desk.clinic())["T3", "early-brake"]["occurrences"] == mistake["occurrences"]


@pytest.mark.parametrize(
    "values",
    [
        {},
        {"kind": "nonsense"},
        {"no_mistake": True, "kind": "spin"},
        {"cause_corner": "T99"},
        {"like": "spin", "cause_corner": "T2"},
    ],
    ids=["nothing", "no kind", "both", "no corner", "like what"],
)
def test_what_makes_no_sense_is_refused(desk: Desk, values: dict[str, Any]) -> None:
    desk.drive(0.0, 2, traces=False)
    with desk.sessions() as session:
        place = RunKey(session.scalars(select(PracticeSession.public_id)).one(), desk.driver, 1)
    with pytest.raises(Refused):
        say.correct(desk.sessions, desk.actor, place, 3, "T3", values)
    with pytest.raises(Refused, match="no part"):
        say.correct(desk.sessions, desk.actor, place, 3, "T99", {"no_mistake": True})
    with pytest.raises(NotThere):
        say.correct(desk.sessions, desk.actor, place, 99, "T3", {"no_mistake": True})
    with pytest.raises(NotThere):
        say.uncorrect(desk.sessions, desk.actor, place, 3, "T3")


def test_curves_are_made_once_and_swept_with_their_traces(desk: Desk) -> None:
    desk.drive(0.3, 3)
    desk.clinic()

    def kept() -> int:
        with desk.sessions() as session:
            return session.scalar(select(func.count()).select_from(LapCurve)) or 0

    assert kept() == 32
    latest = history.history(desk.sessions, desk.actor).items[0]
    history.undo(desk.sessions, desk.actor, latest.id)
    assert "untold" not in str(desk.clinic()["missing"])
    sweep(desk.sessions, now() + timedelta(days=1))
    assert kept() == 0


def test_a_driver_sees_the_own_column_and_nobody_elses_name(desk: Desk) -> None:
    desk.drive(0.4, 4)
    desk.drive(0.0, 5, name="Corin Ashgrove", traces=False)
    with desk.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.public_id == desk.driver)).one()
    driver = add_person(desk.sessions, desk.actor, "Ysolde at home", "driver", key)
    assert [item["name"] for item in desk.team(driver)["drivers"]] == ["Ysolde Farrand"] and desk.team(driver)[
        "shared"
    ] == []
    assert {item["name"] for item in desk.team()["drivers"]} == {"Ysolde Farrand", "Corin Ashgrove"}
    assert "Corin" not in str(desk.clinic(driver))
    for ask in (
        lambda: desk.clinic(driver, desk.other),
        lambda: card.card_of_three(desk.sessions, driver, desk.combination, desk.other),
    ):
        with pytest.raises(NotThere):
            ask()


def test_a_mistake_of_half_the_team_is_offered_to_the_track_book(desk: Desk) -> None:
    desk.drive(0.4, 6)
    desk.drive(0.4, 7, name="Corin Ashgrove")
    [shared] = desk.team()["shared"]
    assert (shared["corner"], shared["kind"], shared["drivers"]) == ("T3", "early-brake", 2) and "track book" in shared[
        "words"
    ]


def test_an_exercise_is_judged_by_the_runs_that_follow(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.drive(0.4, 8)
    given_at = EVENING + timedelta(hours=12)
    monkeypatch.setattr(work, "now", lambda: given_at)
    given = work.assign(desk.sessions, desk.actor, desk.combination, desk.driver, "T3", "early-brake", "early-brake")
    with pytest.raises(Conflict):
        work.assign(desk.sessions, desk.actor, desk.combination, desk.driver, "T3", "early-brake", "early-brake")
    with pytest.raises(NotThere):
        work.assign(desk.sessions, desk.actor, desk.combination, desk.driver, "T3", "early-brake", "nothing")

    def stands() -> work.AssignmentView:
        [item] = work.assignments(desk.sessions, desk.actor, desk.combination, desk.driver)
        s.AssignmentOut.model_validate(item, from_attributes=True)
        return item

    assert stands().driven == 0 and not stands().passed and "Not driven yet" in stands().words
    desk.drive(0.05, 9, EVENING + timedelta(days=1))
    now = stands()
    assert now.driven > 20 and now.passed and now.words.endswith("passed.") and now.best >= 8
    assert now.rate_before is not None and now.rate_since is not None and now.rate_before > 0.25 > now.rate_since
    trend = found(desk.clinic())["T3", "early-brake"]["trend"]
    assert trend["falls"]
    assert card.card_of_three(desk.sessions, desk.actor, desk.combination, desk.driver).items[0].assigned is not None
    work.end_assignment(desk.sessions, desk.actor, given)
    with pytest.raises(Conflict):
        work.end_assignment(desk.sessions, desk.actor, given)
    assert stands().ended_at == given_at


def test_what_work_brought_is_told_and_feeds_what_more_of_it_is_worth(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk.drive(0.4, 8)
    assert work.what_helped(desk.sessions, desk.actor) == []
    before = card.card_of_three(desk.sessions, desk.actor, desk.combination, desk.driver).items[0]
    assert before.gain_words.endswith("as long as nothing is known of such work here.")
    monkeypatch.setattr(work, "now", lambda: EVENING + timedelta(hours=12))
    work.assign(desk.sessions, desk.actor, desk.combination, desk.driver, "T3", "early-brake", "early-brake")
    [waiting] = work.what_helped(desk.sessions, desk.actor)
    s.HelpedOut.model_validate(waiting, from_attributes=True)
    assert (waiting.given, waiting.judged, waiting.removed) == (1, 0, 0.5) and "Not judged" in waiting.words
    desk.drive(0.0, 9, EVENING + timedelta(days=1))
    [told] = work.what_helped(desk.sessions, desk.actor)
    assert (told.given, told.judged, told.passed) == (1, 1, 1) and told.removed > 0.6
    [one] = told.drivers
    assert (one.driver, one.corner, one.passed, one.rate_since) == ("Ysolde Farrand", "T3", True, 0.0)
    assert work.helped_by_kind(desk.sessions, desk.actor)["early-brake"].removed == told.removed
    assert work.helped_by_kind(desk.sessions, desk.actor)["spin"].removed == 0.5
    with desk.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.public_id == desk.other)).one()
    driver = add_person(desk.sessions, desk.actor, "Corin at home", "driver", key)
    assert [(item.given, item.drivers) for item in work.what_helped(desk.sessions, driver)] == [(1, ())], (
        "figures, but no names"
    )
    assert work.assignments(desk.sessions, driver, desk.combination) == []


def test_who_watches_says_where_it_began_and_that_counts(desk: Desk) -> None:
    desk.drive(0.0, 12, traces=False)
    with desk.sessions() as session:
        place = RunKey(session.scalars(select(PracticeSession.public_id)).one(), desk.driver, 1)
    for wrong in ({"corner": "T3", "cause_corner": "T2"}, {"corner": "T3", "kind": "wide-exit", "cause_corner": "T99"}):
        with pytest.raises(Refused):
            edit.add_remark(desk.sessions, desk.actor, place, 4, wrong)
    tag = {"corner": "T3", "kind": "wide-exit", "cause_corner": "T2", "text": "too fast over the crest"}
    made = edit.add_remark(desk.sessions, desk.actor, place, 4, tag)
    mistake = found(desk.clinic())["T2", "wide-exit"]
    [slip] = mistake["slips"]
    assert (slip["lap"], slip["at"], slip["source"], slip["remark"]) == (4, "T3", "person", "too fast over the crest")
    shown = sheet.run_sheet(desk.sessions, desk.actor, place)
    assert [item.words for item in shown.remarks] == ["T3 ran wide at the exit begun at T2: too fast over the crest"]
    edit.remove_remark(desk.sessions, desk.actor, made)
    assert ("T2", "wide-exit") not in found(desk.clinic())


def test_a_confirmed_reference_is_looked_at_before_and_after(desk: Desk) -> None:
    desk.drive(0.0, 13)
    with desk.sessions() as session:
        layout_id = session.scalars(select(Layout.public_id).where(Layout.team_id == desk.actor.team_id)).one()
    audited = {
        item.corner: item for item in audit.reference_audit(desk.sessions, desk.actor, desk.combination, desk.driver)
    }
    assert "T3" in audited and audited["T3"].confirmed_at is None and audited["T3"].before == 0
    assert audited["T3"].words.startswith("Braking for T3")
    corner = next(
        item.id for item in view.book(desk.sessions, desk.actor, layout_id, None).corners if item.code == "T3"
    )
    board = {"point": "braking", "kind": "board", "thing": "the post", "variant": "usual", "sure": "likely"}
    references.propose(desk.sessions, desk.actor, corner, board, confirmed=True)
    with desk.sessions.begin() as session:
        session.execute(
            update(ReferenceRow)
            .where(ReferenceRow.team_id == desk.actor.team_id)
            .values(settled_at=EVENING + timedelta(hours=12))
        )
    desk.drive(0.0, 14, EVENING + timedelta(days=1))
    now = {
        item.corner: item for item in audit.reference_audit(desk.sessions, desk.actor, desk.combination, desk.driver)
    }
    s.AuditedOut.model_validate(now["T3"], from_attributes=True)
    assert now["T3"].confirmed_at == EVENING + timedelta(hours=12) and min(now["T3"].before, now["T3"].after) >= 20
    assert "Before the reference was confirmed" in now["T3"].words
    assert all(item.before == 0 for code, item in now.items() if code != "T3")
    # A note changes nothing that is gone by; another place does.
    for told, begins_anew in (({**board, "note": "hard to see"}, False), ({**board, "offset_m": -8.0}, True)):
        row = next(
            item for item in view.book(desk.sessions, desk.actor, layout_id, None).references if item.point == "braking"
        )
        references.change_reference(desk.sessions, desk.actor, row.id, row.version, told)
        with desk.sessions() as session:
            at = session.scalars(
                select(ReferenceRow.settled_at).where(ReferenceRow.team_id == desk.actor.team_id)
            ).one()
        assert (at != EVENING + timedelta(hours=12)) is begins_anew
    with desk.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.public_id == desk.other)).one()
    driver = add_person(desk.sessions, desk.actor, "Corin at home", "driver", key)
    with pytest.raises(NotThere):
        audit.reference_audit(desk.sessions, driver, desk.combination, desk.driver)
    with pytest.raises(NotThere, match="no laps"):
        audit.reference_audit(desk.sessions, desk.actor, desk.combination, desk.other)


def test_what_people_said_of_passes_goes_where_the_laps_go(desk: Desk) -> None:
    desk.drive(0.0, 15, traces=False)
    with desk.sessions() as session:
        layout_id = session.scalars(select(Layout.public_id).where(Layout.team_id == desk.actor.team_id)).one()
        practice = session.scalars(select(PracticeSession.public_id)).one()
    say.correct(
        desk.sessions, desk.actor, RunKey(practice, desk.driver, 1), 4, "T3", {"remark": "watched", "kind": "kerb"}
    )
    edit.add_remark(desk.sessions, desk.actor, RunKey(practice, desk.driver, 1), 4, {"corner": "T3", "kind": "kerb"})
    other = combinations.add_combination(desk.sessions, desk.actor, layout_id, "Another car").id
    moves.move_runs(desk.sessions, desk.actor, practice, [], combination_id=other)
    told = orjson.loads(clinic.driver_clinic(desk.sessions, desk.actor, other, desk.driver)[0])
    [slip] = found(told)["T3", "kerb"]["slips"]
    assert slip["corrected"] and slip["remark"] == "watched"


def test_what_laps_did_in_a_part_is_read_from_their_traces(desk: Desk) -> None:
    desk.drive(0.0, 16)
    with desk.sessions() as session:
        practice = session.scalars(select(PracticeSession.public_id)).one()
    keys = [f"{practice}:{desk.driver}:1:{lap}" for lap in (3, 4)]
    found = passes.passes(desk.sessions, desk.actor, desk.combination, keys, "T3")
    assert [item.key for item in found] == keys
    for item in found:
        assert item.slowest_kmh is not None and 20 < item.slowest_kmh < 250
        assert item.brake_onset_m is not None and item.pick_up_m is not None and item.pick_up_m > item.brake_onset_m
    for wrong, error in (([], Refused), (keys * 20, Refused), ([f"{practice}:{desk.driver}:1:99"], NotThere)):
        with pytest.raises(error):
            passes.passes(desk.sessions, desk.actor, desk.combination, wrong, "T3")
    with pytest.raises(NotThere, match="no part"):
        passes.passes(desk.sessions, desk.actor, desk.combination, keys, "T99")


def test_on_another_layout_only_what_still_makes_sense_goes_along(desk: Desk) -> None:
    desk.drive(0.0, 17, traces=False)
    with desk.sessions() as session:
        practice = session.scalars(select(PracticeSession.public_id)).one()
    key = RunKey(practice, desk.driver, 1)
    edit.add_remark(desk.sessions, desk.actor, key, 4, {"corner": "T3", "kind": "kerb", "cause_corner": "T2"})
    edit.add_remark(desk.sessions, desk.actor, key, 5, {"corner": "T1", "kind": "kerb"})
    say.correct(desk.sessions, desk.actor, key, 6, "T3", {"kind": "spin"})
    say.correct(desk.sessions, desk.actor, key, 7, "T1", {"kind": "spin", "cause_corner": "T3"})
    short = replace(desk.track, layout="Short", corners=desk.track.corners[:1])
    other = combinations.add_combination(
        desk.sessions, desk.actor, tracks.add_track(desk.sessions, desk.actor, write_track(short)).id, desk.car.name
    ).id
    done = moves.move_runs(desk.sessions, desk.actor, practice, [], combination_id=other)
    assert done.parts_lost == done.laps > 20
    with desk.sessions() as session:
        said = {row.corner: row for row in session.scalars(select(CorrectionRow))}
        remarks = [(row.corner, row.cause_corner) for row in session.scalars(select(Remark).order_by(Remark.id))]
    assert set(said) == {"T1"} and said["T1"].cause_corner is None, "there is no T3 any more"
    assert remarks == [(None, None), ("T1", None)]
    history.undo(desk.sessions, desk.actor)
    with desk.sessions() as session:
        assert {(row.corner, row.cause_corner) for row in session.scalars(select(CorrectionRow))} == {
            ("T3", None),
            ("T1", "T3"),
        }
        assert [(row.corner, row.cause_corner) for row in session.scalars(select(Remark).order_by(Remark.id))] == [
            ("T3", "T2"),
            ("T1", None),
        ]


def test_the_library_is_the_teams_own(sessions: Sessions, manager: Actor) -> None:
    shipped = {item.code: item for item in catalogue.exercises(sessions, manager)}
    assert len(shipped) == 17 and all(item.version == 0 and item.work for item in shipped.values())
    one = shipped["late-throttle"]
    values: dict[str, Any] = {
        "kind": one.kind,
        "title": "Foot down",
        "work": "Foot down by the post.",
        "of_passes": 5,
        "good_passes": 4,
    }
    changed = catalogue.change_exercise(sessions, manager, one.code, 0, values)
    assert changed.shipped and changed.version == 1 and changed.mark.startswith("4 of 5")
    with pytest.raises(Outdated):
        catalogue.change_exercise(sessions, manager, one.code, 0, values)
    catalogue.change_exercise(sessions, manager, "own-1", 0, {**values, "kind": "kerb", "title": "Ours"})
    assert {"own-1", "kerb"} <= {item.code for item in catalogue.exercises(sessions, manager) if item.kind == "kerb"}
    refused: list[Callable[[], Any]] = [
        lambda: catalogue.change_exercise(sessions, manager, "own-2", 0, {**values, "good_passes": 6}),
        lambda: catalogue.change_exercise(sessions, manager, "own-2", 0, {**values, "work": " "}),
        lambda: catalogue.change_exercise(sessions, manager, "own-2", 0, {**values, "kind": "nonsense"}),
        lambda: catalogue.change_exercise(sessions, manager, "spin", 0, {**values, "kind": "kerb"}),
    ]
    for act in refused:
        with pytest.raises(Refused):
            act()
    with pytest.raises(Outdated):
        catalogue.remove_exercise(sessions, manager, one.code, 7)
    catalogue.remove_exercise(sessions, manager, one.code, 1)
    catalogue.remove_exercise(sessions, manager, "own-1", 1)
    assert {item.code: item for item in catalogue.exercises(sessions, manager)} == shipped
    with pytest.raises(NotThere):
        catalogue.remove_exercise(sessions, manager, "own-1", 1)
