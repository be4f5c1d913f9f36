"""What rigs send: written down at once, never doubled, in any order the same; and who is seen driving."""

import random
from dataclasses import replace
from datetime import timedelta
from typing import Any

import numpy as np
import orjson
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.season.targets import Target
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import (
    Combination,
    Driver,
    FeedEntry,
    Lap,
    PracticeSession,
    Run,
    StandingRow,
    TraceFile,
    TraceRow,
)
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.drive import feed, feed_taking, files, importing, watching
from fleet_rival.services.drive.brief import brief
from fleet_rival.services.drive.feed import Line
from fleet_rival.services.drive.runs import declare, edit
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.people import rigs, sign_in
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history, trace_files
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.shared.trace_files import load_traces
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, entries, profiles, series
from fleet_rival.simulator.league import rig_driver
from fleet_rival.simulator.rig import Wishes, _lines, _session
from fleet_rival.simulator.stints import drive_stint, road_of
from fleet_rival.telemetry.store import store
from tests.conftest import DATA, manager_of

Sessions = sessionmaker[Session]


AS_DECLARED: dict[str, Any] = dict.fromkeys(
    ("purpose", "setup", "tyre_set", "tyre_age", "compound", "fuel_l", "energy_kwh")
)
CONTEXT = {
    "purpose": "build",
    "tyre_set": "7-1",
    "compound": "cinder",
    "tyre_age": 2.0,
    "fuel_l": 30.0,
    "watch": ["hands quiet"],
}


class Cellar:
    """A rig of a team that prepares one combination, and a run that it drives."""

    def __init__(self, sessions: Sessions, team: str = "Farhaven Racing", name: str = "Maren Holloway") -> None:
        self.sessions = sessions
        self.manager = manager_of(sessions, team, name)
        content = (DATA / "oval-102" / "oval-a-102.track.json").read_bytes()
        layout = tracks.add_track(sessions, self.manager, content)
        self.layout = layout.id
        self.combination = combinations.add_combination(sessions, self.manager, layout.id, "Cinder Truck")
        self.driver = profiles.add_driver(sessions, self.manager, "Ysolde Farrand").id
        found = sign_in.rig(sessions, rigs.make_rig_token(sessions, self.manager, "Cellar")[1])
        assert found is not None
        self.rig: Actor = found
        read = read_track(content)
        car, model = rig_driver("Ysolde Farrand", "Cinder Truck", read, 5)
        told = {"conditions": {}, "declared": None}
        # It begins after whatever a test declares.
        self.plan = _session(told, Wishes(laps=4), now() + timedelta(hours=1))
        self.driven = list(
            drive_stint(model, road_of(read), car, read, self.plan, 0, 1, self.plan.starts_at, np.random.default_rng(3))
        )
        self.head = {
            "track": read.name,
            "layout": read.layout,
            "car": "Cinder Truck",
            "driver": "Ysolde Farrand",
            "session": "live",
            "session_local": None,
        }
        self.sent = [
            Line(
                line["key"], line["kind"], {name: value for name, value in line.items() if name not in ("key", "kind")}
            )
            for number, item in enumerate(self.driven)
            for line in _lines(
                replace(item, lap=replace(item.lap, **AS_DECLARED)), self.head, number, self.plan.starts_at, 20.0
            )
        ]

    def take(self, lines: list[Line], at_once: int = 7) -> None:
        for start in range(0, len(lines), at_once):
            feed.accept(self.sessions, self.rig, lines[start : start + at_once])
            while feed.take(self.sessions):
                pass

    def result(self) -> list[Any]:
        """Everything that is known of the laps, as it would be told."""
        with self.sessions() as session:
            laps = session.scalars(select(Lap).order_by(Lap.run, Lap.number)).all()
            traces = {row.lap_id: row for row in session.scalars(select(TraceRow))}
            left_out = {"id", "session_id", "change_set_id", "version", "team_id", "combination_id"}
            out: list[Any] = []
            for lap in laps:
                plain = {
                    column.name: getattr(lap, column.name)
                    for column in Lap.__table__.columns
                    if column.name not in left_out
                }
                trace = traces.get(lap.id)
                out.append((plain, (trace.samples, trace.crossings, trace.stretches) if trace else None))
            return out

    def forget(self) -> None:
        with self.sessions.begin() as session:
            for table in (TraceRow, TraceFile, Run, Lap, FeedEntry):
                session.execute(delete(table))


@pytest.fixture
def cellar(sessions: Sessions) -> Cellar:
    return Cellar(sessions)


def test_lines_are_written_down_once_and_taken_once(cellar: Cellar) -> None:
    assert feed.accept(cellar.sessions, cellar.rig, cellar.sent) == feed.Accepted(len(cellar.sent), 0)
    assert feed.accept(cellar.sessions, cellar.rig, cellar.sent) == feed.Accepted(0, len(cellar.sent))
    while feed.take(cellar.sessions):
        pass
    once = cellar.result()
    assert len(once) == 6 and all(trace for _, trace in once)
    assert (
        once[2][0]["segments"] == cellar.driven[2].lap.segments
        and once[2][0]["time_us"] == cellar.driven[2].lap.time_us
    )
    feed.accept(cellar.sessions, cellar.rig, cellar.sent)
    assert feed.take(cellar.sessions) == 0 and cellar.result() == once
    with cellar.sessions() as session:
        assert {entry.state for entry in session.scalars(select(FeedEntry))} == {"taken"}
        [(_, trace)] = list(
            load_traces(session, cellar.rig.team_id, [session.scalars(select(Lap.id).where(Lap.number == 3)).one()])
        )
    assert len(trace) == len(cellar.driven[2].driven.samples(20.0)["time_s"])


@settings(max_examples=6, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(0, 10_000), st.sampled_from([1, 3, 100]))
def test_any_order_with_repetitions_gives_the_same(cellar: Cellar, seed: int, at_once: int) -> None:
    cellar.forget()
    declare.declare(cellar.sessions, cellar.manager, cellar.combination.id, cellar.driver, {**CONTEXT}, [])
    cellar.take(cellar.sent)
    wanted = cellar.result()
    assert [(lap["tyre_age"], lap["fuel_l"]) for lap, _ in wanted] == [
        (2, 30),
        *((age, None) for age in (3, 4, 5, 6, 7)),
    ]
    cellar.forget()
    declare.declare(cellar.sessions, cellar.manager, cellar.combination.id, cellar.driver, {**CONTEXT}, [])
    shuffled = [*cellar.sent, *cellar.sent[::2]]
    random.Random(seed).shuffle(shuffled)
    cellar.take(shuffled, at_once)
    assert cellar.result() == wanted


def test_what_cant_be_taken_is_kept_with_the_reason_until_it_can(cellar: Cellar) -> None:
    lap = next(line for line in cellar.sent if line.kind == "lap")
    stranger = Line("lap.stranger", "lap", {**lap.content, "driver": "Brannoc Tull"})
    strange = Line(
        "lap.strange-part", "lap", {**lap.content, "lap": {**lap.content["lap"], "lap": 40, "segments": {"T99": 5}}}
    )
    cellar.take([lap, strange, stranger])
    assert len(cellar.result()) == 1  # one line among others that can't be doesn't keep them
    told = {item.reason: (item.rig, item.lines) for item in feed.troubles(cellar.sessions, cellar.manager)}
    assert {reason.split(" ", 1)[0] for reason in told} == {"The", "Lap"} and set(told.values()) == {("Cellar", 1)}
    profiles.add_driver(cellar.sessions, cellar.manager, "Brannoc Tull")
    assert feed.take_again(cellar.sessions, cellar.manager) == 2
    while feed.take(cellar.sessions):
        pass
    assert [item.reason for item in feed.troubles(cellar.sessions, cellar.manager)] == [
        reason for reason in told if "T99" in reason
    ]
    assert len(cellar.result()) == 2


def test_one_bad_line_is_kept_with_its_reason_and_stops_neither_the_next_nor_another_team(
    sessions: Sessions, cellar: Cellar
) -> None:
    """Lines that were written down before the border knew better, or that meet an error of our own."""
    other = Cellar(sessions, "Elsewhere", "Somebody Else")
    bad = next(line for line in cellar.sent if line.kind == "lap")
    bad.content["lap"]["started_at"] = "0001-01-01T00:00:00+14:00"
    odd = Line(
        "odd",
        "lap",
        {"lap": {"lap": 1, "run": 1}, **{name: {} for name in ("track", "layout", "car", "driver", "session")}},
    )
    feed.accept(sessions, cellar.rig, [odd])
    feed.accept(sessions, cellar.rig, cellar.sent)
    with sessions.begin() as session:
        session.execute(update(FeedEntry).where(FeedEntry.entry_key == "odd").values(content=b"no JSON"))
    feed.accept(sessions, other.rig, other.sent)
    while feed.take(sessions):
        pass
    with sessions() as session:
        laps = dict(session.execute(select(Lap.team_id, func.count()).group_by(Lap.team_id)).tuples().all())
        refused = dict(
            session.execute(select(FeedEntry.entry_key, FeedEntry.reason).where(FeedEntry.state == "refused"))
            .tuples()
            .all()
        )
    assert laps == {cellar.manager.team_id: len(cellar.driven) - 1, other.manager.team_id: len(other.driven)}
    assert set(refused) == {"odd", bad.key} and all(refused.values())
    assert {trouble.lines for trouble in feed.troubles(sessions, cellar.manager)} == {1}
    assert not feed.troubles(sessions, other.manager)


def test_samples_wait_for_their_lap_and_go_and_come_back_with_it(cellar: Cellar) -> None:
    samples = [line for line in cellar.sent if line.kind == "samples"]
    cellar.take(samples)
    assert cellar.result() == []
    cellar.take([line for line in cellar.sent if line.kind == "lap"])
    whole = cellar.result()
    assert len(whole) == 6 and all(trace for _, trace in whole)
    [act] = [item for item in history.history(cellar.sessions, cellar.manager).items if item.rig == "Cellar"]
    history.undo(cellar.sessions, cellar.manager, act.id)
    assert cellar.result() == []
    history.redo(cellar.sessions, cellar.manager, act.id)
    assert cellar.result() == whole


def test_samples_alone_make_neither_a_session_nor_a_file(cellar: Cellar) -> None:
    before = store().traces()
    cellar.take([line for line in cellar.sent if line.kind == "samples"])
    with cellar.sessions() as session:
        assert session.scalars(select(PracticeSession)).all() == [] == session.scalars(select(TraceFile)).all()
    assert store().traces() == before and feed.troubles(cellar.sessions, cellar.manager) == []


def test_samples_of_another_lap_are_told_and_change_nothing(cellar: Cellar) -> None:
    lap = next(line for line in cellar.sent if line.kind == "lap" and line.content["lap"]["lap"] == 3)
    slower = {**lap.content["lap"], "time_us": lap.content["lap"]["time_us"] + 700_000, "sectors": {}, "segments": {}}
    before = store().traces()
    cellar.take(
        [
            lap._replace(content={**lap.content, "lap": slower}),
            *(line for line in cellar.sent if line.kind == "samples"),
        ]
    )
    [trouble] = feed.troubles(cellar.sessions, cellar.manager)
    assert trouble.reason == (
        "Samples of Ysolde Farrand in session live, lap 3: its lap took another time, so it is of another lap and "
        "isn't used."
    )
    assert store().traces() == before and [trace for _, trace in cellar.result()] == [None]


def test_samples_whose_lap_doesnt_come_are_told_and_used_when_it_does(
    cellar: Cellar, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(feed_taking, "_LAP_COMES_WITHIN", timedelta(0))
    cellar.take([line for line in cellar.sent if line.kind == "samples"])
    [trouble] = feed.troubles(cellar.sessions, cellar.manager)
    assert trouble.lines == len(cellar.sent) - 6 and trouble.reason.endswith("are there, and their laps aren't.")
    cellar.take([line for line in cellar.sent if line.kind == "lap"])
    assert feed.troubles(cellar.sessions, cellar.manager) == [] and all(trace for _, trace in cellar.result())


def test_what_was_taken_long_ago_is_forgotten_and_a_lap_that_waits_never_is(cellar: Cellar) -> None:
    cellar.take(cellar.sent)
    whole = cellar.result()
    lap = next(line for line in cellar.sent if line.kind == "lap")
    samples = next(line for line in cellar.sent if line.kind == "samples")
    waiting = {"session": "later", "run": 9}
    feed.accept(cellar.sessions, cellar.rig, [Line("lap.waits-for-long", "lap", {**lap.content, "session": "later"})])
    feed.accept(cellar.sessions, cellar.rig, [Line("samples.wait-for-long", "samples", {**samples.content, **waiting})])
    trace_files.sweep(cellar.sessions, now() + timedelta(days=29))
    with cellar.sessions() as session:
        assert len(session.scalars(select(FeedEntry.id)).all()) == len(cellar.sent) + 2
    trace_files.sweep(cellar.sessions, now() + timedelta(days=31))
    with cellar.sessions() as session:
        assert session.scalars(select(FeedEntry.entry_key)).all() == ["lap.waits-for-long"]
    assert cellar.result() == whole


def test_full_is_full(cellar: Cellar, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(feed, "MOST_WAITING", 3)
    assert not feed.is_full(cellar.sessions, cellar.rig)
    feed.accept(cellar.sessions, cellar.rig, cellar.sent[:3])
    assert feed.is_full(cellar.sessions, cellar.rig)


def test_each_drivers_run_is_seen_against_its_purpose(cellar: Cellar) -> None:
    sessions, manager = cellar.sessions, cellar.manager
    declare.declare(sessions, manager, cellar.combination.id, cellar.driver, {**CONTEXT}, [])
    [waiting] = watching.driving_now(sessions, manager).waiting
    assert (waiting.driver, waiting.purpose) == ("Ysolde Farrand", "build")
    briefed = brief(sessions, cellar.rig, "Ysolde Farrand")
    assert briefed.car == "Cinder Truck" and briefed.declared is not None and briefed.declared["fuel_l"] == 30.0
    assert orjson.loads(briefed.track)["name"] == cellar.head["track"]
    cellar.take([line for line in cellar.sent if line.kind == "lap"])
    view = watching.driving_now(sessions, manager)
    [run] = view.runs
    assert view.waiting == () and run.declared and run.purpose == "build" and run.watch == ("hands quiet",)
    assert [lap.number for lap in run.laps] == [1, 2, 3, 4, 5, 6] and run.best_us == min(
        item.lap.time_us for item in cellar.driven[1:5]
    )
    assert run.mark["kind"] == "none" and "No target" in run.mark_words
    best = run.best_us
    assert best is not None
    version = combinations.combination(sessions, manager, cellar.combination.id).version
    combinations.set_target(
        sessions, manager, cellar.combination.id, version, Target("time", time_us=best + 1), None, (None, None)
    )
    [run] = watching.driving_now(sessions, manager).runs
    assert run.mark["met"] and "reached" in run.mark_words
    with pytest.raises(NotThere, match="no driver called Nobody"):
        brief(sessions, cellar.rig, "Nobody")


def test_what_counts_live_is_what_counts_everywhere(cellar: Cellar) -> None:
    declare.declare(cellar.sessions, cellar.manager, cellar.combination.id, cellar.driver, {**CONTEXT}, [])
    times = {item.lap.number: item.lap.time_us for item in cellar.driven}
    towed, struck, said, best = sorted((2, 3, 4, 5), key=lambda number: times[number])
    facts: dict[int, dict[str, Any]] = {towed: {"flags": ["tow:T2"]}, struck: {"strikes": ["T2"]}}
    laps = [line for line in cellar.sent if line.kind == "lap"]
    told = [
        line._replace(
            content={**line.content, "lap": {**line.content["lap"], **facts.get(line.content["lap"]["lap"], {})}}
        )
        for line in laps
    ]
    cellar.take(told[:-1])
    [run] = watching.driving_now(cellar.sessions, cellar.manager).runs
    assert (
        run.driving
        and run.best_us == times[said]
        and [lap.valid for lap in run.laps] == [lap.number != struck for lap in run.laps]
    )
    counted = {lap.number for lap in run.laps if lap.counts}
    assert not {1, towed, struck} & counted
    # Somebody says it while they drive: that one had a tow too.
    with cellar.sessions() as session:
        practice, driver = session.scalars(select(PracticeSession)).one(), session.scalars(select(Driver)).one()
        version = session.scalars(select(Lap.version).where(Lap.number == said)).one()
    key = RunKey(practice.public_id, driver.public_id, run.number)
    edit.say_of_marks(cellar.sessions, cellar.manager, key, {said: version}, {"tow": True})
    [after] = watching.driving_now(cellar.sessions, cellar.manager).runs
    assert after.best_us == times[best] and {lap.number for lap in after.laps if lap.counts} == counted - {said}
    # The in lap ends it.
    cellar.take(told[-1:])
    assert not watching.driving_now(cellar.sessions, cellar.manager).runs[0].driving


def test_a_driver_is_shown_the_own_run_alone(cellar: Cellar) -> None:
    other = profiles.add_driver(cellar.sessions, cellar.manager, "Brannoc Tull").id
    declare.declare(cellar.sessions, cellar.manager, cellar.combination.id, other, {**CONTEXT}, [])
    cellar.take([line for line in cellar.sent if line.kind == "lap"])
    with cellar.sessions() as session:
        keys = {row.name: row.id for row in session.scalars(select(Driver))}
    for name, seen in (("Ysolde Farrand", (1, 0)), ("Brannoc Tull", (0, 1))):
        person = add_person(cellar.sessions, cellar.manager, f"{name} at home", "driver", keys[name])
        view = watching.driving_now(cellar.sessions, person)
        assert (len(view.runs), len(view.waiting)) == seen
    everything = watching.driving_now(cellar.sessions, cellar.manager)
    assert (len(everything.runs), len(everything.waiting)) == (1, 1)


def test_the_ideal_of_the_week_that_runs_is_the_target(cellar: Cellar) -> None:
    sessions, manager = cellar.sessions, cellar.manager
    version = combinations.combination(sessions, manager, cellar.combination.id).version
    combinations.set_target(sessions, manager, cellar.combination.id, version, Target("ideal"), None, (None, None))
    cellar.take([line for line in cellar.sent if line.kind == "lap"])
    moment = now()

    def kept(since: timedelta, until: timedelta, ideal: int) -> None:
        with sessions.begin() as session:
            row = session.scalars(select(Combination)).one()
            stretch = {
                "since": moment + since,
                "until": moment + until,
                "laps": 6,
                "stamp": "x",
                "figures": [{"ideal_us": ideal}],
            }
            session.add(StandingRow(team_id=manager.team_id, combination_id=row.id, driver_id=None, **stretch))

    day = timedelta(days=1)
    kept(-9000 * day, 9000 * day, 20_300_000)
    assert watching.driving_now(sessions, manager).runs[0].target_us == 20_300_000
    kept(-10 * day, -3 * day, 20_100_000)
    assert watching.driving_now(sessions, manager).runs[0].target_us == 20_300_000, "that week is over"
    kept(-3 * day, 4 * day, 20_200_000)
    assert watching.driving_now(sessions, manager).runs[0].target_us == 20_200_000


def test_a_rig_is_briefed_with_the_run_else_the_week_else_the_last_place(cellar: Cellar) -> None:
    sessions, manager = cellar.sessions, cellar.manager
    with pytest.raises(NotThere, match="Declare a run first"):
        brief(sessions, cellar.rig, "Ysolde Farrand")
    other = combinations.add_combination(sessions, manager, cellar.layout, "Peat Coupe")
    content = b"driver,session,lap,time\nYsolde Farrand,1,1,20.7\n"
    file_id = files.upload(sessions, manager, other.id, "x.csv", content)
    importing.confirm(sessions, manager, file_id, importing.Wishes(other.revision))
    assert brief(sessions, cellar.rig, "Ysolde Farrand").car == "Peat Coupe"
    begins = now().date() - timedelta(days=1)
    cup = series.add_series(sessions, manager, "Cup")
    where = (cellar.head["track"], cellar.head["layout"])
    facts = SeriesWeek(
        "Cup",
        1,
        "UTC",
        begins,
        begins + timedelta(days=7),
        ("Cinder Truck",),
        *where,
        race_minutes=30.0,
        starts="at 18:00",
        wetness="damp",
    )
    entries.enter(sessions, manager, [series.add_week(sessions, manager, cup.id, facts).id], [cellar.driver], "want")
    found = brief(sessions, cellar.rig, "Ysolde Farrand")
    assert (found.car, found.declared, found.conditions["wetness"]) == ("Cinder Truck", None, "damp")
    declare.declare(sessions, manager, other.id, cellar.driver, {**CONTEXT, "purpose": "long"}, [])
    found = brief(sessions, cellar.rig, "Ysolde Farrand")
    assert found.car == "Peat Coupe" and found.declared is not None and found.declared["purpose"] == "long"


def test_keys_differ_for_whatever_differs_and_are_the_same_for_the_same(cellar: Cellar) -> None:
    long = "Ysolde Farrand of the Long Name that Goes On and On Beyond What a Key Can Hold"

    def keys(**changed: Any) -> set[str]:
        item = cellar.driven[1]
        head = {**cellar.head, **{name: value for name, value in changed.items() if name in cellar.head}}
        lap = replace(
            item.lap,
            driver=long,
            **{name: value for name, value in changed.items() if name not in cellar.head or name == "session"},
        )
        return {line["key"] for line in _lines(replace(item, lap=lap), head, 1, cellar.plan.starts_at, 20.0)}

    one = keys(session="evening 1")
    assert one == keys(session="evening 1") and all(len(key) <= 80 for key in one)
    for other in (
        keys(session="evening 2"),
        keys(session="evening 1", run=2),
        keys(session="evening 1", number=9),
        keys(session="evening 1", car="B"),
    ):
        assert not one & other
