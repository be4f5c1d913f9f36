"""A team's package from the command line: out, in somewhere else, and clear words for what can't be."""

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.cli import exchange
from fleet_rival.cli.main import main
from fleet_rival.services.log import lessons
from fleet_rival.services.people import sign_in
from fleet_rival.services.people.team import make_team
from tests.conftest import manager_of
from tests.services.test_exchange import out, tables, wipe
from tests.services.test_plan import Team

Sessions = sessionmaker[Session]
Run = Callable[..., int]


@pytest.fixture
def fleet(sessions: Sessions, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Run:
    """The command, on the tests' own database."""

    @contextmanager
    def own() -> Iterator[Sessions]:
        yield sessions

    monkeypatch.setattr(exchange, "_sessions", own)
    monkeypatch.setitem(os.environ, "FLEET_HOME", str(tmp_path))
    return lambda *arguments: main([str(item) for item in arguments])


def test_out_and_in_again(sessions: Sessions, fleet: Run, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    team = Team(sessions, manager_of(sessions))
    lessons.add_lesson(sessions, team.actor, {"text": "kept", "driver_id": team.desk.driver})
    assert fleet("export") == 0
    [package] = (tmp_path / "var" / "packages").iterdir()
    assert package.name.startswith("farhaven-racing-") and str(package) in capsys.readouterr().err
    before = out(sessions, team.actor)
    assert tables(package.read_bytes()) == tables(before)
    wipe(sessions)
    assert fleet("import", package) == 0
    told = capsys.readouterr().err
    assert (
        "Farhaven Racing came in with" in told and "Maren Holloway, manager, signs in as maren-holloway with " in told
    )
    password = told.split(" with ")[-1].split(",")[0]
    assert sign_in.sign_in(sessions, "maren-holloway", password, "10.0.0.1", b"key", "a test")[0]
    assert fleet("export", "--to", tmp_path / "again.zip") == 0
    assert tables((tmp_path / "again.zip").read_bytes()) == tables(before)
    assert fleet("import", package) == 1 and "here already" in capsys.readouterr().err


def test_a_week_of_one_of_several_teams(
    sessions: Sessions, fleet: Run, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    team = Team(sessions, manager_of(sessions))
    make_team(sessions, "Elsewhere", "Somebody Else")
    assert fleet("export") == 1 and "Farhaven Racing, Elsewhere" in capsys.readouterr().err
    where = ("--team", "Farhaven Racing", "--to", tmp_path / "week.zip")
    assert fleet("export", *where, "--week", "Harbour evenings:7") == 1 and "no week" in capsys.readouterr().err
    assert fleet("export", *where, "--week", "Harbour evenings:1") == 0
    assert tables((tmp_path / "week.zip").read_bytes()) == tables(out(sessions, team.actor, week_ids=[team.week]))


@pytest.mark.parametrize(("content", "words"), [(None, "can't be read"), (b"nothing", "isn't an exchange package")])
def test_what_is_no_package_is_said_so(
    sessions: Sessions,
    fleet: Run,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    content: bytes | None,
    words: str,
) -> None:
    place = tmp_path / "x.zip"
    if content is not None:
        place.write_bytes(content)
    assert fleet("import", place) == 1 and words in capsys.readouterr().err
