"""The board: figures of the week alone, gaps that follow each change, needs that go when they are met, and few
queries.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import orjson
import pytest
from sqlalchemy import event, insert, select

from fleet_rival.api import schemas
from fleet_rival.core.season.targets import Benchmark, Target
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import BoardVisit, Combination, Driver, Entry, Lap, SeriesWeekRow
from fleet_rival.services import board
from fleet_rival.services.board import answer
from fleet_rival.services.drive import practice
from fleet_rival.services.drive.runs import asked
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.find import knowledge, standing
from fleet_rival.services.find.overview import fresh
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.last_backup import note_ended
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.track import book
from fleet_rival.services.week import combinations, entries, profiles
from tests.services.conftest import MONDAY, NOON, Season

LAPS = [90, 70, 66.0, 65.5, 65.8, 65.6, 65.9, 65.7]


def at(day: int, hour: int = 18, month: int = 4) -> datetime:
    return datetime(2031, month, day, hour, tzinfo=UTC)


def enter(season: Season, *weeks: UUID) -> None:
    entries.enter(season.sessions, season.actor, weeks, list(season.drivers.values()), "want")


def test_a_backup_that_is_not_made_needs_the_manager_alone_until_one_is(
    season: Season, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FLEET_VAR", str(tmp_path))
    season.week(1)
    assert season.board()["backup"] is None
    note_ended(tmp_path, "The disk is full.", at(8))
    note_ended(tmp_path, "The disk is full.", at(8, 19))
    told = schemas.BoardOut.model_validate(season.board()).backup
    assert told is not None
    assert (told.trouble, told.failures, told.again_at) == ("The disk is full.", 2, at(8, 19) + timedelta(minutes=10))
    coach = Actor(season.actor.team_id, season.actor.person_id, "coach")
    assert (
        orjson.loads(board.board(season.sessions, coach, None, ZoneInfo("UTC"), lambda: at(8, 21)).body)["backup"]
        is None
    )
    note_ended(tmp_path, None, at(8, 20))
    assert season.board()["backup"] is None


def test_gaps_follow_the_target_and_each_lap(season: Season) -> None:
    made = season.week(1)
    enter(season, made.id)
    shown = season.board()
    assert schemas.BoardOut.model_validate(shown)
    assert season.cell("Ysolde Farrand", shown)["gap_us"] is None
    season.drive("Ysolde Farrand", at(8), LAPS)
    _target(season, Target("time", time_us=65_000_000))
    cell = season.cell("Ysolde Farrand", season.board())
    assert (cell["best_us"], cell["gap_us"], cell["laps"], cell["clean"]) == (65_500_000, 500_000, 8, 6)
    _target(season, Target("benchmark", per_cent=101), Benchmark(64_000_000, "A guest"))
    assert season.cell("Ysolde Farrand", season.board())["gap_us"] == 860_000
    season.drive("Ysolde Farrand", at(9, 8), [90, 70, 65.2, 65.3])
    cell = season.cell("Ysolde Farrand", season.board())
    assert (cell["best_us"], cell["gap_us"]) == (65_200_000, 560_000)
    assert cell["trend"] == {"laps": 10, "clean": 8, "gained_us": None}, (
        "all of it since yesterday: nothing to compare with"
    )
    assert season.cell("Ysolde Farrand", season.board(now=at(10, 12)))["trend"] == {
        "laps": 3,
        "clean": 2,
        "gained_us": 300_000,
    }
    history.undo(season.sessions, season.actor)
    assert season.cell("Ysolde Farrand", season.board())["best_us"] == 65_500_000
    _target(season, Target("ideal"))
    assert season.cell("Ysolde Farrand", season.board())["target_us"] is None, "lap times alone give no linked ideal"
    with pytest.raises(Refused, match="no benchmark"):
        _target(season, Target("benchmark"))


def _target(season: Season, target: Target, benchmark: Benchmark | None = None) -> None:
    seen = combinations.combination(season.sessions, season.actor, season.combination())
    combinations.set_target(season.sessions, season.actor, seen.id, seen.version, target, benchmark, (None, None))


def test_earlier_laps_stand_apart_from_the_weeks_own_and_come_back_as_knowledge(season: Season) -> None:
    first, again = season.week(1, note="Bumps at T2"), season.week(5)
    season.week(3, cars=("Truck B",))
    enter(season, first.id, again.id)
    season.drive("Ysolde Farrand", at(8), LAPS, track_temp_c=20)
    season.drive("Ysolde Farrand", at(22), [90, 70, 67, 67.5], car="Truck B", track_temp_c=40)
    then, later = season.board(), season.board(day=date(2031, 5, 6), now=at(6, 12, month=5))
    assert season.cell("Ysolde Farrand", then)["laps"] == 8
    cell = season.cell("Ysolde Farrand", later)
    assert (cell["laps"], cell["best_us"], cell["earlier"]) == (0, None, {"same": 8, "track": 4, "car": 0})
    season.drive("Ysolde Farrand", at(5, month=5), [90, 70, 66.6, 66.7])
    assert (
        season.cell("Ysolde Farrand", season.board(day=date(2031, 5, 6), now=at(6, 12, month=5)))["best_us"]
        == 66_600_000
    )
    assert season.cell("Ysolde Farrand", season.board(day=MONDAY, now=at(6, 13, month=5)))["best_us"] == 65_500_000
    known = knowledge.knowledge(season.sessions, season.actor, again.id)
    assert [
        (item.relation, item.car, item.weeks, item.notes, [(one.driver, one.laps, one.best_us) for one in item.laps])
        for item in known.items
    ] == [
        ("same", "Truck A", ("Cup, week 1",), ("Bumps at T2",), [("Ysolde Farrand", 8, 65_500_000)]),
        ("layout", "Truck B", ("Cup, week 3",), (), [("Ysolde Farrand", 4, 67_000_000)]),
    ]
    # What somebody says of a lap counts here too.
    with season.sessions.begin() as session:
        begin_change(session, season.actor, "lap.mark", "Said that a lap had a tow")
        session.scalars(select(Lap).where(Lap.time_us == 65_500_000)).one().said = {"tow": True}
        raise_revisions(
            session,
            season.actor.team_id,
            [session.scalars(select(Lap.combination_id).where(Lap.time_us == 65_500_000)).one()],
        )
    best = knowledge.knowledge(season.sessions, season.actor, again.id).items[0].laps[0].best_us
    assert best is not None and best > 65_500_000
    nobody = add_person(season.sessions, season.actor, "Somebody", "driver")
    assert not any(item.laps for item in knowledge.knowledge(season.sessions, nobody, again.id).items)


def test_the_series_turn_over_by_themselves_at_midnight_in_their_zone(season: Season) -> None:
    season.week(1, zone="America/Halifax")
    season.week(2, zone="America/Halifax")
    for moment, number in ((datetime(2031, 4, 14, 2, 59, tzinfo=UTC), 1), (datetime(2031, 4, 14, 3, 0, tzinfo=UTC), 2)):
        assert [column["number"] for column in season.board(now=moment)["columns"]] == [number]
    assert season.board(now=at(7, 12, month=3))["columns"] == []
    assert [column["state"] for column in season.board(now=at(2, 12))["columns"]] == ["coming"]


def test_needs_come_and_go(season: Season) -> None:
    made = season.week(1, starts="at 18:00 on thu", session_local=datetime(2031, 6, 1, 23, 0))
    assert [need["kind"] for need in season.board()["needs"]] == ["no_entries"]
    enter(season, made.id)
    _target(season, Target("time", time_us=65_000_000))
    told = season.board()["needs"]
    assert [(need["kind"], need["words"]) for need in told] == [
        ("no_laps", f"Corin Ashgrove and Ysolde Farrand have no laps at {season.track}, {season.layout} yet"),
        ("choose_start", "Corin Ashgrove and Ysolde Farrand have no start in Cup yet"),
    ]
    for name in season.drivers:
        season.drive(name, at(8), LAPS, session_local="2031-06-01T14:00")
    shown = season.board()
    assert [need["kind"] for need in shown["needs"]] == ["choose_start", "conditions"]
    assert shown["needs"][1]["differences"] == [
        {"what": "time_of_day", "practised": 840, "race": 1380, "by": 540, "matters": True}
    ]
    for row in practice.practices(season.sessions, season.actor, season.combination()):
        said = {
            "session_local": datetime(2031, 6, 1, 22, 30),
            "air_temp_c": None,
            "track_temp_c": None,
            "wetness": None,
        }
        practice.change_practice(season.sessions, season.actor, row.id, row.version, said)
    for row in season.board()["drivers"]:
        entry = row["cells"][0]["entry"]
        entries.change_entry(
            season.sessions, season.actor, UUID(entry["id"]), entry["version"], {"starts": [made.start_times[0]]}
        )
    assert season.board()["needs"] == []


def test_clashes_are_pointed_out_over_all_series_and_never_forbidden(season: Season) -> None:
    here, there = season.week(1, starts="at 18:00 20:00"), season.other_series("Trophy", 1, starts="at 18:15")
    enter(season, here.id, there.id)
    window = {"weekly": [{"days": [2, 3], "begins": "17:30", "ends": "19:00"}], "off": [], "extra": []}
    profiles.change_profile(
        season.sessions, season.actor, season.drivers["Ysolde Farrand"], 1, {"availability": window}
    )
    wednesday = {18: datetime(2031, 4, 9, 18, tzinfo=UTC), 20: datetime(2031, 4, 9, 20, tzinfo=UTC)}
    _choose(season, "Ysolde Farrand", 0, [wednesday[18], wednesday[20]])
    _choose(season, "Ysolde Farrand", 1, [datetime(2031, 4, 9, 18, 15, tzinfo=UTC)])
    shown = season.board()
    kinds = [
        [clash["kind"] for clash in season.cell("Ysolde Farrand", shown, column)["entry"]["clashes"]]
        for column in (0, 1)
    ]
    assert kinds == [["no_time", "two_starts"], ["two_starts"]]
    assert [item["kind"] for item in season.cell("Ysolde Farrand", shown)["open"]] == [
        "no_time",
        "two_starts",
        "no_laps",
    ]
    offered = board.start_choices(
        season.sessions, season.actor, UUID(season.cell("Ysolde Farrand", shown)["entry"]["id"])
    )
    fitting = [(item.in_time, item.busy) for item in offered if item.start.date() == date(2031, 4, 9)]
    assert fitting == [(True, True), (False, False)]
    rig = profiles.add_resource(season.sessions, season.actor, "Cellar rig", "rig")
    _choose(season, "Ysolde Farrand", 0, [wednesday[18]], resource_id=rig.id)
    _choose(season, "Corin Ashgrove", 1, [datetime(2031, 4, 9, 18, 15, tzinfo=UTC)], resource_id=rig.id)
    shown = season.board()
    assert "rig_taken" in [clash["kind"] for clash in season.cell("Corin Ashgrove", shown, 1)["entry"]["clashes"]]
    assert [need["kind"] for need in shown["needs"]][:2] == ["two_starts", "rig_taken"]
    assert shown["needs"][1]["words"] == "Ysolde Farrand and Corin Ashgrove want a rig that is taken at that time"


def _choose(season: Season, name: str, column: int, starts: list[datetime], **more: Any) -> None:
    entry = season.cell(name, season.board(), column)["entry"]
    entries.change_entry(season.sessions, season.actor, UUID(entry["id"]), entry["version"], {"starts": starts, **more})


def test_a_lap_beyond_the_solo_floor_is_asked_about_until_somebody_says_what_it_was(season: Season) -> None:
    made = season.week(1)
    enter(season, made.id)
    season.drive("Ysolde Farrand", at(8), [*LAPS, 64.0, 64.5])
    seen = combinations.combination(season.sessions, season.actor, season.combination())
    combinations.change_combination(season.sessions, season.actor, seen.id, seen.version, None, {"solo_floor_s": 65.0})
    assert season.cell("Ysolde Farrand", season.board())["best_us"] == 65_500_000, "taken for tow until then"
    need = next(item for item in season.board()["needs"] if item["kind"] == "ask_tow")
    assert need["words"].startswith("Ysolde Farrand lapped") and need["action"] == "Tow, or a record?"
    fast, slower = asked.asked_laps(season.sessions, season.actor, seen.id)
    assert (fast.time_us, slower.time_us) == (64_000_000, 64_500_000)

    def say(actor: Actor, lap: asked.AskedLap, what: str) -> None:
        asked.answer(season.sessions, actor, RunKey(lap.session_id, lap.driver_id, lap.run), lap.lap, "tow", what, None)

    say(season.actor, fast, "tow")
    say(season.actor, slower, "record")
    shown = season.board()
    assert season.cell("Ysolde Farrand", shown)["best_us"] == 64_500_000
    assert not any(item["kind"] == "ask_tow" for item in shown["needs"])
    history.undo(season.sessions, season.actor)
    assert season.cell("Ysolde Farrand", season.board())["best_us"] == 65_500_000
    other = add_person(season.sessions, season.actor, "Corin Ashgrove", "driver", _driver(season))
    assert asked.asked_laps(season.sessions, other, seen.id) == []
    with pytest.raises(NotThere):
        say(other, slower, "record")


def test_a_driver_sees_the_own_row_and_what_is_asked_of_them(season: Season) -> None:
    made = season.week(1)
    enter(season, made.id)
    for name in season.drivers:
        season.drive(name, at(8), LAPS)
    with season.sessions() as session:
        key = session.scalar(select(Driver.id).where(Driver.name == "Ysolde Farrand"))
    driver = add_person(season.sessions, season.actor, "Ysolde Farrand", "driver", key)
    shown = season.board(actor=driver)
    assert [row["name"] for row in shown["drivers"]] == ["Ysolde Farrand"]
    assert [need["words"] for need in shown["needs"]] == ["Choose your start in Cup"]
    assert shown["columns"][0]["best_us"] == 65_500_000


def test_figures_of_many_laps_are_made_in_the_background_and_marked_until_then(
    season: Season, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = season.week(1)
    enter(season, made.id)
    season.drive("Ysolde Farrand", at(8), LAPS)
    assert season.cell("Ysolde Farrand", season.board())["right"]
    monkeypatch.setattr(standing, "LARGE_FROM_LAPS", 5)
    season.drive("Ysolde Farrand", at(9, 8), [90, 70, 65.0])
    cell = season.cell("Ysolde Farrand", season.board())
    assert (_behind(season), cell["right"], cell["best_us"]) == ((season.combination(),), False, 65_500_000)
    fresh.catch_up(season.sessions, season.actor, MONDAY)
    cell = season.cell("Ysolde Farrand", season.board())
    assert (_behind(season), cell["right"], cell["best_us"]) == ((), True, 65_000_000)


def _behind(season: Season) -> tuple[UUID, ...]:
    return board.board(season.sessions, season.actor, None, ZoneInfo("UTC"), lambda: NOON).behind


def test_the_board_asks_the_database_as_often_for_forty_drivers_as_for_two(season: Season) -> None:
    enter(season, season.week(1).id, *(season.other_series(f"Series {number}", 1).id for number in range(5)))
    season.drive("Ysolde Farrand", at(8), LAPS)
    with counted(season) as few:
        season.board()
    with season.sessions.begin() as session:
        plain: Any = session.connection()
        names = [
            {"team_id": season.actor.team_id, "name": f"Driver {number:02}", "guest": False} for number in range(38)
        ]
        plain.execute(
            insert(Driver), [{**row, "assists": {}, "view": {}, "units": {}, "availability": {}} for row in names]
        )
        drivers = session.scalars(select(Driver.id)).all()
        weeks = session.scalars(select(SeriesWeekRow.id)).all()
        there = {(row.week_id, row.driver_id) for row in session.scalars(select(Entry))}
        keys = {"team_id": season.actor.team_id, "importance": "want", "starts": []}
        wanted = [(week_key, driver) for week_key in weeks for driver in drivers if (week_key, driver) not in there]
        plain.execute(
            insert(Entry), [{**keys, "week_id": week_key, "driver_id": driver} for week_key, driver in wanted]
        )
        lap = session.scalars(select(Lap).limit(1)).one()
        facts = {column.name: getattr(lap, column.name) for column in Lap.__table__.columns if column.name != "id"}
        plain.execute(
            insert(Lap),
            [{**facts, "driver_id": driver, "number": 100 + number} for driver in drivers for number in range(5)],
        )
        session.scalars(select(Combination)).one().revision += 1
        session.info["change_set"] = None
    with counted(season) as many:
        shown = season.board()
    assert len(shown["drivers"]) == 40 and all(len(row["cells"]) == 6 for row in shown["drivers"])
    assert len(many) == len(few) <= 46, many
    with counted(season) as again:
        season.board()
    assert len(again) == 1, "nothing changed: one look at the state"


@contextmanager
def counted(season: Season) -> Iterator[list[str]]:
    statements: list[str] = []

    def note(connection: Any, cursor: Any, statement: str, *_: Any) -> None:
        if not statement.startswith(("SAVEPOINT", "RELEASE")):
            statements.append(statement)

    engine = engine_of(season.sessions)
    event.listen(engine, "before_cursor_execute", note)
    try:
        yield statements
    finally:
        event.remove(engine, "before_cursor_execute", note)


def test_a_change_that_ends_after_a_later_one_is_seen_too(season: Season) -> None:
    """The stamp isn't the highest id alone: who began first may be through last."""
    made = season.week(1)
    season.board()
    before = answer._stamp(season.sessions, season.actor, MONDAY, ZoneInfo("UTC"), NOON)
    slow = season.sessions()
    with slow.begin():
        begin_change(slow, season.actor, "entry.add", "Slowly")
        slow.add(
            Entry(
                team_id=season.actor.team_id,
                week_id=_key(season, made.id),
                driver_id=_driver(season),
                importance="want",
                starts=[],
            )
        )
        season.other_series("Trophy", 1)
        between = answer._stamp(season.sessions, season.actor, MONDAY, ZoneInfo("UTC"), NOON)
    after = answer._stamp(season.sessions, season.actor, MONDAY, ZoneInfo("UTC"), NOON)
    assert len({before, between, after}) == 3


def _key(season: Season, public_id: UUID) -> int:
    with season.sessions() as session:
        return session.scalars(select(SeriesWeekRow.id).where(SeriesWeekRow.public_id == public_id)).one()


def _driver(season: Season) -> int:
    with season.sessions() as session:
        return session.scalars(select(Driver.id).limit(1)).one()


def test_what_changed_since_the_last_visit_is_known_when_somebody_comes_back(season: Season) -> None:
    assert board.visit(season.sessions, season.actor) is None
    assert board.visit(season.sessions, season.actor) is None, "the same visit goes on"
    with season.sessions.begin() as session:
        row = session.scalars(select(BoardVisit)).one()
        row.seen_at = left = row.seen_at - timedelta(hours=2)
    assert board.visit(season.sessions, season.actor) == left
    assert board.visit(season.sessions, season.actor) == left


def test_corners_without_a_reference_are_pointed_out_once_the_book_is_begun(season: Season) -> None:
    made = season.week(1)
    entries.enter(season.sessions, season.actor, [made.id], [season.drivers["Ysolde Farrand"]], "must")
    kinds = lambda: [need["kind"] for need in season.board()["needs"]]  # noqa: E731
    assert "no_references" not in kinds()
    layout = made.layout_id
    assert layout is not None
    codes = [corner.id for corner in book.book(season.sessions, season.actor, layout).corners]
    usual = {"point": "braking", "kind": "board", "thing": "board", "variant": "usual", "sure": "firm"}
    for corner in codes[:-1]:
        book.propose(season.sessions, season.actor, corner, usual, confirmed=True)
    need = next(item for item in season.board()["needs"] if item["kind"] == "no_references")
    assert need["layout_id"] == str(layout) and need["action"] == "Open the track book"
    last = book.propose(season.sessions, season.actor, codes[-1], usual)
    assert "no_references" in kinds()
    book.confirm(season.sessions, season.actor, last)
    assert "no_references" not in kinds()
