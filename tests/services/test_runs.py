"""Runs: declared, collected by fingers and eyes, overruled, remarked on, answered, moved; nothing lost, and all of
it taken back.
"""

from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import select

from fleet_rival.clock import now
from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.runs.hand_timing import UNCALIBRATED
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Lap, Person, PracticeSession, Remark
from fleet_rival.services.drive import clips, files, importing, live, practice
from fleet_rival.services.drive.importing import Wishes
from fleet_rival.services.drive.runs import asked, declare, edit, fingers, moves, reactions, run_list, sheet
from fleet_rival.services.drive.runs.moves import WhichRun
from fleet_rival.services.drive.runs.places import RunKey, track_of
from fleet_rival.services.drive.runs.sheet import LapOnSheet, RunSheet
from fleet_rival.services.find import figures
from fleet_rival.services.people import members, rigs, sign_in
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Outdated, Refused
from fleet_rival.services.track import book, boundaries, layouts
from fleet_rival.services.week import cars, combinations
from tests.services.conftest import NOON, Season

TIMES = [90.0, 66.0, 65.5, 65.7, 65.6, 65.8, 65.55, 65.65]


@pytest.fixture
def place(season: Season) -> UUID:
    season.week(1)
    season.drive("Ysolde Farrand", NOON, TIMES)
    return season.combination()


@pytest.fixture
def driver(season: Season) -> Actor:
    with season.sessions() as session:
        own = session.scalar(select(Driver.id).where(Driver.name == "Ysolde Farrand"))
    return add_person(season.sessions, season.actor, "Ysolde Farrand", "driver", own)


def key_of(season: Season, place: UUID, index: int = 0, run: int = 0) -> RunKey:
    session = run_list.driven(season.sessions, season.actor, place).sessions[index]
    return RunKey(session.practice.id, session.runs[run].driver_id, session.runs[run].number)


def seen(season: Season, key: RunKey) -> RunSheet:
    return sheet.run_sheet(season.sessions, season.actor, key)


def lap_of(season: Season, key: RunKey, number: int) -> LapOnSheet:
    return next(lap for lap in seen(season, key).laps if lap.number == number)


def versions(season: Season, key: RunKey, *numbers: int) -> dict[int, int]:
    return {lap.number: lap.version for lap in seen(season, key).laps if lap.number in numbers}


def best(season: Season, name: str = "Ysolde Farrand") -> Any:
    return season.cell(name, season.board())["best_us"]


AHEAD: dict[str, Any] = {"corner": "T2", "kind": "wide-exit", "because": "traffic", "text": "the car ahead"}
CONTEXT: dict[str, Any] = {
    **{
        "purpose": "long",
        "tyre_set": "B",
        "compound": "hard",
        "tyre_age": 4.0,
        "fuel_l": 42.0,
        "setup": "v3",
        "official": True,
    },
    **{"options": "T2 = third gear", "watch": ["brake at the board", " "], "settings": {"Bias": "54"}},
}


class TestDeclaring:
    def test_the_last_run_is_the_template_and_its_tyres_are_older(self, season: Season) -> None:
        season.week(1)
        season.drive("Ysolde Farrand", now() - timedelta(days=1), TIMES)
        place, ysolde = season.combination(), season.drivers["Ysolde Farrand"]
        made = declare.declare(season.sessions, season.actor, place, ysolde, CONTEXT, ["limiter"])
        ticked = {item["key"]: item["done"] for item in made.checks}
        assert (ticked["limiter"], ticked["tyre_set"]) == (True, False), "what was skipped stays with the run"
        lane = fingers.begin(season.sessions, season.actor, place, ysolde)
        key = RunKey(lane.session_id, ysolde, lane.run)
        for number, line in enumerate(("65400", "65.3", "5.6"), 1):
            fingers.type_lap(season.sessions, season.actor, key, number, line)
        shown = seen(season, key)
        assert (shown.declared, shown.run.id, shown.run.context["watch"]) == (True, made.id, ["brake at the board"])
        assert [(lap.compound, lap.tyre_age, lap.fuel_l, lap.options, lap.purpose) for lap in shown.laps] == [
            ("hard", 4.0, 42.0, "T2=third-gear", "long"),
            ("hard", 5.0, None, "T2=third-gear", "long"),
            ("hard", 6.0, None, "T2=third-gear", "long"),
        ]
        begins = declare.template(season.sessions, season.actor, place, ysolde)
        assert (begins.context["tyre_age"], begins.context["setup"], begins.context["settings"]) == (
            7.0,
            "v3",
            {"Bias": "54"},
        )
        asked_for = [
            item.key
            for item in declare.checks(season.sessions, season.actor, place, ysolde, {**begins.context, "setup": "v4"})
        ]
        assert asked_for == ["limiter", "tyre_set", "setup", "official"], "only what changed, and what nothing can tell"

    def test_what_is_said_of_a_run_is_a_fact_of_its_laps_and_is_taken_back_whole(
        self, season: Season, place: UUID
    ) -> None:
        key = key_of(season, place)
        before = seen(season, key)
        assert (before.declared, before.run.id) == (False, None)
        made = declare.say_of_run(season.sessions, season.actor, key, CONTEXT)
        assert {lap.compound for lap in seen(season, key).laps} == {"hard"} and seen(season, key).declared
        with pytest.raises(Refused, match="declared already"):
            declare.say_of_run(season.sessions, season.actor, key, CONTEXT)
        changed = declare.change_run(
            season.sessions, season.actor, made.id, made.version, {**CONTEXT, "compound": "soft", "tyre_age": None}
        )
        assert {(lap.compound, lap.tyre_age) for lap in seen(season, key).laps} == {("soft", None)}
        with pytest.raises(Outdated):
            declare.change_run(season.sessions, season.actor, made.id, made.version, CONTEXT)
        assert changed.version == made.version + 1
        history.undo(season.sessions, season.actor)
        history.undo(season.sessions, season.actor)
        assert seen(season, key).run.id is None and {lap.compound for lap in seen(season, key).laps} == {None}

    def test_undeclared_laps_open_a_run_with_the_last_settings_to_be_confirmed(
        self, season: Season, place: UUID
    ) -> None:
        declare.say_of_run(season.sessions, season.actor, key_of(season, place), CONTEXT)
        season.drive("Ysolde Farrand", NOON + timedelta(hours=2), TIMES)
        key = key_of(season, place)
        shown = seen(season, key)
        assert not shown.declared and {"compound", "setup", "settings", "purpose"} <= set(shown.supposed)
        assert shown.laps[1].compound is None, "supposed is not said"
        declare.say_of_run(season.sessions, season.actor, key, shown.run.context)
        assert seen(season, key).supposed == () and seen(season, key).laps[1].compound == "hard"

    def test_a_rigs_laps_find_the_run_that_waits_for_them(self, season: Season, place: UUID) -> None:
        found = combinations.combination(season.sessions, season.actor, place)
        rig = sign_in.rig(season.sessions, rigs.make_rig_token(season.sessions, season.actor, "Cellar")[1])
        assert rig is not None
        made = declare.declare(season.sessions, season.actor, place, season.drivers["Ysolde Farrand"], CONTEXT, [])
        assert [item.id for item in run_list.driven(season.sessions, season.actor, place).waiting] == [made.id]
        whole = {
            "track": found.track,
            "layout": found.layout,
            "car": found.car,
            "driver": "Ysolde Farrand",
            "session": "live",
        }
        for number in (1, 2):
            laps = (
                CoreLap(
                    "Ysolde Farrand",
                    number,
                    65_000_000,
                    session="live",
                    run=7,
                    started_at=now() + timedelta(minutes=number),
                ),
            )
            live.deliver(season.sessions, rig, live.Delivery(**whole, laps=laps))  # type: ignore[arg-type]
        shown = seen(season, key_of(season, place, 1))
        assert (shown.run.id, shown.run.number) == (made.id, 7) and [lap.tyre_age for lap in shown.laps] == [4.0, 5.0]
        assert not run_list.driven(season.sessions, season.actor, place).waiting

    def test_a_file_finds_the_run_that_was_declared_before_it_began(self, season: Season, place: UUID) -> None:
        corin = season.drivers["Corin Ashgrove"]
        declare.declare(season.sessions, season.actor, place, corin, CONTEXT, [])
        season.drive("Corin Ashgrove", datetime(2020, 1, 1, 12, tzinfo=UTC), TIMES)
        assert run_list.driven(season.sessions, season.actor, place).waiting, "driven long before"
        season.drive("Corin Ashgrove", now() + timedelta(minutes=5), TIMES)
        waiting, shown = (
            run_list.driven(season.sessions, season.actor, place).waiting,
            seen(season, _last(season, place, "Corin Ashgrove")),
        )
        assert not waiting and shown.declared and shown.laps[3].compound == "hard" and shown.laps[3].tyre_age == 7.0

    def test_what_cannot_be_declared_is_refused(self, season: Season, place: UUID) -> None:
        too_many, nowhere, unknown = {"watch": list("abcd")}, {"options": "T99 = x"}, {"company": "alone"}
        for wrong, words in ((too_many, "at most 3"), (nowhere, "no corner T99"), (unknown, "none that there is")):
            with pytest.raises(Refused, match=words):
                declare.declare(
                    season.sessions, season.actor, place, season.drivers["Ysolde Farrand"], {**CONTEXT, **wrong}, []
                )


def _last(season: Season, place: UUID, name: str) -> RunKey:
    with season.sessions() as session:
        lap, label = session.execute(
            select(Lap, PracticeSession.public_id)
            .join(PracticeSession, PracticeSession.id == Lap.session_id)
            .join(Driver, Driver.id == Lap.driver_id)
            .where(Driver.name == name)
            .order_by(Lap.started_at.desc())
            .limit(1)
        ).one()
    return RunKey(label, season.drivers[name], lap.run)


class TestFingers:
    def test_laps_are_typed_mended_and_never_doubled(self, season: Season, place: UUID) -> None:
        lane = fingers.begin(season.sessions, season.actor, place, season.drivers["Corin Ashgrove"])
        assert (lane.run, lane.next_number, lane.expected_us) == (1, 1, 65_650_000), "completed from anybody's last lap"
        key = RunKey(lane.session_id, lane.driver_id, lane.run)
        first = fingers.type_lap(season.sessions, season.actor, key, 1, "5.9 t")
        assert (first.time_us, first.words) == (65_900_000, "traffic")
        again = fingers.type_lap(season.sessions, season.actor, key, 1, "65.9")
        assert again.number == 1, "sent twice over a broken line"
        with pytest.raises(Conflict, match="Lap 1 of this run is"):
            fingers.type_lap(season.sessions, season.actor, key, 1, "66.3")
        with pytest.raises(Refused, match="not a mark"):
            fingers.type_lap(season.sessions, season.actor, key, 2, "65.9 q")
        mended = fingers.mend_typed(season.sessions, season.actor, key, 1, first.version, "66012 v")
        assert (mended.time_us, mended.valid, mended.words) == (66_012_000, False, "void")
        with pytest.raises(Outdated):
            fingers.mend_typed(season.sessions, season.actor, key, 1, first.version, "66013")
        fingers.type_lap(season.sessions, season.actor, key, 2, "66.2")
        assert fingers.begin(season.sessions, season.actor, place, lane.driver_id).next_number == 3
        assert fingers.begin(season.sessions, season.actor, place, lane.driver_id, new_run=True).run == 2
        history.undo(season.sessions, season.actor, None)  # the mending
        history.undo(season.sessions, season.actor, None)  # all laps that were typed
        assert not any(
            line.runs and line.runs[0].driver == "Corin Ashgrove"
            for line in run_list.driven(season.sessions, season.actor, place).sessions
        )

    def test_guests_laps_are_for_comparison_and_in_no_figure_of_the_team(self, season: Season, place: UUID) -> None:
        lane = fingers.begin(season.sessions, season.actor, place, None, "Wanda Rook")
        assert lane.guest
        fingers.type_lap(season.sessions, season.actor, RunKey(lane.session_id, lane.driver_id, lane.run), 1, "60.1")
        assert fingers.begin(season.sessions, season.actor, place, None, "Wanda Rook").driver_id == lane.driver_id
        assert best(season) == 65_500_000 and "Wanda Rook" not in {row["name"] for row in season.board()["drivers"]}
        body = figures.summary(season.sessions, season.actor, place)[0].decode()
        assert '"guest":true' in body
        with pytest.raises(Refused, match="driver of the team"):
            fingers.begin(season.sessions, season.actor, place, None, "Corin Ashgrove")
        with pytest.raises(Refused, match="name a guest"):
            fingers.begin(season.sessions, season.actor, place, None, None)

    def test_a_driver_made_a_guest_counts_for_nobody(self, season: Season, place: UUID) -> None:
        row = next(item for item in members.drivers(season.sessions, season.actor) if item.name == "Ysolde Farrand")
        members.change_driver(season.sessions, season.actor, row.id, row.version, row.name, True)
        with season.sessions() as session:
            combination = session.scalars(select(Combination)).one()
            laps = [item.lap for item in laps_of(session, season.actor.team_id, combination.id, as_said=True)]
            assert (
                analyse(track_of(session, combination), laps).drivers["Ysolde Farrand"].guest
                and combination.public_id == place
            )

    def test_laps_timed_by_hand_carry_how_far_they_may_be_off(self, season: Season, place: UUID) -> None:
        assert reactions.reaction(season.sessions, season.actor).plus_minus_us == UNCALIBRATED.plus_minus_us
        shown = clips.clip(season.sessions, season.actor, place, 3)
        truths = [crossing.at_us for crossing in shown.crossings]
        assert (
            clips.clip(season.sessions, season.actor, place, 3)
            == shown
            != clips.clip(season.sessions, season.actor, place, 4)
        )
        with pytest.raises(Refused, match="6 are needed"):
            reactions.remember_reaction(season.sessions, season.actor, truths, truths[:3])
        measured = reactions.remember_reaction(
            season.sessions, season.actor, truths, [at + 150_000 + (at % 7) * 3000 for at in truths]
        )
        assert 150_000 <= measured.offset_us <= 170_000 and 0 < measured.plus_minus_us < 40_000
        lane = fingers.begin(season.sessions, season.actor, place, season.drivers["Corin Ashgrove"])
        key = RunKey(lane.session_id, lane.driver_id, lane.run)
        presses: list[int | None] = [0, *(None for _ in lane.sectors[1:]), 64_000_000]
        kept = fingers.time_lap(season.sessions, season.actor, key, 1, presses, now())
        assert (kept.time_us, kept.plus_minus_us, kept.sectors) == (64_000_000, measured.plus_minus_us, {})
        assert fingers.time_lap(season.sessions, season.actor, key, 1, presses, now()) == kept
        with pytest.raises(Conflict):
            fingers.time_lap(season.sessions, season.actor, key, 1, [0, 65_000_000], now())
        with pytest.raises(Refused):
            fingers.time_lap(season.sessions, season.actor, key, 2, [5, 5], now())
        exported = files.export_laps(season.sessions, season.actor, place).decode()
        assert f",{measured.plus_minus_us / 1000:g}," in exported


class TestTheLastWord:
    def test_the_list_of_runs_says_what_the_sheet_says(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)

        def listed() -> int | None:
            return run_list.driven(season.sessions, season.actor, place).sessions[0].runs[0].best_us

        assert listed() == best(season) == 65_500_000
        edit.say_of_marks(season.sessions, season.actor, key, versions(season, key, 3), {"tow": True})
        assert listed() == best(season) == 65_550_000
        edit.change_laps(season.sessions, season.actor, key, versions(season, key, 7), {"valid": False})
        assert listed() == best(season) == 65_600_000
        edit.turn_laps(season.sessions, season.actor, key, versions(season, key, 7))
        assert listed() == best(season) == 65_550_000, "somebody said that it counts after all"

    def test_one_key_turns_whether_a_lap_counts_and_figures_follow(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        assert best(season) == 65_500_000 and lap_of(season, key, 3).counts
        edit.say_of_marks(season.sessions, season.actor, key, versions(season, key, 3), {"tow": True})
        shown = lap_of(season, key, 3)
        assert (shown.counts, [(mark["mark"], mark["by"]) for mark in shown.marks]) == (False, [("tow", "person")])
        assert best(season) == 65_550_000
        edit.turn_laps(season.sessions, season.actor, key, versions(season, key, 3))
        assert lap_of(season, key, 3).counts and best(season) == 65_500_000
        edit.turn_laps(season.sessions, season.actor, key, versions(season, key, 2, 3))
        assert [lap_of(season, key, number).counts for number in (2, 3)] == [True, False], (
            "the cold lap counts, the other is set aside"
        )
        assert (
            lap_of(season, key, 2).overruled[0]["mark"] == "cold"
            and "somebody said" in lap_of(season, key, 3).why.lower()
        )
        with pytest.raises(Outdated):
            edit.turn_laps(season.sessions, season.actor, key, {3: 1})
        with pytest.raises(NotThere):
            edit.turn_laps(season.sessions, season.actor, key, {99: 1})
        with pytest.raises(Refused):
            edit.say_of_marks(season.sessions, season.actor, key, versions(season, key, 3), {"damage": True})

    def test_what_people_said_is_no_difference_to_a_longer_version_of_the_file(
        self, season: Season, place: UUID
    ) -> None:
        key = key_of(season, place)
        edit.turn_laps(season.sessions, season.actor, key, versions(season, key, 4))
        edit.add_remark(season.sessions, season.actor, key, 5, AHEAD)
        content = files.export_laps(season.sessions, season.actor, place)
        lines = content.decode().splitlines()
        header = lines[0].split(",")
        plain = [
            ",".join("" if name == "mistakes" else cell for name, cell in zip(header, line.split(","), strict=True))
            for line in lines
        ]
        longer = [
            *plain,
            plain[-1]
            .replace(",8,1:05.650", ",9,1:05.444")
            .replace(plain[-1].split(",")[header.index("started_at")], "2031-04-09T13:30:00Z"),
        ]
        file_id = files.upload(season.sessions, season.actor, place, "longer.csv", "\n".join(longer).encode())
        shown = files.preview(season.sessions, season.actor, file_id)
        assert isinstance(shown, files.Preview)
        assert (shown.new, shown.same, shown.different_count) == (1, 8, 0)
        importing.confirm(season.sessions, season.actor, file_id, Wishes(shown.revision))
        assert not lap_of(season, key, 4).counts and best(season) == 65_444_000

    def test_facts_of_many_laps_are_written_at_once(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        some = versions(season, key, 3, 4, 5)
        edit.change_laps(
            season.sessions,
            season.actor,
            key,
            some,
            {"compound": " soft ", "tyre_age": 2.0, "flags": ["+traffic"], "wetness": "damp"},
        )
        assert [(lap.compound, lap.tyre_age, lap.wetness) for lap in seen(season, key).laps if lap.number in some] == [
            ("soft", 2.0, "damp"),
            ("soft", 3.0, "damp"),
            ("soft", 4.0, "damp"),
        ]
        edit.change_laps(
            season.sessions,
            season.actor,
            key,
            versions(season, key, 3),
            {"time_us": 65_000_000, "flags": ["-traffic"], "wetness": "dry", "compound": None},
        )
        assert (lap_of(season, key, 3).time_us, best(season)) == (65_000_000, 65_000_000)
        for wrong in (
            {"time_us": 1},
            {"flags": ["+fast"]},
            {"flags": ["+traffic:T9"]},
            {"flags": ["+boost:T2"]},
            {"kind": "slow"},
        ):
            with pytest.raises(Refused):
                edit.change_laps(season.sessions, season.actor, key, versions(season, key, 4, 5), wrong)

    def test_a_remark_turns_a_slip_into_traffic_and_goes_with_its_lap(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        made = edit.add_remark(
            season.sessions,
            season.actor,
            key,
            5,
            {"corner": "T2", "kind": "wide-exit", "because": "traffic", "text": "the car ahead"},
        )
        shown = seen(season, key)
        assert [(item.lap, item.words) for item in shown.remarks] == [
            (5, "T2 ran wide at the exit because of others: the car ahead")
        ]
        [mark] = lap_of(season, key, 5).marks
        assert (mark["mark"], mark["name"]) == ("in_part", "traffic at T2") and not lap_of(season, key, 5).counts
        assert lap_of(season, key, 5).why.startswith("Traffic at T2, somebody said so: traffic, a yellow flag")
        # The same cause without a place, and in another one: each goes by itself.
        whole = edit.add_remark(season.sessions, season.actor, key, 5, {"because": "traffic"})
        other = edit.add_remark(season.sessions, season.actor, key, 5, {"corner": "T3", "because": "traffic"})
        assert {item["mark"] for item in lap_of(season, key, 5).marks} == {"in_part", "traffic"}
        edit.remove_remark(season.sessions, season.actor, whole)
        assert [item["name"] for item in lap_of(season, key, 5).marks] == ["traffic at T2, traffic at T3"]
        edit.remove_remark(season.sessions, season.actor, other)
        assert [item["name"] for item in lap_of(season, key, 5).marks] == ["traffic at T2"]
        # What the lap's source says stays, whatever is remarked and taken away.
        edit.change_laps(season.sessions, season.actor, key, versions(season, key, 5), {"flags": ["+traffic:T2"]})
        assert lap_of(season, key, 5).marks[0]["by"] == "fact"
        again = edit.add_remark(season.sessions, season.actor, key, 5, {"corner": "T2", "because": "traffic"})
        edit.remove_remark(season.sessions, season.actor, again)
        assert [item["name"] for item in lap_of(season, key, 5).marks] == ["traffic at T2"]
        edit.change_laps(season.sessions, season.actor, key, versions(season, key, 5), {"flags": ["-traffic:T2"]})
        edit.add_remark(season.sessions, season.actor, key, 6, {"corner": "T1", "kind": "spin"})
        edit.add_remark(season.sessions, season.actor, key, 7, {"corner": "T3", "kind": "limits"})
        assert lap_of(season, key, 6).incidents == ("spin:T1",) and lap_of(season, key, 7).strikes == ("T3",)
        edit.remove_remark(season.sessions, season.actor, made)
        assert lap_of(season, key, 5).counts
        nowhere, unknown, strange = {"kind": "spin"}, {"kind": "slow", "corner": "T1"}, {"corner": "T9", "kind": "spin"}
        for wrong, words in (
            ({}, "Say what happened"),
            (nowhere, "in which corner"),
            (unknown, "not a mistake"),
            (strange, "no corner T9"),
        ):
            with pytest.raises(Refused, match=words):
                edit.add_remark(season.sessions, season.actor, key, 5, wrong)
        first = history.history(season.sessions, season.actor).items
        imported = next(item for item in first if item.action == "laps.import")
        with pytest.raises(Conflict, match="changed since"):
            history.undo(season.sessions, season.actor, imported.id)

    def test_taking_laps_back_takes_what_was_said_of_them_and_brings_it_again(
        self, season: Season, place: UUID
    ) -> None:
        key = key_of(season, place)
        edit.add_remark(season.sessions, season.actor, key, 6, {"corner": "T1", "kind": "spin"})
        imported = next(
            item for item in history.history(season.sessions, season.actor).items if item.action == "laps.import"
        )
        history.undo(season.sessions, season.actor, imported.id)
        with season.sessions() as session:
            assert session.scalars(select(Remark)).all() == []
        history.redo(season.sessions, season.actor, imported.id)
        assert [item.words for item in seen(season, key).remarks] == ["T1 spun"]

    def test_how_it_felt_and_what_was_measured_stay_with_the_run(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        reading = {
            "when": "after lap 8",
            "how": "garage",
            "tread_pct": {"front_left": 82.5},
            "hot_pressure_kpa": {"front_left": 171.0},
            "fuel_left_l": 12.0,
        }
        feel = {
            "handling": {"slow": {"entry": -2}, "fast": {"exit": 3}, "small_lift": "abrupt"},
            "readings": [reading],
            "note": " nervous ",
        }
        edit.write_feel(season.sessions, season.actor, key, 0, feel)
        run = seen(season, key).run
        assert (
            run.handling["fast"]["exit"] == 3
            and run.readings[0]["tread_pct"]["front_left"] == 82.5
            and run.note == "nervous"
        )
        with pytest.raises(Outdated):
            edit.write_feel(season.sessions, season.actor, key, 0, feel)
        for wrong in (
            {"handling": {"slow": {"entry": -4}}},
            {"readings": [{"tread_pct": {"front_left": 130}}]},
            {"handling": {"small_lift": "odd"}},
        ):
            with pytest.raises(Refused):
                edit.write_feel(season.sessions, season.actor, key, run.version, {**feel, **wrong})

    def test_what_changed_since_the_run_before_is_listed_and_several_at_once_are_told(
        self, season: Season, place: UUID
    ) -> None:
        declare.say_of_run(season.sessions, season.actor, key_of(season, place), CONTEXT)
        season.drive("Ysolde Farrand", NOON + timedelta(hours=2), TIMES)
        key = key_of(season, place)
        declare.say_of_run(
            season.sessions, season.actor, key, {**CONTEXT, "setup": "v4", "settings": {"Bias": "55"}, "fuel_l": 30.0}
        )
        shown = seen(season, key)
        assert tuple(in_units(words, DEFAULTS) for words in shown.changes) == (
            "fuel 42 l → 30 l",
            "setup v3 → v4",
            "Bias 54 → 55",
        )
        assert shown.together is not None and shown.together.startswith("2 things were changed at once")
        assert shown.before == key_of(season, place, 1) and shown.after is None


class TestQuestions:
    def test_damage_is_asked_about_and_what_is_answered_is_a_fact(self, season: Season) -> None:
        season.week(1)
        times = [90.0, 66.0, *([65.5, 65.6] * 3), *([66.4, 66.5] * 3)]
        season.drive("Ysolde Farrand", NOON, times)
        place = season.combination()
        key = key_of(season, place)
        assert asked.asked_laps(season.sessions, season.actor, place) == []
        edit.add_remark(season.sessions, season.actor, key, 8, {"corner": "T2", "kind": "contact"})
        found = asked.asked_laps(season.sessions, season.actor, place)
        assert [(item.kind, item.lap, item.corner) for item in found] == [("damage", 8, "T2")] and "slower by" in found[
            0
        ].words
        asked.answer(season.sessions, season.actor, key, 8, "damage", "damage", None)
        assert asked.asked_laps(season.sessions, season.actor, place) == []
        assert [lap.counts for lap in seen(season, key).laps if lap.number > 8] == [False] * 6
        for wrong in (("damage", "spin"), ("what", "damage")):
            with pytest.raises(Refused):
                asked.answer(season.sessions, season.actor, key, 8, *wrong, None)

    def test_a_driver_answers_for_the_own_laps_alone(self, season: Season, place: UUID, driver: Actor) -> None:
        season.drive("Corin Ashgrove", NOON, TIMES)
        foreign = _last(season, place, "Corin Ashgrove")
        calls = (
            lambda key: sheet.run_sheet(season.sessions, driver, key),
            lambda key: fingers.type_lap(season.sessions, driver, key, 20, "65.1"),
            lambda key: edit.turn_laps(season.sessions, driver, key, {3: 1}),
            lambda key: edit.add_remark(season.sessions, driver, key, 3, {"text": "x"}),
            lambda key: asked.answer(season.sessions, driver, key, 3, "tow", "record", None),
            lambda key: declare.say_of_run(season.sessions, driver, key, CONTEXT),
        )
        for call in calls:
            with pytest.raises(NotThere):
                call(foreign)
        assert sheet.run_sheet(season.sessions, driver, _last(season, place, "Ysolde Farrand")).laps
        assert {
            line.driver for item in run_list.driven(season.sessions, driver, place).sessions for line in item.runs
        } == {"Ysolde Farrand"}
        with pytest.raises(NotThere):
            declare.declare(season.sessions, driver, place, season.drivers["Corin Ashgrove"], CONTEXT, [])
        with pytest.raises(Refused, match="manager or a coach"):
            fingers.begin(season.sessions, driver, place, None, "Wanda Rook")


class TestSessions:
    def test_two_sessions_become_one_and_come_apart_again(self, season: Season, place: UUID) -> None:
        declare.say_of_run(season.sessions, season.actor, key_of(season, place), CONTEXT)
        season.drive("Ysolde Farrand", NOON + timedelta(hours=2), TIMES)
        season.drive("Corin Ashgrove", NOON + timedelta(hours=2), TIMES)
        into, other = (item.practice.id for item in run_list.driven(season.sessions, season.actor, place).sessions)
        done = moves.merge_sessions(season.sessions, season.actor, into, other)
        assert done.laps == 8
        merged = run_list.driven(season.sessions, season.actor, place).sessions
        assert [sorted((run.driver, run.number) for run in item.runs) for item in merged] == [
            [("Corin Ashgrove", 1), ("Ysolde Farrand", 1), ("Ysolde Farrand", 2)]
        ]
        moved = RunKey(into, season.drivers["Ysolde Farrand"], 2)
        assert seen(season, moved).run.context["setup"] == "v3", "what was declared of it went with it"
        parted = moves.split_session(season.sessions, season.actor, into, [WhichRun(moved.driver_id, 2)], "evening")
        assert (parted.session, parted.laps) == ("evening", 8)
        with pytest.raises(Refused, match="all runs"):
            moves.split_session(season.sessions, season.actor, parted.session_id, [WhichRun(moved.driver_id, 2)], None)
        with pytest.raises(NotThere):
            moves.split_session(season.sessions, season.actor, into, [WhichRun(moved.driver_id, 9)], None)
        for _ in range(2):
            history.undo(season.sessions, season.actor)
        assert {item.practice.id for item in run_list.driven(season.sessions, season.actor, place).sessions} == {
            into,
            other,
        }

    def test_runs_move_to_whom_and_where_they_belong_and_figures_follow(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        edit.add_remark(season.sessions, season.actor, key, 5, {"corner": "T2", "kind": "late-brake"})
        done = moves.move_runs(
            season.sessions, season.actor, key.session_id, [], driver_id=season.drivers["Corin Ashgrove"]
        )
        assert (
            (done.laps, done.session_id) == (8, key.session_id)
            and best(season, "Corin Ashgrove") == 65_500_000
            and best(season) is None
        )
        layout = combinations.combination(season.sessions, season.actor, place).layout_id
        other = combinations.add_combination(season.sessions, season.actor, layout, "Truck B")
        key = RunKey(key.session_id, season.drivers["Corin Ashgrove"], 1)
        done = moves.move_runs(
            season.sessions, season.actor, key.session_id, [WhichRun(key.driver_id, 1)], combination_id=other.id
        )
        assert (done.combination_id, done.parts_lost) == (other.id, 0)
        there = sheet.run_sheet(season.sessions, season.actor, RunKey(done.session_id, key.driver_id, 1))
        assert len(there.laps) == 8 and [item.words for item in there.remarks] == ["T2 braked too late"]
        with pytest.raises(Refused, match="there already"):
            moves.move_runs(season.sessions, season.actor, done.session_id, [], combination_id=other.id)
        for _ in range(3):
            history.undo(season.sessions, season.actor)
        assert best(season) == 65_500_000

    def test_weather_within_a_session_parts_its_laps(self, season: Season, place: UUID) -> None:
        found = practice.practices(season.sessions, season.actor, place)[0]
        values = {"session_local": None, "air_temp_c": None, "track_temp_c": None, "wetness": None}
        changes = [{"minute": 0, "wetness": "dry"}, {"minute": 5, "wetness": "wet"}]
        done = practice.change_practice(
            season.sessions, season.actor, found.id, found.version, {**values, "weather": changes, "label": "evening"}
        )
        assert (done.label, len(done.weather)) == ("evening", 2)
        assert [lap.wetness for lap in seen(season, key_of(season, place)).laps] == ["dry"] * 5 + ["wet"] * 3
        with pytest.raises(Refused, match="can't have been so"):
            practice.change_practice(
                season.sessions, season.actor, found.id, done.version, {**values, "weather": changes[::-1]}
            )
        season.drive("Corin Ashgrove", NOON + timedelta(days=1), TIMES)
        with pytest.raises(Conflict, match="called evening already"):
            other = practice.practices(season.sessions, season.actor, place)[0]
            practice.change_practice(
                season.sessions, season.actor, other.id, other.version, {**values, "label": "evening"}
            )


def test_reactions_are_each_persons_own(season: Season, driver: Actor) -> None:
    with season.sessions() as session:
        assert session.get_one(Person, driver.person_id).reaction is None
    truths = [round(at * 1_000_000) for at in range(3, 43, 4)]
    reactions.remember_reaction(season.sessions, driver, truths, [at + 100_000 for at in truths])
    assert (
        reactions.reaction(season.sessions, driver).presses == 10
        and reactions.reaction(season.sessions, season.actor).presses == 0
    )


def test_a_driver_adds_own_laps_under_another_name_and_nobody_elses(season: Season, place: UUID, driver: Actor) -> None:
    content = b"driver,session,lap,time\nY. Farrand,late,1,65.1\nStranger,late,1,64.9\n"
    file_id = files.upload(season.sessions, driver, place, "mine.csv", content)
    files.say_how(season.sessions, driver, file_id, None, {"Y. Farrand": season.drivers["Ysolde Farrand"]})
    shown = files.preview(season.sessions, driver, file_id)
    assert isinstance(shown, files.Preview) and shown.unknown_drivers == ("Stranger",)
    done = importing.confirm(season.sessions, driver, file_id, Wishes(shown.revision, guests=frozenset({"Stranger"})))
    assert (done.added, done.left_out, done.drivers_added) == (1, 1, ())
    with pytest.raises(Refused, match="ask a manager or coach"):
        files.upload(
            season.sessions, driver, place, "theirs.csv", b"driver,session,lap,time\nCorin Ashgrove,late,1,65.1\n"
        )
    again = files.upload(season.sessions, driver, place, "mine.csv", content)
    files.say_how(season.sessions, driver, again, None, {"Stranger": season.drivers["Corin Ashgrove"]})
    look = files.preview(season.sessions, driver, again)
    assert isinstance(look, files.Preview) and look.problem is not None and "Corin Ashgrove" in look.problem


class TestWhatIsSaidStays:
    """Declared, felt, remarked: it follows the laps wherever they or their corners go, and says no more than
    somebody said.
    """

    def test_a_longer_version_of_the_file_finds_the_run_as_it_was_declared(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        declare.say_of_run(season.sessions, season.actor, key, CONTEXT)
        label = seen(season, key).practice.label
        rows = [f"Ysolde Farrand,{label},1,{number},{65 + number / 100:.3f}" for number in (9, 10)]
        content = "\n".join(["driver,session,run,lap,time", *rows]).encode()
        file_id = files.upload(season.sessions, season.actor, place, "longer.csv", content)
        shown = files.preview(season.sessions, season.actor, file_id)
        assert isinstance(shown, files.Preview) and shown.new == 2
        importing.confirm(season.sessions, season.actor, file_id, Wishes(shown.revision))
        told = [(lap.number, lap.compound, lap.tyre_age, lap.fuel_l) for lap in seen(season, key).laps[-2:]]
        assert told == [(9, "hard", 12.0, None), (10, "hard", 13.0, None)]
        assert len({lap.compound for lap in seen(season, key).laps}) == 1, "one group, not two"

    def test_how_it_felt_does_not_say_what_it_was(self, season: Season, place: UUID) -> None:
        declare.say_of_run(season.sessions, season.actor, key_of(season, place), CONTEXT)
        season.drive("Ysolde Farrand", NOON + timedelta(hours=2), TIMES)
        key = key_of(season, place)
        edit.write_feel(
            season.sessions, season.actor, key, 0, {"handling": {"slow": {"entry": 1}}, "readings": [], "note": None}
        )
        shown = seen(season, key)
        assert not shown.declared and "compound" in shown.supposed and shown.run.handling["slow"]["entry"] == 1
        lines = [
            item
            for item in run_list.driven(season.sessions, season.actor, place).sessions
            if item.practice.id == key.session_id
        ]
        assert [run.declared for item in lines for run in item.runs] == [False]
        assert shown.run.id is not None
        declare.change_run(season.sessions, season.actor, shown.run.id, shown.run.version, shown.run.context)
        again = seen(season, key)
        assert again.declared and again.supposed == () and {lap.compound for lap in again.laps} == {"hard"}
        assert again.run.handling["slow"]["entry"] == 1, "and how it felt is still there"

    def test_remarks_and_options_follow_corners_that_are_renamed_and_come_back(
        self, season: Season, place: UUID
    ) -> None:
        key = key_of(season, place)
        declare.say_of_run(season.sessions, season.actor, key, CONTEXT)
        edit.add_remark(season.sessions, season.actor, key, 5, {"corner": "T2", "kind": "spin"})
        layout_id = combinations.combination(season.sessions, season.actor, place).layout_id
        view = book.book(season.sessions, season.actor, layout_id)
        drafts = [
            boundaries.DraftCorner(
                item.id, Corner("Kiln" if item.code == "T2" else item.code, item.start_m, item.apex_m, item.end_m)
            )
            for item in view.corners
        ]
        sectors = [Sector(**item) for item in view.sectors]
        boundaries.change_boundaries(season.sessions, season.actor, layout_id, view.version, sectors, drafts)
        shown = seen(season, key)
        assert [item.corner for item in shown.remarks] == ["Kiln"] and shown.run.context[
            "options"
        ] == "Kiln = third gear"
        assert (
            lap_of(season, key, 5).incidents == ("spin:Kiln",) and lap_of(season, key, 5).options == "Kiln=third-gear"
        )
        history.undo(season.sessions, season.actor)
        assert [item.corner for item in seen(season, key).remarks] == ["T2"] and lap_of(season, key, 5).incidents == (
            "spin:T2",
        )

    def test_on_another_layout_laps_keep_their_time_and_an_undo_brings_the_rest_back(
        self, season: Season, place: UUID
    ) -> None:
        key = key_of(season, place)
        edit.change_laps(season.sessions, season.actor, key, versions(season, key, 4), {"note": "kept"})
        edit.add_remark(
            season.sessions, season.actor, key, 4, {"corner": "T4", "kind": "slide", "text": "on the paint"}
        )
        layout = Track(
            "Quernholm", "Short", "street", 900.0, (Sector("S1", 0.0),), (Corner("T1", 100.0, 150.0, 200.0),)
        )
        other = combinations.add_combination(
            season.sessions, season.actor, layouts.draw_up(season.sessions, season.actor, layout), "Truck A"
        )
        before = seen(season, key)
        done = moves.move_runs(season.sessions, season.actor, key.session_id, [], combination_id=other.id)
        there = sheet.run_sheet(season.sessions, season.actor, RunKey(done.session_id, key.driver_id, 1))
        assert [lap.time_us for lap in there.laps] == [lap.time_us for lap in before.laps] and there.laps[
            3
        ].note == "kept"
        assert [(item.corner, item.text) for item in there.remarks] == [(None, "on the paint")] and there.laps[
            3
        ].incidents == ()
        history.undo(season.sessions, season.actor)
        back = seen(season, key)
        assert [(item.corner, item.kind) for item in back.remarks] == [("T4", "slide")] and back.laps[3].incidents == (
            "slide:T4",
        )
        assert [lap.time_us for lap in back.laps] == [lap.time_us for lap in before.laps]

    def test_guests_are_asked_nothing_and_use_nothing_up(self, season: Season, place: UUID) -> None:
        seen_before = combinations.combination(season.sessions, season.actor, place)
        combinations.change_combination(
            season.sessions, season.actor, place, seen_before.version, None, {"solo_floor_s": 65.52}
        )
        assert [item.driver for item in asked.asked_laps(season.sessions, season.actor, place)] == ["Ysolde Farrand"]
        row = next(item for item in members.drivers(season.sessions, season.actor) if item.name == "Ysolde Farrand")
        members.change_driver(season.sessions, season.actor, row.id, row.version, row.name, True)
        assert asked.asked_laps(season.sessions, season.actor, place) == []
        season.board()
        car = next(item.id for item in cars.cars(season.sessions, season.actor) if item.name == "Truck A")
        assert cars.car(season.sessions, season.actor, car).consumption == ()

    def test_forgetting_a_declaration_leaves_its_laps_and_is_taken_back(self, season: Season, place: UUID) -> None:
        key = key_of(season, place)
        made = declare.say_of_run(season.sessions, season.actor, key, CONTEXT)
        assert made.id is not None
        declare.remove_run(season.sessions, season.actor, made.id)
        assert seen(season, key).run.id is None and {lap.compound for lap in seen(season, key).laps} == {"hard"}
        history.undo(season.sessions, season.actor)
        assert seen(season, key).run.id == made.id
        with pytest.raises(NotThere):
            declare.remove_run(season.sessions, season.actor, UUID(int=1))

    def test_a_declaration_waits_half_a_day_and_no_longer(
        self, season: Season, place: UUID, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        declare.declare(season.sessions, season.actor, place, season.drivers["Corin Ashgrove"], CONTEXT, [])
        later = now() + declare._WAITING + timedelta(minutes=1)
        monkeypatch.setattr(declare, "now", lambda: later)
        assert run_list.driven(season.sessions, season.actor, place).waiting == ()
        lane = fingers.begin(season.sessions, season.actor, place, season.drivers["Corin Ashgrove"])
        kept = fingers.type_lap(
            season.sessions, season.actor, RunKey(lane.session_id, lane.driver_id, lane.run), 1, "65.1"
        )
        assert kept.number == 1 and lane.run_id is None


class TestMergingRuns:
    """However sessions are put together and taken apart: no lap is lost, none is there twice, and undo brings back
    what was.
    """

    def all_laps(self, season: Season, place: UUID) -> list[tuple[str, str, int, int, int]]:
        found = []
        for line in run_list.driven(season.sessions, season.actor, place).sessions:
            for run in line.runs:
                shown = seen(season, RunKey(line.practice.id, run.driver_id, run.number))
                found += [(line.practice.label, run.driver, run.number, lap.number, lap.time_us) for lap in shown.laps]
        return sorted(found)

    def test_no_lap_is_lost_by_any_of_it(self, season: Season, place: UUID) -> None:
        for hours, name in ((1, "Ysolde Farrand"), (2, "Corin Ashgrove"), (3, "Ysolde Farrand")):
            season.drive(name, NOON + timedelta(hours=hours), [90.0, 66.0 + hours, 65.0 + hours])
        before = self.all_laps(season, place)
        times = sorted(lap[4] for lap in before)
        ids = [line.practice.id for line in run_list.driven(season.sessions, season.actor, place).sessions]
        ysolde, corin = season.drivers["Ysolde Farrand"], season.drivers["Corin Ashgrove"]
        acts = [
            lambda: moves.merge_sessions(season.sessions, season.actor, ids[0], ids[1]),
            lambda: moves.merge_sessions(season.sessions, season.actor, ids[0], ids[2]),
            lambda: moves.move_runs(season.sessions, season.actor, ids[0], [WhichRun(corin, 1)], driver_id=ysolde),
            lambda: moves.split_session(season.sessions, season.actor, ids[0], [WhichRun(ysolde, 2)], "apart"),
            lambda: moves.move_runs(season.sessions, season.actor, ids[0], [], driver_id=corin),
            lambda: moves.merge_sessions(season.sessions, season.actor, ids[3], ids[0]),
        ]
        for act in acts:
            act()
            now = self.all_laps(season, place)
            assert sorted(lap[4] for lap in now) == times
            assert len({lap[:4] for lap in now}) == len(now), "each lap has a place of its own"
        for _ in acts:
            history.undo(season.sessions, season.actor)
        assert self.all_laps(season, place) == before
        with pytest.raises(Refused, match="the same session"):
            moves.merge_sessions(season.sessions, season.actor, ids[0], ids[0])
