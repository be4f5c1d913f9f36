"""Importing laps: nothing half imported, nothing lost, nothing doubled, nothing overwritten unasked."""

import json
from typing import Any
from uuid import UUID, uuid4

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Change, ChangeSet, Combination, Driver, Lap, LapFileRow, PracticeSession
from fleet_rival.services.drive import files, importing, imports
from fleet_rival.services.drive.files import Preview
from fleet_rival.services.drive.importing import ImportResult, Wishes
from fleet_rival.services.find import figures as find
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared import history
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA, example, manager_of

Sessions = sessionmaker[Session]
DIRTY = json.loads((DATA / "dirty" / "truth.json").read_text(encoding="utf-8"))
PLAIN = example("dirty/practice.plain.laps.csv")


class Desk:
    """A manager with one combination on the oval."""

    def __init__(self, sessions: Sessions) -> None:
        self.sessions = sessions
        self.actor = manager_of(sessions)
        layout = tracks.add_track(sessions, self.actor, example("dirty/practice.track.json"))
        self.combination: UUID = combinations.add_combination(sessions, self.actor, layout.id, "Cinder Truck").id

    def look(self, content: bytes, name: str = "practice.laps.csv") -> Preview:
        file_id = files.upload(self.sessions, self.actor, self.combination, name, content)
        return self.again(file_id)

    def again(self, file_id: UUID, apart: frozenset[str] = frozenset()) -> Preview:
        seen = files.preview(self.sessions, self.actor, file_id, apart)
        assert isinstance(seen, Preview)
        return seen

    def take(self, content: bytes, **wishes: Any) -> ImportResult:
        seen = self.look(content)
        return importing.confirm(self.sessions, self.actor, seen.id, Wishes(seen.revision, **wishes))

    def figures(self) -> dict[str, Any]:
        body, _ = find.summary(self.sessions, self.actor, self.combination)
        return {driver["name"]: driver for driver in json.loads(body)["drivers"]}

    def count(self, table: Any = Lap) -> int:
        with self.sessions() as session:
            return session.scalar(select(func.count()).select_from(table)) or 0


@pytest.fixture
def desk(sessions: Sessions) -> Desk:
    return Desk(sessions)


def changed(content: bytes, line: int, old: str, new: str) -> bytes:
    lines = content.decode().split("\n")
    assert old in lines[line - 1]
    lines[line - 1] = lines[line - 1].replace(old, new)
    return "\n".join(lines).encode()


@pytest.mark.parametrize("name", DIRTY["files"])
def test_every_dirty_file_ends_as_its_truth_says(desk: Desk, name: str) -> None:
    truth = DIRTY["files"][name]
    content = example(f"dirty/{name}")
    seen = desk.look(content, name)
    assert (seen.new, seen.same, seen.different_count) == (truth["laps_in"], 0, 0)
    assert seen.set_aside_count == len(truth["set_aside"]) + len(truth["duplicate_lines"])
    assert seen.unknown_drivers == tuple(sorted(truth["drivers"]))
    result = importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision))
    assert result.added == truth["laps_in"] == desk.count()
    figures = desk.figures()
    for driver, wanted in truth["drivers"].items():
        found = figures[driver]["figures"]
        assert {key: found["laps"][key] for key in wanted["laps"]} == wanted["laps"]
        assert found["best_us"] == wanted["best_us"]
        assert {key: found["ideal"][key] for key in wanted["ideal"]} == wanted["ideal"]


def test_looking_imports_nothing_and_a_file_can_be_discarded(desk: Desk) -> None:
    seen = desk.look(PLAIN)
    assert desk.count() == 0 and desk.count(LapFileRow) == 1
    files.discard(desk.sessions, desk.actor, seen.id)
    assert desk.count(LapFileRow) == 0
    with pytest.raises(NotThere):
        desk.again(seen.id)


def test_the_same_file_twice_is_told_and_doubles_nothing(desk: Desk) -> None:
    first = desk.take(PLAIN)
    again = desk.look(PLAIN)
    assert again.imported_before is not None and (again.new, again.same) == (0, first.added)
    result = importing.confirm(desk.sessions, desk.actor, again.id, Wishes(again.revision))
    assert (result.added, result.same, desk.count()) == (0, 72, 72)


def test_another_dialect_of_the_same_laps_is_recognised(desk: Desk) -> None:
    desk.take(PLAIN)
    for name in ("semicolon", "tab", "milliseconds", "shuffled", "bom-crlf"):
        seen = desk.look(example(f"dirty/practice.{name}.laps.csv"))
        assert (seen.new, seen.same, seen.different_count, seen.imported_before) == (0, 72, 0, None)


def test_mended_rows_come_in_with_the_next_file_and_the_rest_stays(desk: Desk) -> None:
    assert desk.take(example("dirty/practice.unreadable.laps.csv")).added == 65
    result = desk.take(PLAIN)
    assert (result.added, result.same) == (7, 65)
    assert desk.figures()["Pavla Quintarrow"]["figures"]["ideal"]["segment_us"] == 20_405_000


def test_a_lap_with_another_time_is_shown_and_the_person_chooses(desk: Desk) -> None:
    desk.take(PLAIN)
    other = changed(PLAIN, 5, ",20.", ",19.")
    seen = desk.look(other)
    (difference,) = seen.different
    assert (difference.line, difference.fields[0]) == (5, "time_us") and difference.file_us < difference.stored_us
    before = desk.figures()
    kept = importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision, differences="keep"))
    assert (kept.kept, kept.changed) == (1, 0) and desk.figures() == before
    taken = desk.take(other, differences="take")
    assert (taken.kept, taken.changed, desk.count()) == (0, 1, 72)
    assert desk.figures()[difference.driver]["figures"]["best_us"] == difference.file_us
    with desk.sessions() as session:
        change = session.scalars(select(Change).where(Change.table_name == "lap")).one()
        assert change.before is not None and change.after is not None
        assert (change.before["time_us"], change.after["time_us"]) == (difference.stored_us, difference.file_us)


def test_another_evening_under_the_same_label_is_a_session_of_its_own(desk: Desk) -> None:
    desk.take(PLAIN)
    seen = desk.look(PLAIN.replace(b"2031-03-04", b"2031-03-05"))
    assert (seen.new, [match.stored_as for match in seen.sessions]) == (72, ["1 (2)"])


def test_without_start_times_a_person_can_say_that_it_is_another_session(desk: Desk) -> None:
    desk.take(b"driver,lap,time\nA,1,61\nA,2,60\n")
    other = b"driver,lap,time\nA,1,62\nA,2,63\n"
    seen = desk.look(other)
    assert seen.different_count == 2 and not seen.sessions[0].certain
    apart = desk.again(seen.id, frozenset({"1"}))
    assert (apart.different_count, apart.new, apart.sessions[0].stored_as) == (0, 2, "1 (2)")
    assert desk.take(other, apart=frozenset({"1"})).added == 2


def test_names_that_are_left_out_stay_out_with_their_laps(desk: Desk) -> None:
    result = desk.take(PLAIN, leave_out=frozenset({"Pavla Quintarrow"}))
    assert (result.added, result.left_out, result.drivers_added) == (48, 24, ("Keziah Umberlin", "Mirela Vosk-Dune"))
    assert desk.count(Driver) == 2


def test_an_import_that_fails_midway_leaves_nothing(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    seen = desk.look(PLAIN)
    monkeypatch.setattr(importing, "_BATCH", 20)
    written = importing.insert
    calls = []

    def failing(table: Any) -> Any:
        calls.append(table)
        if len(calls) == 3:
            raise RuntimeError("the power went")
        return written(table)

    monkeypatch.setattr(importing, "insert", failing)
    with pytest.raises(RuntimeError):
        importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision))
    assert (desk.count(), desk.count(Driver), desk.count(ChangeSet)) == (0, 0, 3)
    monkeypatch.undo()
    assert importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision)).added == 72


def test_what_was_seen_is_what_happens_or_nothing_does(desk: Desk) -> None:
    seen = desk.look(PLAIN)
    desk.take(b"driver,lap,time\nA,1,61\n")
    with pytest.raises(Conflict, match="since you looked"):
        importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision))
    fresh = desk.again(seen.id)
    assert importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(fresh.revision)).added == 72
    with pytest.raises(Conflict, match="already"):
        importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(fresh.revision))
    with pytest.raises(Conflict):
        files.discard(desk.sessions, desk.actor, seen.id)


def test_files_that_cannot_be_used_are_refused_and_not_kept(desk: Desk) -> None:
    for content in (b"", b"hello", b"driver,lap,time,S4\nA,1,60,20\n", b"x" * (files.MAX_BYTES + 1)):
        with pytest.raises(Refused):
            desk.look(content)
    assert desk.count(LapFileRow) == 0


def test_an_import_is_taken_back_as_a_whole(desk: Desk) -> None:
    desk.take(b"driver,session,lap,time\nKeziah Umberlin,earlier,1,61\n")
    before = desk.figures()
    seen = desk.look(PLAIN)
    importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(seen.revision))
    assert history.undo(desk.sessions, desk.actor).summary == "Took back: Imported practice.laps.csv"
    assert (
        desk.figures() == before and desk.count() == 1 and desk.count(Driver) == 1 and desk.count(PracticeSession) == 1
    )
    listed = imports.imports(desk.sessions, desk.actor, desk.combination)
    assert [(item.state, item.added) for item in listed] == [("taken_back", 72), ("imported", 1)]
    with pytest.raises(Conflict, match="taken back already"):
        history.undo(desk.sessions, desk.actor, listed[0].change_id)
    # The file is kept, so it can go in again.
    again = desk.again(seen.id)
    assert again.new == 72 and again.imported_before is None
    assert importing.confirm(desk.sessions, desk.actor, seen.id, Wishes(again.revision)).added == 72


def test_laps_that_an_import_changed_are_as_before(desk: Desk) -> None:
    first = desk.look(PLAIN)
    importing.confirm(desk.sessions, desk.actor, first.id, Wishes(first.revision))
    before = desk.figures()
    other = desk.look(changed(PLAIN, 5, ",20.", ",19."))
    importing.confirm(desk.sessions, desk.actor, other.id, Wishes(other.revision, differences="take"))
    assert desk.figures() != before
    # What the second one changed isn't thrown away with the first.
    newest, oldest = (item.change_id for item in imports.imports(desk.sessions, desk.actor, desk.combination))
    with pytest.raises(
        Conflict, match=r"it was changed since. Maren Holloway did the last: Imported practice.laps.csv"
    ):
        history.undo(desk.sessions, desk.actor, oldest)
    assert history.undo(desk.sessions, desk.actor, newest).rows == 1
    assert desk.figures() == before
    assert desk.look(PLAIN).same == 72
    with desk.sessions() as session:
        last = session.scalars(select(ChangeSet).order_by(ChangeSet.id.desc()).limit(1)).one()
        assert last.takes_back_id is not None and last.turn == "undo"


def test_laps_of_another_track_are_asked_about(desk: Desk) -> None:
    desk.take(PLAIN)
    assert desk.look(PLAIN.replace(b"2031-03-04", b"2031-03-06")).other_pace is None
    slow = desk.look(
        b"driver,session,lap,time,L0,T1\n" + b"".join(b"A,9,%d,64.%d,9,9\n" % (lap, lap) for lap in range(1, 6))
    )
    assert slow.other_pace is not None
    assert (slow.other_pace.incoming_us, slow.other_pace.stored_us // 1_000_000) == (64_300_000, 20)
    assert slow.missing_parts == ("T2", "T3", "T4")


def test_another_team_sees_nothing_of_it(desk: Desk) -> None:
    other = make_team(desk.sessions, "Others", "Somebody")
    seen = desk.look(PLAIN)
    assert combinations.combinations(desk.sessions, other) == [] and tracks.layouts(desk.sessions, other) == []
    for attempt in (
        lambda: combinations.combination(desk.sessions, other, desk.combination),
        lambda: files.upload(desk.sessions, other, desk.combination, "x.csv", PLAIN),
        lambda: files.preview(desk.sessions, other, seen.id),
        lambda: importing.confirm(desk.sessions, other, seen.id, Wishes(seen.revision)),
        lambda: files.discard(desk.sessions, other, seen.id),
        lambda: imports.imports(desk.sessions, other, desk.combination),
        lambda: files.export_laps(desk.sessions, other, desk.combination),
        lambda: find.summary(desk.sessions, other, desk.combination),
    ):
        with pytest.raises(NotThere):
            attempt()


def test_text_that_starts_a_formula_is_kept_as_it_is_and_escaped_on_export(desk: Desk) -> None:
    desk.take(b'driver,lap,time,note,setup\n=cmd(),1,61,"=HYPERLINK(1)",@A\n-Ash,2,60.5,plain,"+B"\n')
    with desk.sessions() as session:
        assert set(session.scalars(select(Lap.note))) == {"=HYPERLINK(1)", "plain"}
        assert set(session.scalars(select(Driver.name))) == {"=cmd()", "-Ash"}
    exported = files.export_laps(desk.sessions, desk.actor, desk.combination).decode()
    assert (
        "'=HYPERLINK(1)" in exported
        and "'=cmd()" in exported
        and "'@A" in exported
        and "'-Ash" in exported
        and "'+B" in exported
    )


def test_an_export_read_again_brings_nothing_new(desk: Desk) -> None:
    desk.take(PLAIN)
    seen = desk.look(files.export_laps(desk.sessions, desk.actor, desk.combination))
    assert (seen.new, seen.same, seen.different_count, seen.set_aside_count) == (0, 72, 0, 0)


def test_figures_follow_the_laps_and_are_kept_in_between(desk: Desk) -> None:
    desk.take(b"driver,lap,time\nA,1,61\n")
    body, stamp = find.summary(desk.sessions, desk.actor, desk.combination)
    assert find.summary(desk.sessions, desk.actor, desk.combination) == (body, stamp)
    desk.take(b"driver,session,lap,time\nA,2,1,59\n")
    newer, other_stamp = find.summary(desk.sessions, desk.actor, desk.combination)
    assert other_stamp != stamp and json.loads(newer)["drivers"][0]["figures"]["best_us"] == 59_000_000
    with pytest.raises(NotThere):
        find.driver_laps(desk.sessions, desk.actor, desk.combination, uuid4())


def test_a_track_twice_is_one_and_another_under_its_name_is_told(desk: Desk) -> None:
    assert tracks.add_track(desk.sessions, desk.actor, example("oval-102/oval-a-102.track.json")).already_there
    moved = json.loads(example("dirty/practice.track.json")) | {"length_m": 810.0}
    with pytest.raises(Conflict, match="other boundaries"):
        tracks.add_track(desk.sessions, desk.actor, json.dumps(moved).encode())
    with pytest.raises(Refused):
        tracks.add_track(desk.sessions, desk.actor, PLAIN)
    with pytest.raises(Conflict, match="already there"):
        combinations.add_combination(
            desk.sessions, desk.actor, tracks.layouts(desk.sessions, desk.actor)[0].id, " Cinder  Truck "
        )


def test_a_combination_without_laps_has_an_empty_answer(desk: Desk) -> None:
    assert desk.figures() == {}
    with desk.sessions() as session:
        assert session.scalars(select(Combination.revision)).one() == 1
