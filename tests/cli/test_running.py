"""The application started as a person would: once, twice, stopped, killed, and started again on the same data."""

import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.runtime.processes import Started, free_port, recorded, wait_for_end
from tests.conftest import DEMO

HOME = Path(__file__).parents[2]


class Installation:
    """A folder of its own in which the application runs from this project's sources."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.started: list[subprocess.Popen[str]] = []
        (folder / "var").mkdir()
        # The scenario of the day takes the simulator its time; where a test has it already, it is as good as a new one.
        for made in DEMO.glob("scenario-*"):
            shutil.copytree(made, folder / "var" / "demo" / made.name)

    def start(self, command: str = "demo") -> subprocess.Popen[str]:
        environment = {**os.environ, "FLEET_HOME": str(self.folder), "PYTHONPATH": str(HOME)}
        process = subprocess.Popen(
            [sys.executable, "-m", "fleet_rival.cli", command, "--port", str(self.port)],
            env=environment,
            stderr=subprocess.PIPE,
            text=True,
            cwd=HOME,
        )
        self.started.append(process)
        return process

    def wait_until_ready(self, process: subprocess.Popen[str]) -> str:
        assert process.stderr is not None
        said = ""
        for line in process.stderr:
            said += line
            if "Ctrl-C here" in line:
                return said
        raise AssertionError(said)

    def wait_for(self, process: subprocess.Popen[str], words: str) -> None:
        assert process.stderr is not None
        for line in process.stderr:
            if words in line:
                return
        raise AssertionError(f"{words} was never said")

    def stop(self) -> subprocess.CompletedProcess[str]:
        environment = {**os.environ, "FLEET_HOME": str(self.folder), "PYTHONPATH": str(HOME)}
        command = [sys.executable, "-m", "fleet_rival.cli.bootstrap", "stop"]
        return subprocess.run(command, env=environment, capture_output=True, text=True, check=False)

    def ask(self, path: str, body: Any = None, headers: dict[str, str] | None = None) -> tuple[Any, Any]:
        """What the server answers, and the headers."""
        sent = json.dumps(body).encode() if body is not None else None
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}", sent, {"Content-Type": "application/json", **(headers or {})}
        )
        with urllib.request.urlopen(request, timeout=20) as answer:
            return json.load(answer), answer.headers

    def combinations(self, said: str) -> Any:
        """What the manager sees whom the start command names, with the password that it says."""
        name, password = re.findall(r"^  (\w+) +([a-z-]+) +.*manager$", said, re.MULTILINE)[0]
        _, headers = self.ask("/api/sign-in", {"name": name, "password": password})
        return self.ask("/api/combinations", headers={"Cookie": headers["Set-Cookie"].split(";")[0]})[0]["items"]

    def alive(self) -> list[Started]:
        return recorded(self.folder / "var")[1]


@pytest.fixture
def installation(tmp_path: Path) -> Iterator[Installation]:
    made = Installation(tmp_path)
    yield made
    for left in made.alive():
        left.signal(signal.SIGKILL)
    for process in made.started:
        process.kill()
        process.communicate()


def test_start_twice_stop_and_start_again_on_the_same_data(installation: Installation) -> None:
    # Killed while the demo is being loaded: the next start has it whole.
    broken = installation.start()
    installation.wait_for(broken, "Demo data ...")
    time.sleep(2)
    left = installation.alive()
    assert [process.name for process in left] == ["fleet"]
    broken.kill()
    assert broken.wait(10) == -signal.SIGKILL

    first = installation.start()
    installation.wait_for(first, "Database ...")
    # A second one from the first moment on waits, and touches nothing.
    again = installation.start()
    said = installation.wait_until_ready(first)
    assert "broken off is taken out" in said
    _, repeated = again.communicate(timeout=60)
    assert again.returncode == 0 and "is being started here already" in repeated and "running already" in repeated
    assert f"Fleet Rival is ready: http://127.0.0.1:{installation.port}" in said
    assert all(f"{step}: done" in said for step in ("Database", "Messages", "Tables", "Demo data", "Server and worker"))
    before = installation.combinations(said)
    # All that was practised; how much was raced depends on the day, by which starts people choose.
    assert 3122 + 300 < sum(item["laps"] for item in before) < 3122 + 1200
    processes = installation.alive()
    assert [process.name for process in processes] == ["fleet", "database", "messages", "worker", "server"]
    secret = [
        installation.folder / "var" / name
        for name in ("secret.txt", "redis/password.txt", "mariadb/password.txt", "demo/accounts.json")
    ]
    assert not any(path.stat().st_mode & 0o077 for path in secret)
    everything = [path for path in (installation.folder / "var").rglob("*") if not path.is_symlink()]
    assert len(everything) > 100 and not [
        path for path in everything if (path.is_file() or path.is_dir()) and path.stat().st_mode & 0o077
    ]
    _answers_on_loopback_alone(installation)

    again = installation.start()
    _, repeated = again.communicate(timeout=30)
    assert again.returncode == 0 and "running already" in repeated
    assert installation.alive() == processes

    assert installation.stop().stderr.strip() == "Stopped."
    assert first.wait(30) == 0 and wait_for_end(processes, 10)
    assert "Nothing of Fleet Rival is running" in installation.stop().stderr

    second = installation.start()
    said_again = installation.wait_until_ready(second)
    assert installation.combinations(said_again) == before
    second.send_signal(signal.SIGINT)
    assert second.wait(30) == 0
    assert not installation.alive()


def _answers_on_loopback_alone(installation: Installation) -> None:
    request = urllib.request.Request(
        f"http://127.0.0.1:{installation.port}/api/health", headers={"Host": "elsewhere.example"}
    )
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(request, timeout=10)
    assert refused.value.code == 421
    refused.value.close()
    other = socket.gethostbyname(socket.gethostname())
    if not other.startswith("127."):
        with socket.socket() as probe:
            probe.settimeout(2)
            assert probe.connect_ex((other, installation.port)) != 0


def test_a_database_whose_making_was_interrupted_is_made_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    places: list[Path] = []

    def interrupted(command: list[str], *_: Any) -> None:
        places.extend(Path(option.partition("=")[2]) for option in command if option.startswith("--datadir="))
        raise KeyboardInterrupt

    database = MariaDB(tmp_path, free_port())
    with monkeypatch.context() as patched:
        patched.setattr("fleet_rival.runtime.mariadb.run", interrupted)
        with pytest.raises(KeyboardInterrupt):
            database.start()
    # What was left behind writes on for a moment, after all was cleared away.
    (places[0] / "mysql").mkdir(parents=True)
    database.start()
    try:
        assert database.answers()
        assert not places[0].exists()
    finally:
        database.stop()


def test_a_part_that_dies_is_started_again_and_a_killed_supervisor_takes_all_along(installation: Installation) -> None:
    early = installation.start("start")
    installation.wait_for(early, "Database ...")
    assert installation.stop().stderr.strip() == "Stopped." and early.wait(30) == 130

    process = installation.start("start")
    said = installation.wait_until_ready(process)
    token = re.findall(r"it works once: http://127.0.0.1:\d+/welcome#(\S+)", said)[0]
    assert installation.ask("/api/welcome", {"token": token})[0]["role"] == "manager"
    for victim in ("server", "worker"):
        _dies_and_comes_back(installation, process, victim)
    processes = installation.alive()
    process.kill()
    process.wait()
    assert wait_for_end(processes, 30)

    again = installation.start("start")
    installation.wait_until_ready(again)
    for victim in ("messages", "database"):
        _dies_and_comes_back(installation, again, victim)
    # One that ends again and again is tried again after pauses; the others go on.
    others = {part.name: part for part in installation.alive() if part.name != "worker"}
    for _ in range(5):
        for _ in range(200):
            if worker := next((part for part in installation.alive() if part.name == "worker"), None):
                break
            time.sleep(0.1)
        assert worker is not None
        worker.signal(signal.SIGKILL)
        wait_for_end([worker], 10)
    assert again.poll() is None and all(part.alive for part in others.values())
    assert installation.ask("/api/health")[0]["status"] == "ok"
    assert installation.stop().stderr.strip() == "Stopped."


def _dies_and_comes_back(installation: Installation, process: "subprocess.Popen[str]", victim: str) -> None:
    before = {part.name: part.pid for part in installation.alive()}
    next(part for part in installation.alive() if part.name == victim).signal(signal.SIGKILL)
    assert process.stderr is not None
    assert re.search(f"{victim[:7]}.* ended by itself; starting it again", process.stderr.readline())
    for _ in range(200):
        after = {part.name: part.pid for part in installation.alive()}
        if after.keys() == before.keys() and after[victim] != before[victim]:
            break
        time.sleep(0.1)
    assert {name for name in before if before[name] != after[name]} == {victim}
    for _ in range(150):
        try:
            assert installation.ask("/api/health")[0]["status"] == "ok"
            return
        except OSError:
            time.sleep(0.1)  # the server is still coming up
    raise AssertionError(f"no answer after the {victim} came back")


def test_the_plain_command_says_what_there_is() -> None:
    shown = subprocess.run([HOME / "fleet", "--help"], capture_output=True, text=True, check=False)
    assert shown.returncode == 0
    for command in ("demo", "start", "stop", "rig", "team", "backup", "restore", "test", "analyse", "bench"):
        assert command in shown.stdout + shown.stderr
    unknown = subprocess.run([HOME / "fleet", "fly"], capture_output=True, text=True, check=False)
    assert unknown.returncode == 2 and "invalid choice" in unknown.stderr
