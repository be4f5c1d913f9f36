"""Room on the disk: so much for each, told at the limit; a full disk is an answer, and what waited goes on when
there is room.
"""

import errno
import io
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.drive import files as drive
from fleet_rival.services.drive.traces import uploads
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared import jobs, lease, space
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NoRoom
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from fleet_rival.telemetry.store import store
from tests.conftest import example, manager_of

Sessions = sessionmaker[Session]
PLAIN = example("dirty/practice.plain.laps.csv")


@pytest.fixture
def place(sessions: Sessions) -> Any:
    actor = manager_of(sessions)
    layout = tracks.add_track(sessions, actor, example("dirty/practice.track.json"))
    return actor, combinations.add_combination(sessions, actor, layout.id, "Truck").id


def full(monkeypatch: pytest.MonkeyPatch, *, yes: bool = True) -> None:
    monkeypatch.setattr(space, "free_bytes", lambda: 1_000_000 if yes else 10**12)


def test_each_has_so_much_room_and_is_told_at_the_limit(
    sessions: Sessions, place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    actor, combination = place
    driver = add_person(sessions, actor, "Ysolde Farrand", "driver")
    monkeypatch.setenv("FLEET_PERSON_BYTES", "1000000")
    monkeypatch.setenv("FLEET_TEAM_BYTES", "1500000")
    uploads.begin_upload(sessions, driver, combination, "a.parquet", 900_000)
    with pytest.raises(NoRoom, match=r"Your files use 1 MB of 1 MB|Your files use"):
        uploads.begin_upload(sessions, driver, combination, "b.parquet", 900_000)
    uploads.begin_upload(sessions, actor, combination, "c.parquet", 500_000)
    with pytest.raises(NoRoom, match="The team's files use"):
        uploads.begin_upload(sessions, actor, combination, "d.parquet", 200_000)
    with pytest.raises(NoRoom):
        drive.upload(sessions, actor, combination, "x.csv", PLAIN + b"\n" * 200_000)
    told = space.space(sessions, driver)
    assert (told.team_used, told.own_used, told.team_most, told.own_most) == (1_400_000, 900_000, 1_500_000, 1_000_000)
    assert told.nearly_full
    assert not replace(told, team_used=700_000, own_used=700_000, free=50_000_000_000).nearly_full
    assert replace(told, team_used=0, own_used=0, free=1_000_000_000).nearly_full, "so little is left of the disk"


def test_a_full_disk_refuses_what_is_new_and_lets_what_waits_wait(
    sessions: Sessions, place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    actor, combination = place
    done: list[str] = []

    def work(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Any) -> None:
        with sessions.begin() as session:
            work.finish(session, {})
        done.append("done")

    kind = lease.Kind("test", dict[str, Any], dict[str, Any], work)
    job = jobs.start(sessions, actor, kind, "Work", {})
    key = jobs.key_of(sessions, job.id)
    full(monkeypatch)
    with pytest.raises(NoRoom, match="nearly full"):
        drive.upload(sessions, actor, combination, "x.csv", PLAIN)
    jobs.run(sessions, key, {"test": kind})
    seen = jobs.job(sessions, actor, job.id)
    assert (seen.state, seen.doing, done) == ("waiting", "waiting for room on the disk", [])
    full(monkeypatch, yes=False)
    jobs.run(sessions, key, {"test": kind})
    assert jobs.job(sessions, actor, job.id).state == "done" and done == ["done"]


def test_a_piece_that_has_no_room_is_never_said_to_be_kept(
    sessions: Sessions, place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    actor, combination = place
    coming = uploads.begin_upload(sessions, actor, combination, "a.parquet", 2_000_000)
    files = store()._files
    opened = files.open

    class Full(io.BytesIO):
        def write(self, data: Any) -> int:
            raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(
        files, "open", lambda path, mode="rb", **more: Full() if mode == "wb" else opened(path, mode, **more)
    )
    with pytest.raises(NoRoom, match="goes on from there"):
        uploads.add_piece(sessions, actor, coming.id, 0, io.BytesIO(bytes(1_000_000)).read)
    assert uploads.upload(sessions, actor, coming.id).received == 0
    monkeypatch.undo()
    assert uploads.add_piece(sessions, actor, coming.id, 0, io.BytesIO(bytes(1_000_000)).read).received == 1_000_000


def test_the_disks_that_are_watched_are_those_that_are_written_to(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("FLEET_VAR", str(tmp_path))
    monkeypatch.setenv("FLEET_TELEMETRY", tmp_path.as_uri())
    assert space._places() == [tmp_path, tmp_path] and space.free_bytes() > 0
    monkeypatch.setenv("FLEET_TELEMETRY", "s3://elsewhere/traces")
    assert space._places() == [tmp_path]
