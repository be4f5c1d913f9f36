"""A backup is one consistent state, checked when it is made, and comes back as it was or not at all."""

import os
import threading
import zipfile
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.cli.main import main
from fleet_rival.clock import now
from fleet_rival.db.migrate import downgrade, upgrade
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.db.tables import Base, Lap, TraceRow
from fleet_rival.runtime.backups import _ask, _beside, _drop, alone, back_up, restore
from fleet_rival.runtime.console import Failure
from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.runtime.processes import free_port
from fleet_rival.runtime.schedule import Schedule, Settings
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.traces import imports, uploads, view
from fleet_rival.services.find import figures as find
from fleet_rival.services.shared.last_backup import last_ended, note_ended
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from fleet_rival.telemetry.store import store as traces_store
from tests.conftest import DATA, asked_by_a_test, manager_of

Sessions = sessionmaker[Session]


class Store:
    def __init__(self, folder: Path) -> None:
        self.database = MariaDB(folder / "var" / "mariadb", free_port())
        self.database.start()
        upgrade(self.database.url)
        self.engine = make_engine(self.database.url, asked_by_a_test)
        self.sessions = make_sessions(self.engine)

    def rows(self) -> dict[str, int]:
        with self.sessions() as session:
            return {
                table.name: session.scalar(select(func.count()).select_from(table)) or 0
                for table in Base.metadata.sorted_tables
            }


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Store]:
    made = Store(tmp_path_factory.mktemp("kept"))
    actor = manager_of(made.sessions)
    for folder in ("oval-102", "street-101"):
        layout = tracks.add_track(made.sessions, actor, next((DATA / folder).glob("*.track.json")).read_bytes())
        combination = combinations.add_combination(made.sessions, actor, layout.id, f"Car of {folder}")
        file_id = files.upload(
            made.sessions,
            actor,
            combination.id,
            "x.laps.csv",
            next((DATA / folder).glob("*a-10?.laps.csv")).read_bytes(),
        )
        importing.confirm(made.sessions, actor, file_id, importing.Wishes(combination.revision))
        traces = sorted((DATA / folder).glob("*.telemetry.parquet"))[0]
        with traces.open("rb") as file:
            coming = uploads.begin_upload(made.sessions, actor, combination.id, traces.name, traces.stat().st_size)
            uploads.add_piece(made.sessions, actor, coming.id, 0, file.read)
        imports.import_upload(made.sessions, actor, coming.id)
    yield made
    made.engine.dispose()
    made.database.stop()


def test_a_filled_database_comes_back_as_it_was_and_what_was_there_before_too(store: Store, tmp_path: Path) -> None:
    actor = manager_of(store.sessions)
    one = combinations.combinations(store.sessions, actor)[0]
    figures, _ = find.summary(store.sessions, actor, one.id)
    rows = store.rows()
    assert rows["lap"] == 480
    file = tmp_path / "all.backup.zip"
    assert back_up(store.database, file) == sum(rows.values()) + 1  # and the mark of the tables' version
    assert file.stat().st_mode & 0o077 == 0
    combinations.add_combination(store.sessions, actor, one.layout_id, "Made later")
    with store.engine.begin() as connection:
        for table in (TraceRow, Lap):
            connection.execute(table.__table__.delete())  # type: ignore[attr-defined]
    kept = traces_store().traces()
    assert len(kept) >= 2
    for digest in kept:
        traces_store().remove_traces(digest)
    restore(store.database, file)
    assert store.rows() == rows and set(traces_store().traces()) <= set(kept)
    laps = [
        item
        for place in combinations.combinations(store.sessions, actor)
        for item in view.traced_laps(store.sessions, actor, place.id)
    ]
    assert len(laps) == 120
    shown = view.overlay(
        store.sessions, actor, one.id, [view.traced_laps(store.sessions, actor, one.id)[0].key], "speed_kmh"
    )
    assert shown.laps[0].values
    assert find.summary(store.sessions, actor, one.id)[0] == figures
    assert "Made later" not in [item.car for item in combinations.combinations(store.sessions, actor)]


def test_a_backup_made_while_people_write_is_one_state(store: Store, tmp_path: Path) -> None:
    actor = manager_of(store.sessions)
    layout = combinations.combinations(store.sessions, actor)[0].layout_id
    end = threading.Event()

    def write() -> None:
        number = 0
        while not end.is_set():
            number += 1
            combinations.add_combination(store.sessions, actor, layout, f"Busy {number}")

    thread = threading.Thread(target=write)
    thread.start()
    try:
        back_up(store.database, tmp_path / "busy.backup.zip")
    finally:
        end.set()
        thread.join()
    restore(store.database, tmp_path / "busy.backup.zip")
    with store.sessions() as session:
        cars = session.scalars(select(Base.metadata.tables["car"].c.name)).all()
        changed = session.scalars(select(Base.metadata.tables["change_set"].c.summary)).all()
    busy = sorted((name for name in cars if name.startswith("Busy")), key=lambda name: int(name.split()[1]))
    assert busy == [
        f"Busy {number + 1}" for number in range(len(busy))
    ]  # a beginning of what was written, without a hole
    assert sum("Busy" in summary for summary in changed) == len(busy)


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (lambda names: names | {"data.sql": names["data.sql"] + b"-- and more"}, "damaged"),
        (lambda names: {"manifest.json": names["manifest.json"]}, "can't be read as a backup"),
        (lambda names: names | {"manifest.json": b"{}"}, "isn't a backup that this version can read"),
        (
            lambda names: (
                names | {"manifest.json": names["manifest.json"].replace(b'"tables_of": "', b'"tables_of": "9')}
            ),
            "newer version",
        ),
    ],
)
def test_a_file_that_is_not_whole_changes_nothing(store: Store, tmp_path: Path, damage: object, words: str) -> None:
    file = tmp_path / "all.backup.zip"
    back_up(store.database, file)
    with zipfile.ZipFile(file) as package:
        names = {name: package.read(name) for name in package.namelist()}
    with zipfile.ZipFile(file, "w") as package:
        for name, content in damage(names).items():  # type: ignore[operator]
            package.writestr(name, content)
    rows = store.rows()
    with pytest.raises(Failure, match=words):
        restore(store.database, file)
    file.write_bytes(b"no archive")
    with pytest.raises(Failure, match="can't be read as a backup"):
        restore(store.database, file)
    assert store.rows() == rows


def test_a_backup_of_an_older_version_is_brought_up_to_date(tmp_path: Path) -> None:
    old = Store(tmp_path)
    try:
        old.engine.dispose()
        downgrade(old.database.url, "0001")
        back_up(old.database, tmp_path / "old.backup.zip")
        upgrade(old.database.url)
        restore(old.database, tmp_path / "old.backup.zip")
        assert set(old.rows()) == set(Base.metadata.tables)
    finally:
        old.engine.dispose()
        old.database.stop()


def test_what_a_killed_restore_left_is_in_nobodys_way(store: Store, tmp_path: Path) -> None:
    """Killed while it loads, twice: half a database whose folder the server can't take out, and half a folder beside
    it.
    """
    for _ in range(2):
        name = _beside(store.database)
        _ask(store.database, f"CREATE DATABASE {name}")
        _ask(store.database, f"CREATE TABLE {name}.half (id INT)")
        (store.database.folder / "data" / name / "#sql-of-nobody.ibd").write_bytes(b"half")
        (store.database.folder / "unfinished-x").mkdir(exist_ok=True)
        assert back_up(store.database, tmp_path / "all.backup.zip") > 0
    restore(store.database, tmp_path / "all.backup.zip")
    assert not [row for row in _ask(store.database, "SHOW DATABASES") if str(row[0]).startswith("fleet_incoming")]
    assert not list(store.database.folder.glob("unfinished-*"))
    _drop(store.database, "fleet_incoming_never_there")


def test_two_at_once_wait_for_each_other(store: Store, tmp_path: Path) -> None:
    made = []

    def make(number: int) -> None:
        with alone(tmp_path):
            made.append(back_up(store.database, tmp_path / f"{number}.backup.zip"))

    threads = [threading.Thread(target=make, args=(number,)) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 2 and made[0] == made[1]


def test_a_database_that_is_away_is_one_line(store: Store, tmp_path: Path) -> None:
    away = MariaDB(tmp_path / "mariadb", free_port())
    with pytest.raises(Failure, match="can't be reached"):
        _ask(away, "SELECT 1")


def test_a_schedule_is_kept_to_and_old_backups_go(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("FLEET_HOME", str(tmp_path))
    assert (
        main(["backup", "--schedule", "daily", "--at", "25:00"]) == 1
        and "isn't a time of day" in capsys.readouterr().err
    )
    assert main(["backup", "--schedule", "weekly", "--at", "04:15", "--keep", "2"]) == 0
    settings = Settings.read(tmp_path / "var")
    wednesday = datetime(2031, 4, 9, 12, 0).astimezone()
    due = settings.last_due(wednesday)
    assert due == datetime(2031, 4, 7, 4, 15).astimezone() and settings.last_due(
        due - timedelta(minutes=1)
    ) == due - timedelta(days=7)
    folder = tmp_path / "var" / "backups"
    for day in range(1, 6):
        (folder / f"fleet-rival-2031-04-0{day}-031500.scheduled.backup.zip").touch()
        (folder / f"fleet-rival-2031-03-0{day}-120000.backup.zip").touch()
    settings.throw_away(tmp_path / "var")
    by_hand = [f"fleet-rival-2031-03-0{day}-120000.backup.zip" for day in range(1, 6)]
    by_itself = [f"fleet-rival-2031-04-0{day}-031500.scheduled.backup.zip" for day in (4, 5)]
    assert [path.name for path in sorted(folder.glob("*.zip"))] == by_hand + by_itself, "what was made by hand stays"
    started: list[list[str]] = []
    monkeypatch.setattr("fleet_rival.runtime.schedule.subprocess.Popen", lambda command, **_: started.append(command))
    (tmp_path / "var" / "log").mkdir()
    Schedule(tmp_path / "var").look()
    assert started == []  # the newest is of today
    for path in folder.glob("*.zip"):
        os.utime(path, (0, 0))
    Schedule(tmp_path / "var").look()
    assert started and started[0][-2:] == ["backup", "--scheduled"]
    # One that failed waits, longer each time; nobody is asked twice a minute.
    moment = now()
    pauses = []
    for _ in range(9):
        note_ended(tmp_path / "var", "the disk is full", moment)
        ended = last_ended(tmp_path / "var")
        assert ended is not None and ended.again_at is not None and ended.trouble == "the disk is full"
        pauses.append((ended.again_at - moment) // timedelta(minutes=1))
        assert not Schedule(tmp_path / "var").is_due(moment + timedelta(minutes=1))
        assert Schedule(tmp_path / "var").is_due(ended.again_at)
    assert pauses == [5, 10, 20, 40, 80, 160, 320, 360, 360]
    note_ended(tmp_path / "var", None, moment)
    assert last_ended(tmp_path / "var") is not None and Schedule(tmp_path / "var").is_due(moment)
    assert main(["backup", "--schedule", "off"]) == 0 and Settings.read(tmp_path / "var").last_due(wednesday) is None


def test_commands_that_need_data_say_so(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("FLEET_HOME", str(tmp_path))
    (tmp_path / "var").mkdir()
    for command, words in (
        (["team", "Quarry Works"], "no data here yet"),
        (["backup"], "no data here yet"),
        (["restore"], "say which backup"),
    ):
        assert main(command) == 1 and words in capsys.readouterr().err
