"""Telemetry files: in pieces, read into laps, laid over each other, cut anew at other boundaries, layouts found; all
of it taken back whole.
"""

import io
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Corner
from fleet_rival.db.tables import Driver, Lap, Layout, LayoutCorner, PracticeSession, TraceFile, TraceRow, Upload
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.runs import edit
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.drive.traces import deriving, imports, uploads, view
from fleet_rival.services.find import figures
from fleet_rival.services.people.team import add_person, person_called
from fleet_rival.services.shared import history, trace_files
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.track import boundaries, tracks
from fleet_rival.services.track.boundaries import DraftCorner
from fleet_rival.services.week import combinations, profiles
from fleet_rival.telemetry.store import Store, store
from tests.conftest import DATA, manager_of
from tests.core.test_telemetry import driven

Sessions = sessionmaker[Session]
FOLDER = DATA / "oval-102"
FIRST = sorted(FOLDER.glob("*.telemetry.parquet"))[0]


class Garage:
    """A team with the oval, its laps, and one driver's telemetry at hand."""

    def __init__(self, sessions: Sessions, *, laps: bool = True, columns: str | None = None) -> None:
        self.sessions = sessions
        self.manager: Actor = manager_of(sessions)
        self.layout = tracks.add_track(sessions, self.manager, (FOLDER / "oval-a-102.track.json").read_bytes())
        made = combinations.add_combination(sessions, self.manager, self.layout.id, "Cinder Truck")
        self.combination = made.id
        content = (FOLDER / "oval-a-102.laps.csv").read_text(encoding="utf-8").splitlines()
        if columns:  # whole laps alone
            names = content[0].split(",")
            kept = [names.index(name) for name in columns.split()]
            content = [",".join(line.split(",")[index] for index in kept) for line in content]
        if laps:
            file_id = files.upload(sessions, self.manager, made.id, "x.csv", "\n".join(content).encode())
            importing.confirm(sessions, self.manager, file_id, importing.Wishes(made.revision))

    def send(self, content: bytes, name: str = "a.telemetry.parquet", actor: Actor | None = None) -> Any:
        who = actor or self.manager
        coming = uploads.begin_upload(self.sessions, who, self.combination, name, len(content))
        return uploads.add_piece(self.sessions, who, coming.id, 0, io.BytesIO(content).read)

    def read(self, content: bytes, actor: Actor | None = None) -> dict[str, Any]:
        return imports.import_upload(self.sessions, actor or self.manager, self.send(content, actor=actor).id)

    def rows(self) -> list[tuple[Any, ...]]:
        with self.sessions() as session:
            laps = session.scalars(select(Lap).order_by(Lap.driver_id, Lap.session_id, Lap.number)).all()
            traces = {row.lap_id: (row.samples, row.crossings) for row in session.scalars(select(TraceRow))}
            return [(lap.time_us, lap.kind, lap.sectors, lap.segments, traces.get(lap.id)) for lap in laps]


def test_a_file_comes_in_pieces_and_goes_on_where_it_broke_off(sessions: Sessions) -> None:
    garage = Garage(sessions, laps=False)
    coming = uploads.begin_upload(sessions, garage.manager, garage.combination, "C:\\laps\\a.parquet", 10)
    assert coming.name == "a.parquet"

    def breaks(size: int, given: list[bytes] = [b"0123"]) -> bytes:  # noqa: B006
        if not given:
            raise OSError("the line is dead")
        return given.pop()

    assert uploads.add_piece(sessions, garage.manager, coming.id, 0, breaks).received == 4
    with pytest.raises(Conflict, match="goes on at 4 bytes, not at 2"):
        uploads.add_piece(sessions, garage.manager, coming.id, 2, io.BytesIO(b"x").read)
    with pytest.raises(Conflict, match="isn't whole"):
        imports.say_who(sessions, garage.manager, coming.id, {})
    whole = uploads.add_piece(sessions, garage.manager, coming.id, 4, io.BytesIO(b"456789 and more than was told").read)
    assert (whole.received, whole.state) == (10, "whole")
    with store().open_upload(str(coming.id)) as pieces:
        file = io.BufferedReader(pieces, 3)
        assert file.read() == b"0123456789"
        assert (file.seek(3), file.read(4), file.seek(-2, io.SEEK_END), file.read()) == (3, b"3456", 8, b"89")
    for size in (0, uploads.MOST_BYTES + 1):
        with pytest.raises(Refused, match="are taken"):
            uploads.begin_upload(sessions, garage.manager, garage.combination, "a", size)
    with pytest.raises(Refused, match="has no column"):
        imports.import_upload(sessions, garage.manager, coming.id)
    uploads.discard_upload(sessions, garage.manager, coming.id)
    assert str(coming.id) not in store().uploads()


def test_known_laps_get_their_traces_and_what_they_lacked(sessions: Sessions) -> None:
    full, bare = Garage(sessions).rows(), None
    with sessions.begin() as session:
        session.query(Lap).update({Lap.sectors: None, Lap.segments: None})
    garage = object.__new__(Garage)
    garage.sessions, garage.manager = sessions, manager_of(sessions)
    garage.combination = combinations.combinations(sessions, garage.manager)[0].id
    bare = garage.rows()
    result = garage.read(FIRST.read_bytes())
    assert (result.matched, result.filled, result.added, result.there, result.holed) == (60, 60, 0, 0, 0)
    after = garage.rows()
    traced = [index for index, row in enumerate(after) if row[4]]
    assert len(traced) == 60
    for index in traced:
        assert sum(after[index][3].values()) == sum(after[index][2].values()) == full[index][0]
        # The file's own times are whole milliseconds of exact moments.
        assert all(abs(after[index][3][code] - time) <= 1500 for code, time in full[index][3].items())
    again = garage.read(FIRST.read_bytes())
    assert (again.matched, again.there) == (0, 60) and garage.rows() == after
    history.undo(sessions, garage.manager, _act(sessions, garage.manager, 1))
    assert garage.rows() == bare
    history.redo(sessions, garage.manager, _act(sessions, garage.manager, 1))
    assert garage.rows() == after


def _act(sessions: Sessions, actor: Actor, which: int) -> Any:
    acts = [item for item in history.history(sessions, actor).items if item.summary.startswith("Read telemetry")]
    return acts[which].id


def test_boundary_speeds_reach_the_ideals(sessions: Sessions) -> None:
    garage = Garage(sessions)
    before, _ = figures.summary(sessions, garage.manager, garage.combination)
    garage.read(FIRST.read_bytes())
    after, _ = figures.summary(sessions, garage.manager, garage.combination)
    assert before != after


def parquet(*traces: Trace) -> bytes:
    out = io.BytesIO()
    with TelemetryWriter(out, tuple(traces[0].channels)) as writer:
        for item in traces:
            writer.add(item)
    return out.getvalue()


def oval(number: int, driver: str = "Ysolde Farrand", scale: float = 1.0) -> Trace:
    """A lap of the cinder oval laid over this one's length."""
    samples = dict(driven("cinder", number % 3).samples(50))
    samples["distance_m"] = samples["distance_m"] * 804.6 / float(driven("cinder", number % 3).distance_m[-1])
    samples["time_s"] = samples["time_s"] * scale
    samples["speed_kmh"] = samples["speed_kmh"] / scale
    return Trace(driver, "evening", 2, number, samples)


def test_laps_known_from_traces_alone_appear_and_strangers_are_asked_for(sessions: Sessions) -> None:
    garage = Garage(sessions, laps=False)
    holed = oval(6)
    holed.channels["distance_m"][200:230] = np.nan
    short = Trace("Ysolde Farrand", "evening", 2, 7, {name: values[:400] for name, values in oval(7).channels.items()})
    content = parquet(*(oval(number) for number in (3, 4, 5)), holed, short, oval(1, "Corin"))
    result = garage.read(content)
    assert (result.added, result.unknown_drivers) == (0, ("Corin", "Ysolde Farrand"))
    profiles.add_driver(sessions, garage.manager, "Ysolde Farrand")
    profiles.add_driver(sessions, garage.manager, "Corin Ashgrove")
    coming = garage.send(content)
    with pytest.raises(Refused, match="no driver called Nobody"):
        imports.say_who(sessions, garage.manager, coming.id, {"Corin": "Nobody"})
    imports.say_who(sessions, garage.manager, coming.id, {"Corin": "Corin Ashgrove"})
    result = imports.import_upload(sessions, garage.manager, coming.id)
    assert (result.added, result.short, result.holed, result.unknown_drivers) == (5, 1, 1, ())
    assert any("lap 6: from" in line and "values are missing" in line for line in result.told)
    assert any("lap 7: no lap of this number" in line for line in result.told)
    assert [row[1] for row in garage.rows()] == ["flying"] * 5
    history.undo(sessions, garage.manager, _act(sessions, garage.manager, 0))
    assert garage.rows() == []


def test_new_laps_join_the_session_in_which_the_others_were_found(sessions: Sessions) -> None:
    garage = Garage(sessions, laps=False)
    profiles.add_driver(sessions, garage.manager, "Ysolde Farrand")
    garage.read(parquet(*(oval(number) for number in (1, 2, 3))))
    # The simulation called the next evening the same; the team's session of it has a number.
    second = [oval(number, scale=1.02) for number in (1, 2, 3, 4)]
    with sessions() as session:
        one = {lap.number: lap.time_us for lap in session.scalars(select(Lap))}
    rows = ["driver,session,run,lap,time"]
    rows += [f"Ysolde Farrand,evening (2),2,{number},{time * 1.02 / 1e6:.6f}" for number, time in one.items()]
    revision = combinations.combination(sessions, garage.manager, garage.combination).revision
    file_id = files.upload(sessions, garage.manager, garage.combination, "second.csv", "\n".join(rows).encode())
    importing.confirm(sessions, garage.manager, file_id, importing.Wishes(revision))
    result = garage.read(parquet(*second))
    assert (result.matched, result.added, result.differs) == (3, 1, 0)
    with sessions() as session:
        query = (
            select(PracticeSession.label, Lap.number)
            .join(PracticeSession, PracticeSession.id == Lap.session_id)
            .order_by(Lap.id)
        )
        labels = [(label, number) for label, number in session.execute(query)]
    assert labels.count(("evening (2)", 4)) == 1 and ("evening", 4) not in labels


def test_a_person_reads_the_own_file_alone(sessions: Sessions) -> None:
    garage = Garage(sessions, laps=False)
    key = profiles.add_driver(sessions, garage.manager, "Ysolde Farrand").id
    with sessions() as session:
        driver = session.scalars(select(Driver.id).where(Driver.public_id == key)).one()
    person = add_person(sessions, garage.manager, "Ysolde at home", "driver", driver)
    coming = garage.send(FIRST.read_bytes())
    for attempt in (
        lambda: uploads.upload(sessions, person, coming.id),
        lambda: uploads.add_piece(sessions, person, coming.id, 0, io.BytesIO(b"x").read),
        lambda: imports.say_who(sessions, person, coming.id, {}),
        lambda: imports.import_upload(sessions, person, coming.id),
        lambda: deriving.found_from_upload(sessions, person, coming.id),
        lambda: uploads.discard_upload(sessions, person, coming.id),
    ):
        with pytest.raises(NotThere, match="doesn't exist"):
            attempt()
    own = garage.send(FIRST.read_bytes(), actor=person)
    assert uploads.upload(sessions, garage.manager, own.id).state == "whole", "the manager sees all"


def test_many_laps_lie_in_several_files_and_each_is_found(sessions: Sessions, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(trace_files, "_LAPS_A_FILE", 2)
    garage = Garage(sessions, laps=False)
    profiles.add_driver(sessions, garage.manager, "Ysolde Farrand")
    assert garage.read(parquet(*(oval(number) for number in range(1, 6)))).added == 5
    with sessions() as session:
        assert len(session.scalars(select(TraceFile)).all()) == 3
        ids = list(session.scalars(select(Lap.id).order_by(Lap.number)))
        found = dict(trace_files.load_traces(session, garage.manager.team_id, ids))
    assert [found[key].lap for key in ids] == [1, 2, 3, 4, 5]
    with pytest.raises(ZeroDivisionError), trace_files.trace_sink(("time_s", "distance_m", "speed_kmh")) as sink:
        raise ZeroDivisionError
    assert sink.files == []


def test_a_driver_reads_the_own_laps_alone_and_sees_no_others(sessions: Sessions) -> None:
    garage = Garage(sessions, laps=False)
    ids = {
        name: profiles.add_driver(sessions, garage.manager, name).id for name in ("Ysolde Farrand", "Corin Ashgrove")
    }
    garage.read(parquet(oval(1), oval(2), oval(1, "Corin Ashgrove", 1.01)))
    with sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.public_id == ids["Ysolde Farrand"])).one()
    person = add_person(sessions, garage.manager, "Ysolde Farrand", "driver", key)
    own = view.traced_laps(sessions, person, garage.combination)
    everybody = view.traced_laps(sessions, garage.manager, garage.combination)
    assert len(own) == 2 and len(everybody) == 3
    other = next(item for item in everybody if item.driver == "Corin Ashgrove")
    with pytest.raises(NotThere):
        view.overlay(sessions, person, garage.combination, [own[0].key, other.key], "speed_kmh")
    assert garage.read(parquet(oval(5), oval(6, "Corin Ashgrove")), person).others == 1
    assert person_called(sessions, "Ysolde Farrand") is not None


def test_laps_lie_over_each_other_with_as_many_points_as_are_wanted(sessions: Sessions) -> None:
    garage = Garage(sessions)
    garage.read(FIRST.read_bytes())
    laps = [item for item in view.traced_laps(sessions, garage.manager, garage.combination) if item.counts][:3]
    keys = [item.key for item in laps]
    whole = view.overlay(sessions, garage.manager, garage.combination, keys, "speed_kmh", points=200)
    for item, lap in zip(laps, whole.laps, strict=True):
        assert 150 <= len(lap.distance_m) == len(lap.values) <= 200 and lap.distance_m == sorted(lap.distance_m)
        behind = lap.behind_s[-1]
        assert behind is not None and behind == pytest.approx((item.time_us - laps[0].time_us) / 1e6, abs=0.02)
    assert set(whole.laps[0].behind_s) == {0.0}
    zoomed = view.overlay(sessions, garage.manager, garage.combination, keys, "brake_pct", 100, 140, 500)
    assert zoomed.places_m[0] == 100 and zoomed.places_m[-1] == 140 and 20 < len(zoomed.laps[0].distance_m) < 200
    # The same place reads the same, however near one looks.
    at = int(np.searchsorted(whole.places_m, 120.0))
    near = int(np.argmin(np.abs(np.asarray(zoomed.places_m) - whole.places_m[at])))
    assert zoomed.laps[1].behind_s[near] == pytest.approx(whole.laps[1].behind_s[at], abs=0.01)
    every = (
        view.overlay(sessions, garage.manager, garage.combination, keys[:1], "speed_kmh", points=4000).laps[0].values
    )
    # However few points: the fastest place stays.
    assert max(value for value in whole.laps[0].values if value) == pytest.approx(
        max(value for value in every if value), abs=0.2
    )
    assert view.overlay(sessions, garage.manager, garage.combination, keys, "slip_pct").laps[0].missing
    # What is offered to be compared with is what counts, as somebody said of it.
    first = view.LapKey.read(keys[0])
    run = RunKey(first.session_id, first.driver_id, first.run)
    edit.turn_laps(sessions, garage.manager, run, {first.number: 1})
    assert not next(
        item for item in view.traced_laps(sessions, garage.manager, garage.combination) if item.key == keys[0]
    ).counts
    for wrong in (["x"], ["a:b:c:d"], keys * 5):
        with pytest.raises(Refused):
            view.overlay(sessions, garage.manager, garage.combination, wrong, "speed_kmh")


def test_other_boundaries_cut_laps_with_traces_anew_and_are_taken_back_whole(sessions: Sessions) -> None:
    garage = Garage(sessions)
    garage.read(FIRST.read_bytes())
    before = garage.rows()
    found = _corners(sessions, garage)
    drafts = [
        DraftCorner(key, Corner(code, start + (12.0 if code == "T3" else 0.0), apex, end))
        for key, code, start, apex, end in found
    ]
    sectors = track_of(sessions, garage).sectors
    seen = boundaries.look_at_boundaries(sessions, garage.manager, garage.layout.id, sectors, drafts)
    assert seen.lost and seen.traced == 60
    done = boundaries.change_boundaries(sessions, garage.manager, garage.layout.id, 1, sectors, drafts)
    assert done.laps == 240
    after = garage.rows()
    for old, new in zip(before, after, strict=True):
        if new[4] is None:
            assert not {"T2", "T3"} & new[3].keys()  # nothing to read them from
            continue
        assert new[3].keys() == old[3].keys() and sum(new[3].values()) == new[0]
        assert new[3]["T2"] > old[3]["T2"] and new[3]["T2"] + new[3]["T3"] == pytest.approx(
            old[3]["T2"] + old[3]["T3"], abs=1500
        )
        assert new[3]["T1"] == old[3]["T1"] and new[4][1]["T3"] != old[4][1]["T3"]
    act = history.history(sessions, garage.manager).items[0]
    history.undo(sessions, garage.manager, act.id)
    assert garage.rows() == before


def track_of(sessions: Sessions, garage: Garage) -> Any:
    with sessions() as session:
        return tracks.load_track(
            session, session.scalars(select(Layout).where(Layout.public_id == garage.layout.id)).one()
        )


def _corners(sessions: Sessions, garage: Garage) -> list[Any]:
    with sessions() as session:
        rows = session.scalars(select(LayoutCorner).order_by(LayoutCorner.start_m))
        return [(row.public_id, row.code, row.start_m, row.apex_m, row.end_m) for row in rows]


def test_layouts_are_found_from_a_file_and_from_laps(sessions: Sessions) -> None:
    garage = Garage(sessions)
    with pytest.raises(Refused, match="No lap on this layout has a trace"):
        deriving.found_from_laps(sessions, garage.manager, garage.layout.id)
    coming = garage.send(FIRST.read_bytes())
    found = deriving.found_from_upload(sessions, garage.manager, coming.id)
    assert (
        len(found["track"]["corners"]) == 2
        and found["track"]["length_m"] == pytest.approx(804.6, abs=1)
        and found["by"] == "places"
    )
    assert uploads.upload(sessions, garage.manager, coming.id).found == found
    imports.import_upload(sessions, garage.manager, coming.id)
    assert (
        deriving.found_from_laps(sessions, garage.manager, garage.layout.id)["track"]["layout"] == garage.layout.layout
    )


def test_what_nobody_names_is_swept_and_what_is_needed_stays(sessions: Sessions, tmp_path: Path) -> None:
    garage = Garage(sessions)
    garage.read(FIRST.read_bytes())
    trace_files.sweep(sessions, now() + timedelta(days=365))
    with sessions() as session:
        assert session.scalars(select(TraceFile)).all() and not session.scalars(select(Upload)).all()
    lap = view.traced_laps(sessions, garage.manager, garage.combination)[0]
    assert view.overlay(sessions, garage.manager, garage.combination, [lap.key], "speed_kmh").laps[0].values
    history.undo(sessions, garage.manager, _act(sessions, garage.manager, 0))
    trace_files.sweep(sessions, now())
    history.redo(sessions, garage.manager, _act(sessions, garage.manager, 0))
    assert view.overlay(sessions, garage.manager, garage.combination, [lap.key], "speed_kmh").laps[0].values
    # Pieces of a file that was given up go after a week, and pieces that no row names at once.
    coming = uploads.begin_upload(sessions, garage.manager, garage.combination, "b.parquet", 10)
    uploads.add_piece(sessions, garage.manager, coming.id, 0, io.BytesIO(b"0123").read)
    store().write_piece("11111111-1111-1111-1111-111111111111", io.BytesIO(b"x").read, 1)
    trace_files.sweep(sessions, now() + timedelta(days=6))
    assert store().uploads() == [str(coming.id)]
    trace_files.sweep(sessions, now() + timedelta(days=8))
    assert store().uploads() == []
    # Traces that were taken back go after a month, their file with them.
    history.undo(sessions, garage.manager, _act(sessions, garage.manager, 0))
    trace_files.sweep(sessions, now() + timedelta(days=31))
    with sessions() as session:
        assert not session.scalars(select(TraceFile)).all()
    own = Store(tmp_path.as_uri())
    with pytest.raises(ZeroDivisionError), own.new_traces() as out:
        out.write(b"half")
        raise ZeroDivisionError
    assert own.traces() == [] and not list((tmp_path / "unfinished").iterdir())
