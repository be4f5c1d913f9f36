"""The commands: one clear line for each failure, and nothing touched that isn't ours."""

import os
import re
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from fleet_rival.cli import bootstrap
from fleet_rival.cli.main import main
from fleet_rival.runtime import console
from fleet_rival.runtime.console import Failure
from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.runtime.processes import Started, free_port, port_is_free, record, recorded, stop

HOME = Path(__file__).parents[2]


def sleeper() -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])


def test_stop_ends_what_was_recorded_and_nothing_else(tmp_path: Path) -> None:
    ours, other = sleeper(), sleeper()
    record(tmp_path, "http://127.0.0.1:1", [Started.of("fleet", ours.pid)])
    # A number that was given to another process meanwhile is not ours.
    address, alive = recorded(tmp_path)
    assert address == "http://127.0.0.1:1" and [process.pid for process in alive] == [ours.pid]
    assert not Started("fleet", other.pid, "1").alive
    assert stop(tmp_path) == 0
    assert ours.wait(5) == -signal.SIGTERM and other.poll() is None
    other.kill()
    other.wait()
    assert stop(tmp_path) == 0


def test_a_port_in_use_is_one_line_with_a_way_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("FLEET_HOME", str(tmp_path))
    (tmp_path / "var").mkdir()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert not port_is_free(port)
        assert main(["start", "--port", str(port)]) == 1
    said = capsys.readouterr().err
    assert said == f"fleet: port {port} is in use by another program. Choose another: ./fleet start --port {port + 1}\n"


def test_missing_rights_are_one_line_with_the_command_to_run(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bootstrap, "_program", lambda name: name not in ("mariadbd", "sudo"))
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr(bootstrap.shutil, "which", lambda name, **_: None if name == "sudo" else f"/usr/bin/{name}")
    with pytest.raises(Failure, match="sudo apt-get install --no-install-recommends mariadb-server-core"):
        bootstrap.debian_packages("server", browser=False)


def test_a_full_disk_is_told_before_anything_is_made(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bootstrap, "HOME", tmp_path)
    monkeypatch.setattr(bootstrap, "VENV", tmp_path / ".venv")
    monkeypatch.setattr(bootstrap, "DISK_NEEDED", 10**18)
    with pytest.raises(Failure, match="GB are free"):
        bootstrap.prepare("core", interface=False, browser=False)
    assert not list(tmp_path.iterdir())


def test_node_that_cannot_be_had_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bootstrap, "VAR", tmp_path)
    monkeypatch.setattr(bootstrap, "VENV", tmp_path / "none")
    monkeypatch.setattr(bootstrap, "_node_is_enough", lambda program: False)
    with pytest.raises(Failure, match=r"Node.js 20.19 or newer is missing"):
        bootstrap.node()


@pytest.mark.parametrize(
    ("output", "words"),
    [
        ("E: No space left on device", "disk is full"),
        ("Temporary failure resolving 'x'", "can't be reached"),
        ("Could not get lock /var/lib", "another package installation"),
        ("npm ERR! EACCES", "no rights"),
        ("something else", "something else"),
    ],
)
def test_a_step_that_fails_names_the_cause_in_one_line(tmp_path: Path, output: str, words: str) -> None:
    with pytest.raises(Failure, match=words) as failure:
        console.run(["sh", "-c", f'echo "{output}"; exit 3'], tmp_path / "step.log", "Installing")
    assert "\n" not in str(failure.value) and str(tmp_path) in str(failure.value)


def test_a_database_keeps_its_rows_over_a_kill_and_ends_what_was_left(tmp_path: Path) -> None:
    import mariadb

    def connect(server: MariaDB) -> "mariadb.Connection":
        password = (server.folder / "password.txt").read_text()
        return mariadb.connect(host="127.0.0.1", port=server.port, user="fleet", password=password, database="fleet")

    first = MariaDB(tmp_path / "db", free_port())
    first.start()
    connection = connect(first)
    connection.cursor().execute("CREATE TABLE kept (number INT)")
    connection.cursor().execute("INSERT INTO kept VALUES (7)")
    connection.commit()
    assert first.started is not None
    second = MariaDB(tmp_path / "db", free_port())
    second.start()  # the first one's supervisor is taken for dead: its server is ended first
    try:
        assert not first.running
        os.kill(second.started.pid, signal.SIGKILL) if second.started else None
        while second.running:
            time.sleep(0.05)
        second.start()
        cursor = connect(second).cursor()
        cursor.execute("SELECT number FROM kept")
        assert cursor.fetchall() == [(7,)]
        assert (tmp_path / "db" / "password.txt").stat().st_mode & 0o077 == 0
    finally:
        second.stop()
    assert not second.running


def test_no_lock_file_holds_an_address() -> None:
    locks = [*(HOME / "requirements").glob("*.lock"), HOME / "frontend" / "package-lock.json"]
    for lock in locks:
        # Funding pages are the packages' own words; what is fetched from where must not be written down.
        assert not re.search(r'"resolved"|--(extra-)?index-url|--find-links', lock.read_text(encoding="utf-8")), lock
    assert all(re.search(r"--hash=sha256:", lock.read_text(encoding="utf-8")) for lock in locks[:-1])
